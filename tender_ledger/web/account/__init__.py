"""Signing in and out, and one's own sessions."""
