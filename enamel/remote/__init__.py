"""The command line's way to an Enamel that runs elsewhere: speaks to its API, imports nothing of it."""

__all__ = ["client", "command"]
