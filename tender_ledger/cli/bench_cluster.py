"""A cluster of its own for the benchmarks, with the shipped vocabularies, thrown away afterwards."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tender_ledger.launch.cluster import Cluster
from tender_ledger.operations.vocabularies import load_shipped_vocabularies
from tender_ledger.storage.database import configure, connected, migrate


@contextmanager
def bench_cluster() -> Iterator[str]:
    """The address of a migrated database, which the models use; the caller connects."""
    folder = Path(tempfile.mkdtemp(prefix="tender-bench-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "postgres", "bench", "bench", throw_away=True)
    try:
        cluster.ensure_running()
        configure(cluster.url())
        migrate(cluster.owner_url())
        with connected():
            load_shipped_vocabularies()
        yield cluster.url()
    finally:
        cluster.destroy()
        folder.rmdir()
