"""Communities, knowledge-holders, sources, and what they agreed to."""
