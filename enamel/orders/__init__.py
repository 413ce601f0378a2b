"""Orders at external services: coats at a remote renderer, print files at a print shop."""
