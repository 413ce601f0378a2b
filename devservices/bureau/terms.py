"""The bureau's prices, abilities and retention."""

from dataclasses import dataclass
from typing import Any

from enamel.core import ENGINE_VERSION
from enamel.core.networks.cards import cards
from enamel.core.schedule import Coat
from enamel.core.upscaling.resample import FILTERS


@dataclass(frozen=True, slots=True)
class Terms:
    """The bureau's conditions."""

    name: str = "Junction Street Bureau"
    currency: str = "EUR"
    setup_cents: int = 15
    cents_per_megapixel_step: float = 1.2
    cents_per_megapixel: float = 0.8
    """Limit for the result's pixels."""
    largest_megapixels: float = 80.0
    offer_seconds: float = 900.0
    """How long an offer holds."""
    kept_days: int = 7
    """How long pictures are kept after their order."""

    def cents(self, megapixel_steps: float, megapixels: float) -> int:
        """Return the price of a coat."""
        work = megapixel_steps * self.cents_per_megapixel_step
        return round(self.setup_cents + work + megapixels * self.cents_per_megapixel)

    def to_json(self) -> dict[str, Any]:
        """Return the terms as the price list states them."""
        return {
            "name": self.name, "currency": self.currency, "setup_cents": self.setup_cents,
            "cents_per_megapixel_step": self.cents_per_megapixel_step,
            "cents_per_megapixel": self.cents_per_megapixel,
            "largest_megapixels": self.largest_megapixels,
            "offer_seconds": self.offer_seconds, "kept_days": self.kept_days,
            "renderer": f"Enamel's engine {ENGINE_VERSION}", "models": models(),
        }  # fmt: skip


def models() -> list[dict[str, str]]:
    """Return the bureau's models, each with the hash of its file, where it has one."""
    files = [
        {"name": card.name, "kind": card.kind, "sha256": card.sha256}
        for card in cards()
        if not card.own
    ]
    return files + [{"name": name, "kind": "upscaler", "sha256": ""} for name in FILTERS]


def unknown(coat: Coat) -> list[str]:
    """Return the models that a coat names and the bureau lacks."""
    known = {(model["kind"], model["name"]) for model in models()}
    wanted = [("upscaler", coat.upscaler)]
    if coat.mix is not None:
        wanted.append(("upscaler", coat.mix.upscaler))
    if coat.refine is not None:
        wanted.append(("refiner", coat.refine.model))
        if coat.refine.kit is not None:
            wanted += [("adapter", adapter.name) for adapter in coat.refine.kit.adapters]
            wanted += [("guide", coat.refine.kit.guide), ("vae", coat.refine.kit.vae)]
    return [name for kind, name in wanted if name and (kind, name) not in known]
