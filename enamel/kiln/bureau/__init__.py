"""Coats laid by a hired renderer. What is spoken with it: docs/bureau.md."""
