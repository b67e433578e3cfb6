"""A PostgreSQL primary and a synchronous hot standby, each on a host of its own."""

import shutil
import time
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from tender_ledger.launch.cluster import programs
from tender_ledger.storage.roles import APPLICATION, OWNER, prepare_database
from tests.hosts.network import Host

PASSWORD = "only for this trial"
_ACCESS = f"host all all 10.97.0.0/24 scram-sha-256\nhost replication {OWNER} 10.97.0.0/24 scram-sha-256\n"


@dataclass
class Pair:
    """The two servers; `now` is the one that takes writes."""

    primary: Host
    standby: Host
    folder: Path
    out: IO[str]

    def __post_init__(self) -> None:
        self.now = self.primary

    def begin(self) -> None:
        """Make the primary and its database, then the standby from it; every commit waits for both from here on."""
        shutil.chown(self.folder, "postgres")
        secret = self.folder / "password"
        secret.write_text(PASSWORD)
        shutil.chown(secret, "postgres")
        how = f"-U {OWNER} -A scram-sha-256 --pwfile={secret} -E UTF8 --locale=C.UTF-8 --locale-provider=icu --icu-locale=und"
        self._run(self.primary, "initdb", "-D", self._data(self.primary), *how.split())
        with (Path(self._data(self.primary)) / "pg_hba.conf").open("a") as access:
            access.write(_ACCESS)
        self._serve(self.primary)
        prepare_database(self._url(self.primary, OWNER, "postgres"), "ledger", PASSWORD)
        of, into = self._url(self.primary, OWNER, ""), self._data(self.standby)
        self._run(self.standby, "pg_basebackup", "-d", of, "-D", into, "-R", "-X", "stream", "-c", "fast")
        self._serve(self.standby)
        for statement in ("ALTER SYSTEM SET synchronous_standby_names = '*'", "SELECT pg_reload_conf()"):
            self.say(statement)

    def promote(self) -> None:
        """Let the standby be the primary from here on; it waits for nobody until it has a standby of its own."""
        self._run(self.standby, "pg_ctl", "promote", "-w", "-D", self._data(self.standby))
        self.now = self.standby

    def say(self, statement: str) -> str:
        """What the server that takes writes answers to a statement, as its owner."""
        return self._run(self.now, "psql", "-Atc", statement, self._url(self.now, OWNER, "ledger")).strip()

    def url(self, role: str = APPLICATION) -> str:
        """The address by which an application finds whichever of the two takes writes."""
        both = ",".join(f"{host.address}:5432" for host in (self.primary, self.standby))
        return (
            f"postgresql://{role}:{PASSWORD.replace(' ', '%20')}@{both}/ledger?target_session_attrs=read-write&connect_timeout=2"
        )

    def _url(self, host: Host, role: str, name: str) -> str:
        return f"postgresql://{role}:{PASSWORD.replace(' ', '%20')}@{host.address}:5432/{name}"

    def _data(self, host: Host) -> str:
        return str(self.folder / host.name)

    def _run(self, host: Host, program: str, *arguments: str) -> str:
        return host.run([str(programs() / program), *arguments], user="postgres")

    def _serve(self, host: Host) -> None:
        data = self._data(host)
        options = ["-c", f"listen_addresses={host.address}", "-c", "unix_socket_directories=", "-c", "log_min_messages=fatal"]
        host.begin([str(programs() / "postgres"), "-D", data, *options], self.out, user="postgres")
        until = time.monotonic() + 30
        while True:
            try:
                self._run(host, "pg_isready", "-q", "-h", host.address)
                return
            except Exception:
                if time.monotonic() > until:
                    raise
                time.sleep(0.2)
