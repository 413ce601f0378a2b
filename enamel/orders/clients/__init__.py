"""Clients of external services: bounded in bytes and time, certain about what is not known."""
