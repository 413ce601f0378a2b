"""Stored files, their local copies, scratch folders, and free disk space."""
