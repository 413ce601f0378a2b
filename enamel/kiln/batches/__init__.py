"""Batches: many pictures through one treatment, unattended."""

__all__ = ["asking", "folders", "jobs", "running"]
