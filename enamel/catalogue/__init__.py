"""The workshop's models: which there are, which are switched on, their trials, and what suits what."""
