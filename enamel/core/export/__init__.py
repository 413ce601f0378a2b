"""Print files: write them in every format, name them, and make test strips."""
