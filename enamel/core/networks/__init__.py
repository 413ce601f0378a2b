"""Networks: cards, runtimes, and testing and adding artists' own."""
