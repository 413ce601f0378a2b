"""Pages of prints and print files."""
