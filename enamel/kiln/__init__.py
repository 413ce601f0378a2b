"""The kiln's page: what runs, waits and has ended, and which workers there are."""
