"""Batches: many pictures through one treatment."""
