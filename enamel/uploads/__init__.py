"""Uploads: files on their way in, read by a worker when reading takes long."""
