"""Coats sent to a remote renderer."""
