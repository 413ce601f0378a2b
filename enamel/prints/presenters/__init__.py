"""What the panels and pages of prints show."""
