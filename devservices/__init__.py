"""Stand-ins for the external services, for the demo and the tests. Enamel imports nothing from here."""
