"""Networks: their cards, what runs them, trying and taking in those that artists bring."""

__all__ = ["cards", "intake", "kits", "names", "probes", "runtimes", "trial"]
