"""Geometry of the drawn views: values in, marks out, no markup."""
