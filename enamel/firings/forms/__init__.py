"""Forms of coats and refinements."""
