"""Free lists: what somebody named, in the order in which they named it."""

from tender_ledger.core.freelists.entering import Entered, KnownName, enter_list

__all__ = ["Entered", "KnownName", "enter_list"]
