"""Accounts: sign-in, preferences, API tokens."""
