"""Networks: their cards, what runs them, testing and adding those of artists."""

__all__ = ["cards", "intake", "kits", "names", "probes", "runtimes", "trial"]
