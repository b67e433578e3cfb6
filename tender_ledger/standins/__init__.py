"""Small simulated outside services, each behind the interface that a real one would have."""
