"""Upscalers by name."""

from enamel.core.errors import Refusal
from enamel.core.networks.cards import cards
from enamel.core.schedule import Coat
from enamel.core.upscaling.enlarge import Interpolation, Mixture, Upscaler
from enamel.core.upscaling.onnx import trained
from enamel.core.upscaling.resample import FILTERS


def upscaler_names() -> list[str]:
    """Return names that a schedule may use, plain interpolation first."""
    return [*FILTERS, *(card.name for card in cards() if card.kind == "upscaler")]


def chosen(coat: Coat) -> Upscaler:
    """Return the upscaler of a coat: one, or two mixed."""
    first = upscaler(coat.upscaler)
    if coat.mix is None or coat.mix.weight == 0:
        return first
    return Mixture(first, upscaler(coat.mix.upscaler), coat.mix.weight)


def upscaler(name: str) -> Upscaler:
    """Return the upscaler of that name; a `Refusal` that lists the names when there is none."""
    if name in FILTERS:
        return Interpolation(name)
    if name in upscaler_names():
        return trained(name)
    raise Refusal(f"There is no upscaler named {name!r}. Known: {', '.join(upscaler_names())}.")
