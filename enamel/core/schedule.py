"""Coats and schedules: what one pass does, and the order of passes. Plain values, read from and written
as JSON.
"""

import hashlib
import json
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any, ClassVar

from enamel.core.diffusion.noise import SEEDS
from enamel.core.diffusion.samplers import Sampler
from enamel.core.diffusion.sigmas import Spacing
from enamel.core.errors import Refusal, require
from enamel.core.fields import (
    check_fields,
    from_json,
    integer,
    json_schema,
    number,
    setting,
    to_json,
)
from enamel.core.geometry import Size
from enamel.core.masks.steps import Mask

MAX_SIDE = 65500
"""Longest side of a result in px: the most that JPEG and common TIFF readers take."""

ALL_GIVEN_FROM = 0.15
"""Denoising strength from which restoring detail counts in full."""


class Order(StrEnum):
    """The order in which tiles are refined."""

    ROWS = "rows"
    CHECKERBOARD = "checkerboard"
    """Every second tile first; the gaps then grow on from their finished neighbours."""
    CENTRE_OUT = "centre-out"


class Fit(StrEnum):
    """Whether tiles are fitted to the picture, or have exactly the size given."""

    AUTO = "auto"
    EXACT = "exact"


class Mode(StrEnum):
    """Whether each tile runs through all its steps alone, or the picture takes each step together."""

    SEPARATE = "separate"
    JOINT = "joint"


@dataclass(frozen=True, slots=True)
class Region:
    """A prompt for a part of the picture: tiles that touch it get it, weighted by how much of them it
    covers.
    """

    box: tuple[float, float, float, float] = setting(
        (0.0, 0.0, 1.0, 1.0), "Left, top, width and height as fractions of the picture."
    )
    prompt: str = setting("", "What is to be seen there.")
    mask: Mask | None = setting(None, "A drawn part, in place of the box; null for none.")

    def __post_init__(self) -> None:
        fits = (
            len(self.box) == 4
            and min(self.box[:2]) >= 0
            and min(self.box[2:]) > 0
            and self.box[0] + self.box[2] <= 1.000001
            and self.box[1] + self.box[3] <= 1.000001
        )
        require(fits, "box", list(self.box), "left, top, width, height as fractions from 0 to 1")


@dataclass(frozen=True, slots=True)
class JoinPass:
    """Bands along the joins of a separate pass, refined again on tiles that lie across them."""

    strength: float = number(0.25, 0.01, 1, "Denoising strength in the bands.")
    width: int = integer(96, 16, 1024, "Width of the bands.", "px")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Protect:
    """A part of the picture that a coat touches less, or not at all."""

    mask: Mask = setting(Mask(), "The part; its edge may be soft.")
    left: float = number(
        0.0,
        0,
        1,
        "Share of the strength that is left where the mask covers wholly; 0 touches nothing.",
    )

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Adapter:
    """A low-rank adapter on a checkpoint, and how much it counts."""

    name: str = setting("", "Name of the adapter, as `enamel models` lists it.")
    weight: float = number(1.0, -2, 2, "How much it counts; 0 not at all.")
    sha256: str = setting("", "Hash of its file; when given, no other is used.")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Kit:
    """What a checkpoint is used with: adapters, guide and VAE, each pinned by the hash of its file."""

    sha256: str = setting("", "Hash of the checkpoint's files; when given, no other is used.")
    adapters: tuple[Adapter, ...] = setting((), "Adapters on its network, in this order.")
    guide: str = setting(
        "", "Name of a structure guide, which hold then is the say of; empty for none."
    )
    guide_sha256: str = setting("", "Hash of the guide's files; when given, no other is used.")
    vae: str = setting("", "Name of a VAE in place of its own; empty for its own.")
    vae_sha256: str = setting("", "Hash of the VAE's files; when given, no other is used.")


@dataclass(frozen=True, slots=True)
class Refine:
    """One tiled refinement. Lengths in px of the refined picture."""

    RENAMED: ClassVar[dict[str, str]] = {
        "give_back": "restore",
        "grit": "extra_noise",
        "overlap_share": "overlap_fraction",
    }
    """Names of settings in files of version 1, with their present names."""

    model: str = setting("grisaille", "Name of the refiner, as `enamel models` lists it.")
    kit: Kit | None = setting(None, "What an own checkpoint is used with; null for it alone.")
    strength: float = number(
        0.3, 0, 1, "Denoising strength: 0 changes nothing, 0.15 to 0.35 suits whole pictures."
    )
    restore: float = number(
        1.0, 0, 1, "How much of the detail that enlarging lost is restored: 1 all of it, 0 none."
    )
    steps: int = integer(8, 1, 200, "Times the network looks at each pixel.")
    sampler: Sampler = setting(Sampler.DPMPP_2M, "How the steps lead from noise to picture.")
    spacing: Spacing = setting(Spacing.KARRAS, "How the noise levels are spread over the steps.")
    seed: int = integer(0, 0, SEEDS - 1, "Which noise; the same seed gives the same picture.")
    guidance: float = number(
        1.0, 0, 20, "Guidance scale: how far past the unguided estimate to go; 1 is neutral."
    )
    hold: float = number(
        1.0, 0, 1, "How firmly the structure of the source is kept: 1 exactly, 0 as a hint."
    )
    tile: tuple[int, int] = setting((512, 512), "Tile width and height in px.")
    fit: Fit = setting(
        Fit.AUTO,
        "Tiles fitted to the picture, up to a fifth longer or somewhat shorter, so that they overlap no more "
        "than asked for (auto), or of exactly their size (exact).",
    )
    overlap: int = integer(64, 0, 4096, "Least overlap of neighbouring tiles.", "px")
    overlap_fraction: float | None = number(
        None,  # type: ignore[arg-type]
        0,
        0.5,
        "Overlap as a fraction of the tile's shorter side, in place of px.",
    )
    feather: float = number(
        1.0, 0, 1, "Width of the soft join, as a fraction of the overlap; 0 is a hard cut."
    )
    order: Order = setting(Order.ROWS, "Which tile comes when.")
    mode: Mode = setting(Mode.SEPARATE, "Tiles alone (separate), or step by step together (joint).")
    joins: JoinPass | None = setting(None, "A second pass over the joins, in separate mode.")
    prompt: str = setting("", "Words for the whole picture, where the refiner knows any.")
    negative_prompt: str = setting("", "Words that guidance moves away from.")
    regions: tuple[Region, ...] = setting((), "Words for parts of the picture.")
    protect: Protect | None = setting(None, "A part that is touched less; null for none.")
    extra_noise: float = number(
        0.0, 0, 0.5, "Extra noise in the starting signal, as a fraction of black to white."
    )
    contrast: float = number(1.0, 0, 2, "Gain on the contrast of the starting signal.")
    chroma: float = number(1.0, 0, 2, "Gain on the colourfulness of the starting signal.")
    blend: float = number(
        1.0, 0, 1, "Where a pass starts: 1 the last layer, 0 the base, between a blend of both."
    )
    guide: float = number(
        1.0, 0, 1, "What gives the structure: 1 the last layer, 0 the base, between a blend."
    )
    anchor: float = number(
        0.0, 0, 1, "Colour anchoring: how far low frequencies are led back to the source's."
    )
    anchor_radius: int = integer(
        48, 8, 512, "What counts as low: standard deviation of the blur.", "px"
    )

    def __post_init__(self) -> None:
        check_fields(self)
        fits = len(self.tile) == 2 and all(64 <= side <= 4096 for side in self.tile)
        require(fits, "tile", list(self.tile), "a width and a height from 64 to 4096 px")
        require(
            2 * self.overlap <= min(self.tile),
            "overlap",
            self.overlap,
            f"at most half the shorter side of the tile, {min(self.tile) // 2} px",
        )

    @property
    def overlap_px(self) -> int:
        """The least overlap in px, whether it was given in px or per cent."""
        if self.overlap_fraction is None:
            return self.overlap
        return round(self.overlap_fraction * min(self.tile))

    @property
    def degradation(self) -> float:
        """Return the fraction of the lost detail that counts as missing at the start of a pass.

        It rises with strength, so that strength 0 gives the enlarged picture unchanged.
        """
        return self.restore * min(1.0, self.strength / ALL_GIVEN_FROM)

    @property
    def guided(self) -> bool:
        """Whether each estimate is moved away from an unconditional one."""
        return self.guidance != 1

    @property
    def calls(self) -> int:
        """Calls of the network for each evaluation."""
        return 2 if self.guided else 1

    @property
    def words(self) -> list[str]:
        """All prompts in it: for the whole picture, negative, for parts."""
        prompts = [self.prompt, self.negative_prompt, *(region.prompt for region in self.regions)]
        return [words for words in prompts if words.strip()]

    @property
    def masks(self) -> int:
        """The masks in it."""
        drawn = sum(region.mask is not None for region in self.regions)
        return drawn + (self.protect is not None)

    @property
    def needs_base(self) -> bool:
        """Whether the result also depends on the base, besides the last layer."""
        return self.blend < 1 or self.guide < 1


@dataclass(frozen=True, slots=True)
class Mix:
    """A second upscaler, mixed into the first by weight."""

    upscaler: str = setting("lanczos", "Name of the second upscaler.")
    weight: float = number(0.5, 0, 1, "Its weight; the first one has the rest.")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Coat:
    """One pass: enlarge by ``factor`` or to ``size``, then refine. Without either, the size stays."""

    factor: float | None = number(None, 0.05, 16, "How many times larger, along each side.")  # type: ignore[arg-type]
    size: tuple[int, int] | None = setting(
        None, "Exact width and height in px, in place of factor."
    )
    upscaler: str = setting("lanczos", "Name of the upscaler, as `enamel models` lists it.")
    mix: Mix | None = setting(None, "A second upscaler mixed in; null for none.")
    refine: Refine | None = setting(None, "The refinement after enlarging; null for none.")
    on: bool = setting(True, "Whether the coat is laid; a coat that is off is passed over.")

    def __post_init__(self) -> None:
        check_fields(self)
        require(self.factor is None or self.size is None, "size", self.size,
                "left out when a factor is given")  # fmt: skip
        if self.size is not None:
            fits = len(self.size) == 2 and all(16 <= side <= MAX_SIDE for side in self.size)
            require(fits, "size", list(self.size), f"a width and a height from 16 to {MAX_SIDE} px")

    @classmethod
    def from_json(cls, given: Any) -> "Coat":
        return from_json(cls, given)

    @property
    def refinement(self) -> Refine | None:
        """The refinement that the coat carries out; None where it only enlarges."""
        return self.refine if self.refine and self.refine.strength > 0 else None

    @property
    def bare(self) -> "Coat":
        """The coat without prompts and masks: all that its work and price depend on."""
        if self.refine is None:
            return self
        silent = replace(self.refine, prompt="", negative_prompt="", regions=(), protect=None)
        return replace(self, refine=silent)

    def size_from(self, source: Size) -> Size:
        """Exact size of the result for a source of that size."""
        if self.size is not None:
            return Size(*self.size)
        factor = self.factor or 1.0
        size = source.scaled(factor)
        if max(size) > MAX_SIDE:
            raise Refusal(
                f"{factor:g} times {source} would be {max(size)} px long; "
                f"the longest side can be {MAX_SIDE} px."
            )
        return size


@dataclass(frozen=True, slots=True)
class Schedule:
    """The ordered coats that take a base to the print size."""

    coats: tuple[Coat, ...] = ()

    def __post_init__(self) -> None:
        require(len(self.coats) >= 1, "coats", [], "a list of at least one coat")

    @property
    def laid(self) -> tuple[Coat, ...]:
        """The coats that are on."""
        return tuple(coat for coat in self.coats if coat.on)

    def sizes(self, base: Size) -> list[Size]:
        """Return size after each coat that is on."""
        sizes = [base]
        for coat in self.laid:
            sizes.append(coat.size_from(sizes[-1]))
        return sizes[1:]

    @classmethod
    def from_json(cls, given: Any) -> "Schedule":
        """Return a schedule from its JSON form; a `FieldRefusal` names the field that is wrong."""
        return from_json(cls, given)

    def to_json(self) -> dict[str, Any]:
        """Return the JSON form, every setting spelt out."""
        form: dict[str, Any] = to_json(self)
        return form


def differences(one: Any, other: Any, path: str = "") -> list[tuple[str, Any, Any]]:
    """Return where two JSON forms differ: path, value in the first, value in the second.

    A key that only one of them has counts as None in the other; lists are compared item by item.
    """
    if isinstance(one, list) and isinstance(other, list):
        places = range(max(len(one), len(other)))
        one, other = (dict(enumerate(form)) for form in (one, other))
        keys: list[Any] = list(places)
    elif isinstance(one, dict) or isinstance(other, dict):
        one, other = (form if isinstance(form, dict) else {} for form in (one, other))
        keys = list(dict.fromkeys([*one, *other]))
    else:
        return [] if one == other else [(path, one, other)]
    return [
        found
        for key in keys
        for found in differences(
            one.get(key), other.get(key), f"{path}.{key}" if path else str(key)
        )
    ]


def schedule_schema() -> dict[str, Any]:
    """Return the published JSON Schema of schedule files (`docs/reference/schedule.schema.json`)."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Enamel schedule",
        "description": "The ordered coats that take a base picture to its print size.",
        **json_schema(Schedule),
    }


def canonical(value: Any) -> str:
    """JSON with sorted keys and no spaces: equal settings, equal text."""
    return json.dumps(value, sort_keys=True, separators=(",", ":"), default=to_json)


def content_key(*parts: Any) -> str:
    """sha256 over the canonical JSON of the parts: the name of pixels that they determine."""
    return hashlib.sha256(canonical(list(parts)).encode()).hexdigest()
