"""What the panels of coats show."""
