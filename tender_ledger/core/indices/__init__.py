"""One module per family of indices; each function takes a tally's columns and gives arrays, NaN where undefined."""
