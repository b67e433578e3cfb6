"""Hosts as network namespaces on one bridge: each has an address, and whatever runs on it can be killed at once."""

import os
import signal
import subprocess
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import IO

_PREFIX, _NET = "ledger-try-", "10.97.0"


@dataclass(frozen=True)
class Host:
    """A host by its name, with the address `10.97.0.NUMBER`."""

    name: str
    number: int

    @property
    def space(self) -> str:
        return _PREFIX + self.name

    @property
    def address(self) -> str:
        return f"{_NET}.{self.number}"

    def begin(
        self, command: list[str], out: IO[str], environment: Mapping[str, str] | None = None, user: str = ""
    ) -> subprocess.Popen[str]:
        """Begin a program on the host, as another user where one is named."""
        return subprocess.Popen(
            [*self._within(user), *command], stdin=subprocess.DEVNULL, stdout=out, stderr=subprocess.STDOUT, text=True, cwd="/",
            env={**os.environ, **(environment or {})}, start_new_session=True,
        )  # fmt: skip

    def run(self, command: list[str], environment: Mapping[str, str] | None = None, user: str = "") -> str:
        """Run a program on the host to its end; what it printed. Raises CalledProcessError."""
        done = subprocess.run(
            [*self._within(user), *command], stdin=subprocess.DEVNULL, capture_output=True, text=True, check=True, cwd="/",
            env={**os.environ, "LC_ALL": "C.UTF-8", **(environment or {})},
        )  # fmt: skip
        return done.stdout

    def processes(self) -> dict[int, str]:
        """Everything that runs on the host: command lines by number."""
        found = subprocess.run(["ip", "netns", "pids", self.space], capture_output=True, text=True, check=False).stdout.split()
        lines = {}
        for pid in map(int, found):
            with suppress(OSError):
                lines[pid] = Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
        return lines

    def die(self) -> None:
        """Cut the host off the network and kill everything on it, as when its power goes."""
        _ip("netns", "exec", self.space, "ip", "link", "set", "eth0", "down")
        for pid in self.processes():
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)

    def _within(self, user: str) -> list[str]:
        return ["ip", "netns", "exec", self.space, *(["runuser", "-u", user, "--"] if user else [])]


def connect(hosts: list[Host]) -> None:
    """Make the hosts, with a bridge of their own between them."""
    disconnect(hosts)
    bridge = f"{_PREFIX}bridge"
    _ip("netns", "add", bridge)
    _ip("-n", bridge, "link", "add", "bridge", "type", "bridge")
    _ip("-n", bridge, "link", "set", "bridge", "up")
    for host in hosts:
        _ip("netns", "add", host.space)
        _ip("-n", host.space, "link", "add", "eth0", "type", "veth", "peer", "name", f"to{host.number}", "netns", bridge)
        _ip("-n", bridge, "link", "set", f"to{host.number}", "master", "bridge")
        _ip("-n", bridge, "link", "set", f"to{host.number}", "up")
        _ip("-n", host.space, "address", "add", f"{host.address}/24", "dev", "eth0")
        for link in ("lo", "eth0"):
            _ip("-n", host.space, "link", "set", link, "up")


def disconnect(hosts: list[Host]) -> None:
    """Kill what runs on them and take them away."""
    for host in hosts:
        for pid in host.processes():
            if pid != os.getpid():
                with suppress(ProcessLookupError):
                    os.kill(pid, signal.SIGKILL)
    for space in (*(host.space for host in hosts), f"{_PREFIX}bridge"):
        subprocess.run(["ip", "netns", "delete", space], capture_output=True, check=False)


def _ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)
