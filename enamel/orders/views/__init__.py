"""Pages of orders."""
