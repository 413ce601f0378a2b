"""Signals of accounts."""

from django.dispatch import Signal

account_leaving = Signal()
"""Sent before an account is deleted, with ``account`` and ``heir``, who gets its pieces; None deletes
them.
"""
