"""What each shipped model is: its network, what it learns from, for how long."""

from dataclasses import dataclass, field

from training.pairs import Faults


@dataclass(frozen=True)
class Recipe:
    """How a model is trained. Patch sides in px of the small picture."""

    name: str
    summary: str
    network: dict[str, int]
    kind: str = "upscaler"
    faults: Faults = field(default_factory=lambda: Faults(4))
    shares: dict[str, float] = field(default_factory=lambda: {"photo": 0.6, "texture": 0.4})
    patch: int = 48
    batch: int = 16
    rate: float = 1e-3
    steps: int = 60_000
    seed: int = 1


RECIPES = {
    recipe.name: recipe
    for recipe in (
        Recipe(
            "vitreous",
            "Faithful, all-round: photographs and painted pictures, 4×.",
            {"factor": 4, "width": 64, "blocks": 10},
            faults=Faults(4, blur=0.35, noise=1.0, jpeg=(85, 98), share=0.4),
            shares={"photo": 0.6, "texture": 0.3, "drawing": 0.1},
        ),
        Recipe(
            "cloisonne",
            "Line art, flat colours and lettering, 4×.",
            {"factor": 4, "width": 64, "blocks": 8},
            faults=Faults(4, blur=0.3, noise=1.0, jpeg=(80, 98), share=0.4),
            shares={"drawing": 1.0},
            seed=2,
        ),
        Recipe(
            "mend",
            "Compressed and noisy sources, 2×.",
            {"factor": 2, "width": 64, "blocks": 8},
            faults=Faults(2, blur=0.5, noise=4.0, jpeg=(25, 75)),
            shares={"photo": 0.6, "texture": 0.25, "drawing": 0.15},
            seed=3,
        ),
        Recipe(
            "brisk",
            "Small and fast, 2×.",
            {"factor": 2, "width": 32, "blocks": 3},
            faults=Faults(2, blur=0.3, noise=1.0, jpeg=(85, 98), share=0.3),
            shares={"photo": 0.5, "texture": 0.3, "drawing": 0.2},
            steps=30_000,
            seed=4,
        ),
    )
}
