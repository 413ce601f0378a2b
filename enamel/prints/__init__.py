"""Prints: the plan of a print, print files, proofs and test strips."""
