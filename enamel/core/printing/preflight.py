"""Preflight of a print: each matter that is checked, with the result in a sentence."""

from dataclasses import dataclass
from enum import StrEnum

from enamel.core.printing.layout import Fit, PrintPlan
from enamel.core.printing.paper import PaperStock
from enamel.core.printing.sizing import quality_of

MOST_INK = 300.0
"""Per cent of ink at one place that coated paper takes without smearing; shops have their own limits."""
MUCH_OUT = 0.02
"""Fraction of the picture out of gamut from which colours visibly flatten."""
USUAL_BLEED_MM = 3.0


class PreflightItem(StrEnum):
    """Matters that are checked."""

    PIXELS = "pixels"
    NEWEST = "newest"
    JOINS = "joins"
    FACES = "faces"
    BLEED = "bleed"
    GAMUT = "gamut"
    INK = "ink"
    SHARPENING = "sharpening"


@dataclass(frozen=True, slots=True)
class PrintFacts:
    """Facts about a layer and its print file. None where they were not measured."""

    ppi: float
    plan: PrintPlan | None
    paper: PaperStock
    newest: bool
    sharpened: bool
    """Whether a finish sharpened it."""
    joins: int | None
    """Visible joins that the checks found."""
    faces: int | None
    """Faces that need mending and were not."""
    out_of_gamut: float | None
    """Fraction of the picture that is out of the profile's gamut."""
    ink: float | None
    """The most ink at one place, in per cent; None for RGB files."""


@dataclass(frozen=True, slots=True)
class Notice:
    """The result for one matter: whether it is as it should be, and a sentence."""

    matter: PreflightItem
    fine: bool
    words: str


def preflight(known: PrintFacts) -> list[Notice]:
    """Return a notice for every measured matter, those that need attention first."""
    found = [_pixels(known), _newest(known), _joins(known), _faces(known), _bleed(known),
             _gamut(known), _ink(known), _sharpening(known)]  # fmt: skip
    notices = [notice for notice in found if notice is not None]
    return sorted(notices, key=lambda notice: notice.fine)


def _pixels(known: PrintFacts) -> Notice:
    distance = known.plan.distance_mm if known.plan else PrintPlan().distance_mm
    quality = quality_of(known.ppi, distance)
    seen = f"{known.ppi:.0f} ppi, viewed from {distance / 10:.0f} cm"
    if quality is None:
        return Notice(PreflightItem.PIXELS, False, f"Too few pixels: {seen}, looks soft.")
    return Notice(PreflightItem.PIXELS, True, f"Enough pixels: {seen}, is {quality}.")


def _newest(known: PrintFacts) -> Notice:
    words = "This is the newest layer." if known.newest else "There is a newer layer than this one."
    return Notice(PreflightItem.NEWEST, known.newest, words)


def _joins(known: PrintFacts) -> Notice | None:
    if known.joins is None:
        return None
    one = known.joins == 1
    words = f"{known.joins} join{'' if one else 's'} of tiles {'is' if one else 'are'} visible."
    return Notice(
        PreflightItem.JOINS, not known.joins, words if known.joins else "No joins are visible."
    )


def _faces(known: PrintFacts) -> Notice | None:
    if known.faces is None:
        return None
    one = known.faces == 1
    words = f"{known.faces} face{'' if one else 's'} could do with a touch-up and had none."
    return Notice(
        PreflightItem.FACES, not known.faces, words if known.faces else "No face needs mending."
    )


def _bleed(known: PrintFacts) -> Notice | None:
    plan = known.plan
    if plan is None:
        return None
    sides = plan.target.bleed
    least = min(sides.top, sides.right, sides.bottom, sides.left)
    if plan.fit is Fit.INSIDE and max(sides.top, sides.right, sides.bottom, sides.left):
        return Notice(
            PreflightItem.BLEED, False, "The picture only fits inside, so it has no bleed."
        )
    if plan.fit is Fit.INSIDE:
        return Notice(
            PreflightItem.BLEED, True, "No bleed is asked for; it prints with a white border."
        )
    if least < USUAL_BLEED_MM:
        words = f"The least bleed is {least:g} mm; shops that cut ask for {USUAL_BLEED_MM:g} mm."
        return Notice(PreflightItem.BLEED, False, words)
    return Notice(PreflightItem.BLEED, True, f"Bleed is {least:g} mm or more.")


def _gamut(known: PrintFacts) -> Notice | None:
    fraction = known.out_of_gamut
    if fraction is None:
        return None
    words = f"{100 * fraction:.1f} % of the picture is out of the profile's gamut."
    return Notice(PreflightItem.GAMUT, fraction <= MUCH_OUT, words)


def _ink(known: PrintFacts) -> Notice | None:
    if known.ink is None:
        return None
    fine = known.ink <= MOST_INK + 0.5
    words = (
        f"Up to {known.ink:.0f} % of ink on one place; {MOST_INK:.0f} % is what coated paper takes."
    )
    return Notice(PreflightItem.INK, fine, words)


def _sharpening(known: PrintFacts) -> Notice:
    twice = known.sharpened and known.paper is not PaperStock.NONE
    if twice:
        words = (
            "Sharpened twice: by a finish, and again for paper. Leave one out, or look at 100 %."
        )
        return Notice(PreflightItem.SHARPENING, False, words)
    return Notice(PreflightItem.SHARPENING, True, "It is not sharpened twice.")
