"""One module an open format: bytes or text on one side, core values on the other."""
