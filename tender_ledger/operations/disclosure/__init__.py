"""What may leave a study: one account of its cells, chosen once for every table, figure and file, and remembered."""
