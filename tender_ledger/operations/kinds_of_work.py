"""Every kind of long work but drawing pages: whoever queues or does any imports this module, so that each is known by name."""

from tender_ledger.operations import computations, import_uploads, people

__all__ = ["computations", "import_uploads", "people"]
