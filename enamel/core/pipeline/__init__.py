"""Firings: schedules run coat by coat, predicted, planned, tried on sheets, and touched up."""
