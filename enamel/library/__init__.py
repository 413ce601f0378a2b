"""Pieces and their layers: imported, split, duplicated, deleted, stored, looked at."""
