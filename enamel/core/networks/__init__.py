"""Networks: their cards, what runs them, trying and taking in those that artists bring."""
