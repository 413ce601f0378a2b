"""Uploads: files that take long to read are stored, and read by a worker."""
