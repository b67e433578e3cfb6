"""Tender Ledger: plant use reports from knowledge-holders, and the values that can honestly be computed from them."""

__version__ = "0.1.0"
