"""What measures Enamel and makes parts of its docs: run as ``python -m tools.NAME``."""
