"""Base pictures: reading files, what they say of themselves, what can be recognised in their pixels."""
