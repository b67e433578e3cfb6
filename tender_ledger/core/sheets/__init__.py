"""Sheets as people keep them: where their header stands, what their columns and values mean, and the rows they become."""
