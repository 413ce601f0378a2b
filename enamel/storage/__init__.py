"""Store finished files, local copies of stored ones, scratch folders, and room on the disk."""
