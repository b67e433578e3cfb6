"""The worker: does from the queue what requests are too short for. It is given DATABASE_URL and nothing else."""

import logging
import os
import sys

from tender_ledger.operations import kinds_of_work, long_work  # noqa: F401 - kinds of work are known by being imported
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage import queue
from tender_ledger.storage.database import configure


def main() -> int:
    """Work until it is told to stop."""
    logging.basicConfig(stream=sys.stderr, level=logging.ERROR, format="%(message)s")
    logging.getLogger("procrastinate").setLevel(logging.CRITICAL)  # its lines hold what the work is of
    url = os.environ["DATABASE_URL"]
    configure(url)
    names = ChecklistNames()
    queue.take_out(url, lambda said: long_work.do(said, names), long_work.give_up)
    return 0


if __name__ == "__main__":
    sys.exit(main())
