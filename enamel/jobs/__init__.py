"""Jobs and workers: states, submission, queues, heartbeats, locks, sweeping, notifications."""
