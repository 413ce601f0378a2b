"""Plan coats from the size of a base to the size of a print.

The proven way: whole factors first, each with less strength than the one before; the last one an exact
fit without a prompt, because subject words at the last large stage make small subjects appear in random
tiles.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from enamel.core.errors import require
from enamel.core.geometry import Size
from enamel.core.schedule import MAX_SIDE, Coat, Refine

STAGE_FACTOR = 2
"""Factor of a stage: what the refiners are made for."""
SMALL_FACTOR = 1.15
"""A smaller last factor is an exact fit by interpolation, not worth a refinement."""
STRENGTHS = (0.35, 0.3, 0.25, 0.2)
"""Denoising strength of the first, second, … refined stage; the last value holds for all later ones."""


@dataclass(frozen=True, slots=True)
class PlannedCoat:
    """A proposed coat. ``work`` is its fraction of all the network's work, 0 to 1."""

    coat: Coat
    size: Size
    work: float
    sentence: str


@dataclass(frozen=True, slots=True)
class StepEdit:
    """An artist's changes to a proposed coat; None keeps what is proposed."""

    strength: float | None = None
    upscaler: str | None = None


def propose(
    base: Size,
    target: Size,
    refine: Refine | None = None,
    upscaler: str = "lanczos",
    *,
    growth: float = STAGE_FACTOR,
    edits: Mapping[int, StepEdit] | None = None,
) -> list[PlannedCoat]:
    """Return the coats that lead from a base to a target size.

    Parameters
    ----------
    base, target : sizes in px, of the same shape to within a few px; the last coat hits the target.
    refine : settings to start from; strength and words are set stage by stage.
    upscaler : of the coats that refine; a last small fit is plain resampling.
    growth : of each stage along each side, from 1.25 to 4.
    edits : what to change of the proposal, by the coat's place from 0; strength 0 refines nothing.

    Raises
    ------
    FieldRefusal
        If the target is too large for any file.
    """
    require(min(target) >= 16 and max(target) <= MAX_SIDE, "size", list(target),
            f"a width and a height from 16 to {MAX_SIDE} px")  # fmt: skip
    require(1.25 <= growth <= 4, "growth", growth, "from 1.25 to 4")
    refine, edits = refine or Refine(), edits or {}
    factors = _factors(max(target.width / base.width, target.height / base.height), growth)
    sizes = _sizes(base, target, factors)
    refined = [
        number
        for number, factor in enumerate(factors)
        if factor >= SMALL_FACTOR and edits.get(number, StepEdit()).strength != 0
    ]
    total = sum(sizes[number].megapixels for number in refined) or 1.0
    planned = []
    for number, size in enumerate(sizes):
        last = number + 1 == len(sizes)
        fraction = size.megapixels / total if number in refined else 0.0
        settings = None
        if number in refined:
            usual = STRENGTHS[min(refined.index(number), len(STRENGTHS) - 1)]
            wanted = edits.get(number, StepEdit()).strength
            strength = usual if wanted is None else wanted
            wordless = number == refined[-1] and len(refined) > 1
            settings = replace(
                refine,
                strength=strength,
                **({"prompt": "", "negative_prompt": "", "regions": ()} if wordless else {}),  # type: ignore[arg-type]
            )
        exact = last or factors[number] != growth
        proposed = upscaler if factors[number] >= SMALL_FACTOR else "lanczos"
        coat = Coat(
            factor=None if exact else float(growth),
            size=(size.width, size.height) if exact else None,
            upscaler=edits.get(number, StepEdit()).upscaler or proposed,
            refine=settings,
        )
        words = _sentence(factors[number], size, settings, fraction, last, bool(refine.prompt))
        planned.append(PlannedCoat(coat, size, fraction, words))
    return planned


def _factors(whole: float, growth: float) -> list[float]:
    """Return the factor of each stage: whole stages as long as they fit, then the rest; at least one
    stage.
    """
    factors: list[float] = []
    while whole >= growth * (1 - 1e-3):
        factors.append(float(growth))
        whole /= growth
    if abs(whole - 1) > 1e-3 or not factors:
        factors.append(whole)
    return factors


def _sizes(base: Size, target: Size, factors: list[float]) -> list[Size]:
    sizes, size = [], base
    for factor in factors[:-1]:
        size = Size(round(size.width * factor), round(size.height * factor))
        sizes.append(size)
    return [*sizes, target]


def _sentence(
    factor: float, size: Size, refine: Refine | None, fraction: float, last: bool, worded: bool
) -> str:
    """Return the reason for a coat's settings."""
    grows = f"{factor:.3g}× to {size}, {size.megapixels:.3g} MP"
    if refine is None and factor >= SMALL_FACTOR:
        return f"{grows}: enlarged and not refined."
    if refine is None:
        return f"{grows}: a last exact fit by plain resampling; too small a step to refine."
    reasons = [f"strength {refine.strength:g}, {fraction:.0%} of the work"]
    if refine.strength == STRENGTHS[0]:
        reasons.append("the cheapest place to try seeds, so get it right before going on")
    if worded and not refine.prompt:
        reasons.append("without words, so that no small subjects sprout in the tiles")
    if last:
        reasons.append("an exact fit")
    return f"{grows}: {'; '.join(reasons)}."
