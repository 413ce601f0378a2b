"""Planning the stages: from the size of a base to the size of a print, in coats that each make sense.

The habit that works: whole factors first, each with less strength than the one before, the last an
exact fit, and no words in it, because subject words at the last big stage make small subjects sprout
in random tiles.
"""

from dataclasses import dataclass, replace

from enamel.core.errors import require
from enamel.core.geometry import Size
from enamel.core.schedule import MAX_SIDE, Coat, Refine

STAGE_FACTOR = 2
"""Growth of a stage along each side: what the refiners are made for."""
SMALL_FACTOR = 1.15
"""A last step smaller than this is an exact fit by plain resampling, not worth a refinement."""
STRENGTHS = (0.35, 0.3, 0.25, 0.2)
"""Denoising strength of the first, second, … refined stage; the last goes on for all later ones."""


@dataclass(frozen=True, slots=True)
class PlannedCoat:
    """A proposed coat. ``work`` is its share of all the network's work, 0 to 1."""

    coat: Coat
    size: Size
    work: float
    sentence: str


def propose(
    base: Size, target: Size, refine: Refine | None = None, upscaler: str = "lanczos"
) -> list[PlannedCoat]:
    """The coats that lead from a base to a target size.

    Parameters
    ----------
    base, target : sizes in px, of the same shape to within a few px; the last coat hits the target.
    refine : settings to start from; strength and words are set stage by stage.
    upscaler : of the coats that refine; a last small fit is plain resampling.

    Raises
    ------
    FieldRefusal
        If the target is too large for any file.
    """
    require(min(target) >= 16 and max(target) <= MAX_SIDE, "size", list(target),
            f"a width and a height from 16 to {MAX_SIDE} px")  # fmt: skip
    refine = refine or Refine()
    growth = max(target.width / base.width, target.height / base.height)
    factors = _factors(growth)
    sizes = _sizes(base, target, factors)
    refined = [number for number, factor in enumerate(factors) if factor >= SMALL_FACTOR]
    total = sum(sizes[number].megapixels for number in refined) or 1.0
    planned = []
    for number, size in enumerate(sizes):
        last = number + 1 == len(sizes)
        share = size.megapixels / total if number in refined else 0.0
        settings = None
        if number in refined:
            strength = STRENGTHS[min(refined.index(number), len(STRENGTHS) - 1)]
            wordless = number == refined[-1] and len(refined) > 1
            settings = replace(
                refine,
                strength=strength,
                **({"prompt": "", "negative_prompt": "", "regions": ()} if wordless else {}),  # type: ignore[arg-type]
            )
        exact = last or factors[number] != STAGE_FACTOR
        coat = Coat(
            factor=None if exact else float(STAGE_FACTOR),
            size=(size.width, size.height) if exact else None,
            upscaler=upscaler if settings else "lanczos",
            refine=settings,
        )
        words = _sentence(factors[number], size, settings, share, last, bool(refine.prompt))
        planned.append(PlannedCoat(coat, size, share, words))
    return planned


def _factors(growth: float) -> list[float]:
    """Growth of each stage: twos as long as they fit, then the rest; one stage at least."""
    factors: list[float] = []
    while growth >= STAGE_FACTOR * (1 - 1e-3):
        factors.append(float(STAGE_FACTOR))
        growth /= STAGE_FACTOR
    if abs(growth - 1) > 1e-3 or not factors:
        factors.append(growth)
    return factors


def _sizes(base: Size, target: Size, factors: list[float]) -> list[Size]:
    sizes, size = [], base
    for factor in factors[:-1]:
        size = Size(round(size.width * factor), round(size.height * factor))
        sizes.append(size)
    return [*sizes, target]


def _sentence(
    factor: float, size: Size, refine: Refine | None, share: float, last: bool, worded: bool
) -> str:
    """Why this coat is as it is."""
    grows = f"{factor:.3g}× to {size}, {size.megapixels:.3g} MP"
    if refine is None:
        return f"{grows}: a last exact fit by plain resampling; too small a step to refine."
    reasons = [f"strength {refine.strength:g}, {share:.0%} of the work"]
    if refine.strength == STRENGTHS[0]:
        reasons.append("the cheapest place to try seeds, so get it right before going on")
    if worded and not refine.prompt:
        reasons.append("without words, so that no small subjects sprout in the tiles")
    if last:
        reasons.append("an exact fit")
    return f"{grows}: {'; '.join(reasons)}."
