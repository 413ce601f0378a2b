"""Base pictures: reading files, what they say of themselves, what can be told from their pixels."""
