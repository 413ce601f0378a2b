"""`enamel remote`: commands for an Enamel that runs elsewhere, through its API."""
