"""Views: each fetches, asks and answers; none computes."""
