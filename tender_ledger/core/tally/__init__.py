"""Reports as columns, and the counting of distinct keys under given rules."""
