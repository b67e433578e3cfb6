"""Encounters and the recording of reports in them."""
