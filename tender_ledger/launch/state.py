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


def write_private(file: Path, data: bytes) -> None:
    """Write a file that only its owner can read, whole or not at all; one that is there keeps who may read it."""
    if file.exists() and not file.is_file():  # a pipe or a device, asked for by name
        file.write_bytes(data)
        return
    mode = file.stat().st_mode & 0o777 if file.exists() else 0o600
    new = file.with_name(f"{file.name}.new")
    with os.fdopen(os.open(new, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, mode), "wb") as out:
        out.write(data)
    new.replace(file)


@dataclass(frozen=True)
class StateFolder:
    """Where this installation keeps what is its own; never part of a backup."""

    path: Path

    @classmethod
    def of_project(cls) -> "StateFolder":
        """The folder that TENDER_STATE names, else `.state` in the project; made when it is not there."""
        path = Path(os.environ.get("TENDER_STATE") or PROJECT / ".state")
        path.mkdir(mode=0o700, parents=True, exist_ok=True)
        path.chmod(0o700)  # one that was made before, or by somebody else
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
        write_private(self.path / name, text.encode())
        return self.path / name

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
