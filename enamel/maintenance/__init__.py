"""Keep an installation safe: back it up, restore it, verify its files, and say what is wrong with it."""
