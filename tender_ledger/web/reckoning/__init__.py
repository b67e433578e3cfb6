"""The indices of a study, the counting rules, and the working of every number."""
