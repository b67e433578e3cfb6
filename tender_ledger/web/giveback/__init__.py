"""What leaves the study: the open tables, within the terms."""
