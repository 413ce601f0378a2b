"""Signals of the library, for apps above it."""

from django.dispatch import Signal

piece_deleted = Signal()
"""Sent with ``piece`` when a piece is deleted and can still be restored: its work should stop."""
layer_added = Signal()
"""Sent with ``layer`` when the layer of a coat was stored."""
