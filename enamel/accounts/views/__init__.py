"""Pages of accounts."""
