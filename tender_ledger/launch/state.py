"""The state folder: secrets made once (0600), the lock of the running application, and its address."""

import base64
import fcntl
import json
import os
import secrets
from dataclasses import dataclass
from pathlib import Path
from typing import IO

PROJECT = Path(__file__).resolve().parents[2]


class AlreadyRunning(Exception):
    """Another start holds the lock; carries its address, "" while it is still starting."""

    def __init__(self, address: str) -> None:
        super().__init__(address)
        self.address = address


@dataclass(frozen=True)
class StateFolder:
    """Where this installation keeps what is its own; never part of a backup."""

    path: Path

    @classmethod
    def of_project(cls) -> "StateFolder":
        """The folder that TENDER_STATE names, else `.state` in the project; made when it is not there."""
        path = Path(os.environ.get("TENDER_STATE") or PROJECT / ".state")
        path.mkdir(parents=True, exist_ok=True)
        return cls(path)

    def secret(self, name: str) -> str:
        """A random secret of 256 bits, made at the first asking and kept for ever after."""
        file = self.path / "secrets.json"
        kept: dict[str, str] = json.loads(file.read_text()) if file.exists() else {}
        if name not in kept:
            kept[name] = base64.urlsafe_b64encode(secrets.token_bytes(32)).decode()
            self.write_private("secrets.json", json.dumps(kept, indent=1))
        return kept[name]

    def rename_secret(self, name: str, into: str) -> None:
        """Let a secret take the place of another, which is gone with that."""
        kept: dict[str, str] = json.loads((self.path / "secrets.json").read_text())
        kept[into] = kept.pop(name)
        self.write_private("secrets.json", json.dumps(kept, indent=1))

    def write_private(self, name: str, text: str) -> Path:
        """Write a file that only its owner can read, whole or not at all."""
        new, file = self.path / f"{name}.new", self.path / name
        descriptor = os.open(new, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "w") as out:
            out.write(text)
        new.replace(file)
        return file

    def read(self, name: str) -> str:
        """The text of a file of the folder, "" where it is not there."""
        file = self.path / name
        return file.read_text() if file.exists() else ""

    def forget(self, name: str) -> None:
        (self.path / name).unlink(missing_ok=True)

    def lock(self) -> IO[str]:
        """Take the lock for as long as the returned file is open. A file left by a dead process is no lock.

        Raises AlreadyRunning with the address of the process that holds it.
        """
        file = open(self.path / "lock", "w")  # noqa: SIM115 - the lock lives as long as the file is open
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            file.close()
            raise AlreadyRunning(self.read("address")) from None
        return file
