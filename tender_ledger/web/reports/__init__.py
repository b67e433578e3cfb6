"""Use reports: listed, opened, corrected, taken back."""
