"""Stand-ins of the external services, for the demo and the tests. Enamel imports nothing of them."""
