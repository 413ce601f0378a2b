"""Maintain an installation: back it up, restore it, verify its files, diagnose it, report its health."""
