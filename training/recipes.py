"""What each shipped model is: its network, what it learns from, for how long."""

from dataclasses import dataclass, field

from training.materials import MATERIALS
from training.pairs import Degradation


@dataclass(frozen=True)
class Recipe:
    """How a model is trained. Patch sides in px of the small picture, for refiners of the large one."""

    name: str
    summary: str
    network: dict[str, int]
    kind: str = "upscaler"
    degradations: tuple[Degradation, ...] = (Degradation(4),)
    """One of these, by chance, makes a patch's source."""
    shares: dict[str, float] = field(default_factory=lambda: {"photo": 0.6, "texture": 0.4})
    patch: int = 32
    batch: int = 8
    rate: float = 1e-3
    steps: int = 2500
    seed: int = 1
    starts_from: str | None = None
    """A recipe of the same network, whose weights this one goes on from."""
    rollouts: float = 0.0
    """Share of a refiner's steps that train on what the sampler itself reaches."""
    lag: tuple[tuple[float, float], ...] = ((0.0, 0.0), (1.0, 0.0))
    """By strength: what a refiner is told to lack still at the last level, as a share of what it lacked at
    first. Fitted on held-out pictures of its kind: at strength 0.3 the most detail that costs less than
    1.5 dB, at others so that more strength goes further."""
    taught_lag: tuple[tuple[float, float], ...] = ((0.08, 0.6), (0.25, 0.48), (0.8, 0.46))
    """The lag in training, by the noise level that a pass starts from. Noise is detail too, so the more of it
    there is, the less has to be made up for."""
    held_share: float = 0.65
    """Share of a refiner's patches whose structure is held to as it is; the rest have it softened, by any
    share of what hold 0 does. Words are learnt where structure is not held."""
    word_share: float = 0.0
    """Share of a refiner's patches that teach words: textures with a name, hardly held, at noise in which it
    is decided what they become. By chance alone fewer than one in a hundred are of that kind."""
    detail_weight: float = 1.5
    """Weight of a rollout's loss that asks for as much fine detail as the truth has, wherever it lies. Where
    edges are all the detail there is, it frays them."""
    critic: float = 0.0
    """How large the critic's gradient at an estimate is, as a share of all others'; at 0 there is none."""


REFINER = {"words": len(MATERIALS), "width": 32, "middle": 64, "deep": 96}
PLAINLY_ENLARGED = (
    Degradation(2, 0.3, 1.0, (80, 98), 0.3),
    Degradation(2),
    Degradation(1.4, 0.3),
    Degradation(2.8, 0.3, 1.0, (80, 98), 0.3),
)
"""What those of a refiner's sources have been through that plain interpolation enlarges again."""
FLAT_ART = (
    Degradation(2, 0.8, 2.0, (80, 98), 0.6),
    Degradation(2),
    Degradation(1.4, 0.6, 1.0, (85, 98), 0.5),
    Degradation(2.8, 0.6, 1.0, (80, 98), 0.5),
)
"""What flat art has been through: generators leave its edges soft."""
CROWD_FACES = (
    Degradation(2, 0.5, 2.0, (60, 95), 0.7, 0.8),
    Degradation(4, 0.4, 1.0, (70, 95), 0.6, 0.6),
    Degradation(7, 0.3, 0.0, None, 0.4, 0.5),
    Degradation(1.4, 0.5, 1.0, (80, 98), 0.5, 0.6),
)
"""What the faces of crowds have been through: small, soft, distorted and compressed."""

RECIPES = {
    recipe.name: recipe
    for recipe in (
        Recipe(
            "vitreous",
            "Faithful, all-round: photographs and painted pictures, 4×.",
            {"factor": 4, "width": 64, "blocks": 8},
            degradations=(Degradation(4, blur=0.35, noise=1.0, jpeg=(85, 98), share=0.3),),
            shares={"photo": 0.5, "painting": 0.15, "texture": 0.25, "drawing": 0.1},
            steps=22000,
        ),
        Recipe(
            "cloisonne",
            "Line art, flat colours and lettering, 4×.",
            {"factor": 4, "width": 64, "blocks": 6},
            degradations=(Degradation(4, blur=0.3, noise=1.0, jpeg=(80, 98), share=0.4),),
            shares={"drawing": 0.75, "photo": 0.15, "painting": 0.1},
            steps=14000,
            seed=2,
        ),
        Recipe(
            "mend",
            "Compressed and noisy sources, 2×.",
            {"factor": 2, "width": 64, "blocks": 6},
            degradations=(Degradation(2, blur=0.5, noise=4.0, jpeg=(25, 75)),),
            shares={"photo": 0.5, "painting": 0.1, "texture": 0.25, "drawing": 0.15},
            steps=14000,
            seed=3,
        ),
        Recipe(
            "brisk",
            "Small and fast, 2×.",
            {"factor": 2, "width": 32, "blocks": 1},
            degradations=(Degradation(2, blur=0.3, noise=1.0, jpeg=(85, 98), share=0.3),),
            shares={"photo": 0.5, "texture": 0.3, "drawing": 0.2},
            batch=16,
            steps=20000,
            seed=4,
        ),
        Recipe(
            "stipple",
            "Rich in texture: stone, foliage, cloth, brushwork, with crisp grain, 4×.",
            {"factor": 4, "width": 64, "blocks": 8},
            degradations=(Degradation(4, blur=0.3, noise=1.0, jpeg=(85, 98), share=0.3),),
            shares={"photo": 0.35, "painting": 0.15, "texture": 0.5},
            patch=24,
            rate=2e-4,
            steps=2500,
            seed=5,
            starts_from="vitreous",
            critic=0.5,
        ),
        Recipe(
            "grisaille",
            "Refines photographs and renders at any size: gives back the detail that enlarging lost.",
            REFINER,
            kind="refiner",
            degradations=PLAINLY_ENLARGED,
            shares={"photo": 0.45, "painting": 0.1, "texture": 0.35, "drawing": 0.1},
            patch=64,
            batch=16,
            rate=4e-4,
            rollouts=0.8,
            steps=60000,
            held_share=0.5,
            word_share=0.5,
            lag=((0, 0.7), (0.5, 0.7), (1, 0.78)),
            critic=0.5,
            seed=6,
            # until 38,073 steps by 4e-4 of 90,000, and words only as they came; 1e-3 until 40,500, and
            # energy asked for along edges too; the critic from 43,000
        ),
        Recipe(
            "camaieu",
            "Refines paintings and illustrations: brushwork, hair, cloth, without a camera's grain.",
            REFINER,
            kind="refiner",
            degradations=PLAINLY_ENLARGED,
            shares={"painting": 0.75, "photo": 0.15, "drawing": 0.1},
            patch=64,
            batch=16,
            rate=3e-4,
            rollouts=0.8,
            steps=30000,
            lag=((0, 0.48), (1, 0.48)),
            seed=7,
            starts_from="grisaille",
        ),
        Recipe(
            "champleve",
            "Refines flat art and lettering: straight edges, flat fills, not a trace of grain.",
            REFINER,
            kind="refiner",
            degradations=FLAT_ART,
            shares={"drawing": 0.85, "painting": 0.15},
            patch=64,
            batch=16,
            rate=3e-4,
            rollouts=0.8,
            steps=5000,
            lag=((0, 0.6), (0.3, 0.45), (0.5, 0.3), (1, 0.35)),
            taught_lag=((0.08, 0.0), (0.8, 0.0)),
            detail_weight=0.05,
            seed=8,
            starts_from="grisaille",
        ),
        Recipe(
            "miniature",
            "Refines faces and small figures: eyes, mouths, hair. Knows no one's likeness and no mood.",
            REFINER,
            kind="refiner",
            degradations=CROWD_FACES,
            shares={"face": 0.8, "painting": 0.15, "photo": 0.05},
            patch=64,
            batch=16,
            rate=3e-4,
            rollouts=0.8,
            steps=13800,
            lag=((0, 0.5), (1, 0.5)),
            detail_weight=0.1,
            seed=9,
            starts_from="grisaille",
            # grain 0.5 until 6,832 steps, and drawn features from there; 0.25 until 10,554
        ),
    )
}
