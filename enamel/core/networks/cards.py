"""The available models: ONNX files, each with a card that says what it is and how it is used.

The shipped ones lie in ``enamel/weights``, or where ``ENAMEL_WEIGHTS`` says; the artist's own in the
folder that ``ENAMEL_MODELS`` names.
"""

import hashlib
import json
import logging
import os
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

from enamel.core.checkpoints.devices import TestedDevice
from enamel.core.diffusion.denoiser import PIXELS, Holding, ModelSpec, Space
from enamel.core.errors import Refusal
from enamel.core.networks.runtimes import Run, Runtime, device, running
from enamel.core.schedule import Refine, content_key

logger = logging.getLogger(__name__)

SHIPPED = Path(__file__).resolve().parents[2] / "weights"


@dataclass(frozen=True)
class Card:
    """A model's card, read from its ``.json`` file, and the path of its ``.onnx`` file."""

    name: str
    kind: str
    """``upscaler`` or ``refiner``; ``adapter``, ``guide`` or ``vae`` for what a checkpoint is used with."""
    file: Path
    facts: dict[str, Any]

    @property
    def factor(self) -> int | None:
        factor: int | None = self.facts.get("factor")
        return factor

    @property
    def megabytes(self) -> float:
        """Size of the network's file."""
        return self.file.stat().st_size / 1e6

    @property
    def vocabulary(self) -> list[list[str]]:
        """The words a refiner knows, each with its synonyms."""
        words: list[list[str]] = self.facts.get(self.kind, {}).get("vocabulary", [])
        return words

    @property
    def own(self) -> bool:
        """Whether an artist brought it."""
        return self.file.parent == own_folder()

    @property
    def radius(self) -> int | None:
        """Receptive radius in px of its input; None if it sees the whole tile."""
        radius: int | None = self.facts.get(self.kind, {}).get("radius")
        return radius

    @property
    def runtime(self) -> Runtime:
        """What runs it, as its trial found."""
        return Runtime(self.facts.get("runtime", Runtime.ONNXRUNTIME))

    @property
    def sha256(self) -> str:
        """Hash of the network's file alone."""
        return _digest(self.file, self.file.stat().st_mtime_ns)

    @property
    def digest(self) -> str:
        """Hash of all that determines the network's results: its file, runtime and device."""
        return _digest(self.file, self.file.stat().st_mtime_ns, self.runtime, device())

    def running(self) -> Run:
        """Return the network, ready to run."""
        return running(self.file, self.digest, self.runtime)

    def verify(self, digest: str | None) -> None:
        """Refuse when the file is not the one that was used before."""
        if digest is not None and digest != self.digest:
            raise Refusal(
                f"The file of {self.name} has changed since this was started. "
                "Fire again to use the new one, or put the old file back."
            )

    def spec(self) -> ModelSpec:
        """Return the refiner's spec for the engine."""
        return self.facts_as_spec(self.digest)

    def facts_as_spec(self, digest: str) -> ModelSpec:
        """Return the refiner's spec without reading the network's file."""
        refiner = self.facts["refiner"]
        space = refiner.get("space")
        return ModelSpec(
            name=self.name,
            digest=digest,
            grid=int(refiner["grid"]),
            native_tile=int(refiner["native_tile"]),
            radius=refiner["radius"],
            sigma_min=float(refiner["sigma_min"]),
            rho=float(refiner["rho"]),
            strength_map=_knots(refiner["strength_map"]),
            softening=float(refiner["softening"]),
            bytes_per_pixel=float(refiner["bytes_per_pixel"]),
            vocabulary=tuple(tuple(words) for words in refiner.get("vocabulary", ())),
            restores_detail=bool(refiner.get("restores_detail", False)),
            final_degradation=_knots(refiner.get("final_degradation", [[0, 0]])),
            space=Space(**space) if space else PIXELS,
            reads_prompts=bool(refiner.get("reads_prompts", False)),
            holding=Holding(refiner.get("holding", Holding.STRUCTURE)),
        )


class FilesCard(Card):
    """The card of files that stay where they lie on the artist's disk: an adapter, a guide, a VAE."""

    @property
    def listed(self) -> list[dict[str, Any]]:
        """The files that determine pixels: path in ``file``, bytes, time of change, sha256."""
        found: list[dict[str, Any]] = self.facts["files"]["listed"]
        return found

    @property
    def megabytes(self) -> float:
        return sum(file["bytes"] for file in self.listed) / 1e6

    @property
    def own(self) -> bool:
        return True

    @property
    def sha256(self) -> str:
        """One hash for all its files."""
        return content_key(sorted(file["sha256"] for file in self.listed))

    @property
    def digest(self) -> str:
        return self.sha256

    def verify(self, digest: str | None) -> None:
        """Refuse when a file is missing, or is not the one that was added."""
        for file in self.listed:
            path = self.file / file["path"]
            if not path.is_file():
                raise Refusal(f"Of {self.name} the file {path} is missing.")
            found = path.stat()
            if (found.st_size, found.st_mtime_ns) != (file["bytes"], file["changed"]):
                raise Refusal(
                    f"{path} has changed since {self.name} was added. Restore the old file, or "
                    "delete the model and take it in again."
                )
        super().verify(digest)


class CheckpointCard(FilesCard):
    """The card of an artist's own latent diffusion checkpoint."""

    @property
    def checkpoint(self) -> dict[str, Any]:
        """Results of its trial: device, drift of its VAE, most tokens, and so on."""
        found: dict[str, Any] = self.facts["checkpoint"]
        return found

    @property
    def digest(self) -> str:
        """Hash of its files, device, bits and libraries."""
        runs = TestedDevice.read(self.checkpoint["runs"])
        return content_key(self.sha256, runs.device, runs.dtype, runs.vae_dtype, runs.versions)


def _knots(pairs: list[list[float]]) -> tuple[tuple[float, float], ...]:
    return tuple((float(strength), float(value)) for strength, value in pairs)


@lru_cache(maxsize=32)
def _digest(file: Path, changed: int, *runs_on: str) -> str:
    content = hashlib.sha256(file.read_bytes())
    for name in runs_on:
        content.update(name.encode())
    return content.hexdigest()


def own_folder() -> Path | None:
    """Return the folder of artists' own models, if there is one."""
    named = os.environ.get("ENAMEL_MODELS")
    return Path(named) if named else None


def shipped_hashes() -> dict[str, str]:
    """Return the sha256 of each shipped network as it was exported, by the name of its file."""
    rows = (SHIPPED / "SHA256SUMS").read_text().splitlines()
    return {name: digest for digest, name in (row.split() for row in rows)}


def cards() -> list[Card]:
    """Return every available model: the shipped ones by name, then the artist's own."""
    shipped = Path(os.environ.get("ENAMEL_WEIGHTS", SHIPPED))
    own = own_folder()
    folders = [shipped, own] if own is not None and own.is_dir() else [shipped]
    paths = [path for folder in folders for path in _listed(folder, folder.stat().st_mtime_ns)]
    found = [read_card(path) for path in paths]
    return [entry for entry in found if entry is not None and entry.file.exists()]


@lru_cache(maxsize=8)
def _listed(folder: Path, changed: int) -> list[Path]:
    """Return the cards' files in a folder, by name. Cached until the folder changes."""
    return sorted(folder.glob("*.json"))


@lru_cache(maxsize=64)
def _card(path: Path, changed: int) -> Card | None:
    """Return the card in a file; when it can't be read, log that and return None."""
    try:
        facts = json.loads(path.read_text())
        entry = Card(str(facts["name"]), facts["kind"], path.with_suffix(".onnx"), facts)
        if "files" in facts:
            kind = CheckpointCard if entry.kind == "refiner" else FilesCard
            entry = kind(entry.name, entry.kind, Path(facts["files"]["folder"]), facts)
            _ = entry.digest, entry.megabytes
        if entry.kind == "refiner":
            entry.facts_as_spec("")
        elif entry.kind == "upscaler":
            int(facts["upscaler"]["radius"]), int(facts["factor"])
        return entry
    except (OSError, ValueError, TypeError, KeyError, RecursionError) as error:
        logger.warning("%s is no card of a model (%r); it is passed over", path, error)
        return None


def read_card(path: Path) -> Card | None:
    """Return the card in a file; None when it can't be read as one."""
    return _card(path, path.stat().st_mtime_ns)


def spec_of(refine: Refine) -> ModelSpec:
    """Return the spec of the refiner that a refinement names, without loading it."""
    spec = card(refine.model, "refiner").spec()
    if refine.kit is not None and refine.kit.guide:
        return replace(spec, holding=Holding.GUIDE)
    return spec


def card(name: str, kind: str) -> Card:
    """Return the card of that name and kind, or a `Refusal` that lists what there is."""
    known = [entry for entry in cards() if entry.kind == kind]
    for entry in known:
        if entry.name == name:
            return entry
    names = ", ".join(entry.name for entry in known) or "none"
    raise Refusal(f"There is no {kind} named {name!r}. Known: {names}.")
