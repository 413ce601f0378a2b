"""Settings, addresses, limits of requests, and the API put together."""
