"""Commands that measure Enamel and write parts of its docs: ``python -m tools.NAME``."""
