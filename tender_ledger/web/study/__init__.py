"""A study's own page, its history of acts, and setting one up."""
