"""The workshop's models: taken in, switched, tried on this machine."""

__all__ = ["library", "trials"]
