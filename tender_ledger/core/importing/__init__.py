"""Imported use-report tables: every row read against what a study knows, before anything is written."""
