"""How the shipped weights were made, from public packages, reproducibly. Needs torch; core does not."""
