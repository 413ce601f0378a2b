"""The workshop's models: those available, those switched on, their trials, and which suit which pictures."""
