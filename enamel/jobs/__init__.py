"""Jobs of the kiln: queues, workers and their heartbeats, locks, transitions, sweeping, notifications."""
