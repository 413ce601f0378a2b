"""Clients of external services. Every answer is bounded in bytes and time, and typed."""
