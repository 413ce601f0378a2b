"""Networks: their cards, what runs them, testing and adding those of artists."""
