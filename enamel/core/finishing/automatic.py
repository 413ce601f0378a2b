"""Automatic settings of steps from measurements, with reasons in figures."""

import math
from dataclasses import dataclass

from enamel.core.finishing.facts import Measurements
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.planes import LEVEL
from enamel.core.finishing.recipe import (
    CleanUp,
    Colour,
    Deblur,
    Finish,
    Fringes,
    Grain,
    LocalContrast,
    Match,
    Noise,
    Sharpen,
    Step,
    Tone,
)
from enamel.core.finishing.tone import spreads
from enamel.core.intake.subject import BLOCK, FLAT

BLOCKY = 1.25
"""Blockiness from which blocks are worth smoothing."""
NOISY = 0.8
"""Noise in levels from which it is worth removing."""
FRINGED = 15.0
"""Strength of fringes in levels from which they are worth removing."""
FRINGE_REACH = 1.5
"""Width of fringes in px of the base."""
SOFT, VERY_SOFT = 0.75, 2.5
"""Largest blur in px that deblurring can undo."""
MOST_CLIPPED = 0.15
"""Most that black and white are moved."""
WANTED_MIDDLE, MOST_LIGHTER = 0.46, 1.12
MOST_CAST = 24
"""Larger casts, in levels, are taken for the scene's own light."""
WANTED_GRAIN = 2.5
"""Deviation in levels below which smooth areas print like plastic."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """Proposed settings of a step, with the reason."""

    step: Step
    reason: str


def proposed(
    name: str, facts: Measurements, own: Overview, reference: Overview | None = None
) -> Proposal:
    """Return the settings that a step of a recipe proposes for a layer.

    Parameters
    ----------
    name : the field of `Finish`.
    facts : what was measured of the layer.
    own, reference : overviews of the layer and of the picture that it may be matched to.

    Returns
    -------
    A step, switched on where it is worthwhile, with the figures that decided it.
    """
    if name not in _RULES:
        raise KeyError(name)
    return _RULES[name](facts, own, reference)


def _clean_up(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    on = facts.blocks > BLOCKY
    step = CleanUp(on=on, block=facts.block, threshold=8.0 if facts.blocks > 2 else 6.0)
    found = (
        f"Steps at the borders of blocks of {facts.block:.0f} px are {facts.blocks:.2f} times "
        "those inside"
    )
    return Proposal(step, f"{found}{'' if on else ': none to speak of'}.")


def _noise(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    on = max(facts.noise, facts.noise_colour / 2) > NOISY
    step = Noise(
        on=on,
        lightness=min(30.0, facts.noise),
        colour=min(60.0, facts.noise_colour),
        coarseness=facts.coarseness,
    )
    found = (
        f"Calm places deviate by {facts.noise:.1f} levels in lightness and {facts.noise_colour:.1f} in colour"
        + (f", in grains of {facts.coarseness:.0f} px" if facts.coarseness > 1 else "")
    )
    return Proposal(step, f"{found}{'' if on else ': too little to be seen'}.")


def _fringes(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    on = facts.fringes > FRINGED
    found = f"Beside strong edges colour is off by {facts.fringes:.1f} levels"
    reach = min(16.0, max(1.0, FRINGE_REACH * facts.block / BLOCK))
    return Proposal(
        Fringes(on=on, reach=reach), f"{found}{'' if on else ': too little to be seen'}."
    )


def _deblur(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    on = SOFT < facts.blur < VERY_SOFT
    rounds = 1 if facts.noise > 3 else 2 if facts.noise > 1 else 3
    step = Deblur(on=on, blur=min(4.0, max(0.3, round(facts.blur * 0.8, 2))), rounds=rounds)
    if not facts.blur:
        return Proposal(step, "No edge is strong enough to measure the blur on.")
    found = f"The sharpest edges are blurred by {facts.blur:.1f} px"
    if on:
        return Proposal(
            step, f"{found}, noise is {facts.noise:.1f} levels: {rounds} round{'s'[: rounds > 1]}."
        )
    rest = "sharp enough" if facts.blur <= SOFT else "more than can be recovered"
    return Proposal(step, f"{found}: {rest}.")


def _tone(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    black = min(MOST_CLIPPED, facts.black)
    white = max(1 - MOST_CLIPPED, facts.white)
    stretched = min(0.95, max(0.05, (facts.middle - black) / (white - black)))
    middle = math.log(stretched) / math.log(WANTED_MIDDLE)
    middle = round(min(MOST_LIGHTER, max(1 / MOST_LIGHTER, middle)), 2)
    parts = Tone(grey=facts.grey).rgb
    cast = max(parts) - min(parts)
    kept_cast = cast > MOST_CAST
    if facts.flat > FLAT:
        words = f"{facts.flat:.0%} is filled flat: such colours are the picture’s own."
        return Proposal(Tone(), words)
    step = Tone(
        on=True,
        black=round(black, 3),
        white=round(white, 3),
        middle=middle,
        grey="#808080" if kept_cast else facts.grey,
    )
    return Proposal(
        step,
        f"A thousandth lies below {facts.black:.1%} and above {facts.white:.1%}, half below "
        f"{facts.middle:.0%}; "
        f"the greyest places are {facts.grey}, off by {cast} levels"
        f"{', which is taken for the picture’s own light' if kept_cast else ''}.",
    )


def _match(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    radius = max(32, min(4000, max(own.size) // 16))
    step = Match(on=reference is not None, whole=1.0, local=0.5, radius=radius)
    if reference is None:
        return Proposal(step, "There is nothing to match it to.")
    here, there = spreads(own, reference)
    moved = (there.means[0] - here.means[0]) / LEVEL
    spread = there.deviations[0] / max(here.deviations[0], 1.0)
    return Proposal(
        step,
        f"Against it this layer is {abs(moved):.1f} levels {'darker' if moved > 0 else 'lighter'}, "
        f"its contrast {1 / max(spread, 0.01):.2f} times as high.",
    )


def _colour(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    if reference is None:
        return Proposal(
            Colour(), f"Colours lie {facts.colourful:.0f} levels from grey in the mean."
        )
    here, there = spreads(own, reference)
    wanted = (there.deviations[1] + there.deviations[2]) / max(
        here.deviations[1] + here.deviations[2], 1.0
    )
    saturation = round(min(0.5, max(-0.5, wanted - 1)), 2)
    on = abs(saturation) >= 0.03
    found = f"Its colours spread {1 / max(wanted, 0.01):.2f} times as far as those it came from"
    return Proposal(
        Colour(on=on, saturation=saturation), f"{found}{'' if on else ': as they were'}."
    )


def _local_contrast(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    radius = max(32, min(4000, max(own.size) // 40))
    if facts.flat > FLAT:
        words = f"{facts.flat:.0%} is filled flat, and would be shaded."
        return Proposal(LocalContrast(radius=radius), words)
    amount = 0.15 if facts.contrast > 18 else 0.25 if facts.contrast > 9 else 0.4
    return Proposal(
        LocalContrast(on=True, amount=amount, radius=radius),
        f"Shapes deviate from their surroundings by {facts.contrast:.0f} levels.",
    )


def _sharpen(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    blur = facts.blur or 1.0
    radius = round(min(3.0, max(0.5, 0.8 * blur)), 2)
    step = Sharpen(
        on=True,
        radius=radius,
        amount=0.4 if blur < SOFT else 0.7,
        threshold=round(min(10.0, max(0.5, 1.5 * facts.noise)), 1),
    )
    return Proposal(
        step, f"The sharpest edges are blurred by {blur:.1f} px; noise is {facts.noise:.1f} levels."
    )


def _grain(facts: Measurements, own: Overview, reference: Overview | None) -> Proposal:
    lacking = max(0.0, WANTED_GRAIN**2 - facts.noise**2) ** 0.5
    if facts.flat > FLAT:
        return Proposal(Grain(), f"{facts.flat:.0%} is filled flat, and is to stay so.")
    on = lacking > 0.5
    step = Grain(on=on, amount=round(lacking, 1), size=round(max(1.0, max(own.size) / 4000), 1))
    found = f"Calm places deviate by {facts.noise:.1f} levels"
    return Proposal(step, f"{found}; {WANTED_GRAIN:.1f} keep them from printing like plastic.")


_RULES = {
    "clean_up": _clean_up,
    "noise": _noise,
    "fringes": _fringes,
    "deblur": _deblur,
    "tone": _tone,
    "match": _match,
    "colour": _colour,
    "local_contrast": _local_contrast,
    "sharpen": _sharpen,
    "grain": _grain,
}


def automatic(
    recipe: Finish, facts: Measurements, own: Overview, reference: Overview | None = None
) -> tuple[Finish, dict[str, str]]:
    """Return a recipe of all steps with their proposed settings, and the reasons by step."""
    made = {name: proposed(name, facts, own, reference) for name in _RULES}
    for name, proposal in made.items():
        recipe = recipe.with_step(name, proposal.step)
    return recipe, {name: proposal.reason for name, proposal in made.items()}
