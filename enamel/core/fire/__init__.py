"""Firings: schedules run coat by coat, foretold, planned, tried on sheets, and touched up."""
