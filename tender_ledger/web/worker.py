"""The worker: does from the queue what requests are too short for. It is given DATABASE_URL and nothing else."""

import logging
import os
import secrets
import sys

from tender_ledger.operations import long_work
from tender_ledger.standins.names_service import ChecklistNames
from tender_ledger.storage import queue
from tender_ledger.web.app import create_app


def main() -> int:
    """Work until it is told to stop."""
    logging.basicConfig(stream=sys.stderr, level=logging.ERROR, format="%(message)s")
    logging.getLogger("procrastinate").setLevel(logging.CRITICAL)  # its lines hold what the work is of
    url, names = os.environ["DATABASE_URL"], ChecklistNames()
    # It draws pages and serves none: no cookie is ever signed with its secret.
    create_app({"DATABASE_URL": url, "TENDER_SECRET": secrets.token_hex(16)})
    queue.take_out(url, lambda said: long_work.do(said, names), long_work.give_up)
    return 0


if __name__ == "__main__":
    sys.exit(main())
