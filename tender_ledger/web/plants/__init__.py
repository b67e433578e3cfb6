"""Plants as met, their names and determinations."""
