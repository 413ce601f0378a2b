"""The workshop's models: added, switched, tried on this machine."""
