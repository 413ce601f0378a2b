"""Base pictures: read files and their metadata, and recognise what kind of picture they hold."""
