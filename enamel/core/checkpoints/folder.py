"""Examine the folder of a checkpoint: its parts, and reasons why it can't be used.

A checkpoint is a folder with ``model_index.json``, which names a class for each part, and a folder for
each part with its configuration and weights. Everything is read as text and numbers: nothing is loaded,
run or downloaded.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from enamel.core.checkpoints.tensors import ENDING, Weights, weights_in
from enamel.core.errors import Refusal
from enamel.core.jsontext import read_json

INDEX = "model_index.json"
PICKLED = (".bin", ".ckpt", ".pt", ".pth", ".pkl", ".msgpack", ".h5")
LIBRARIES = ("diffusers", "transformers")
NETWORKS = ("unet", "transformer")
"""Names of the part that removes noise."""
ENCODERS = ("text_encoder", "text_encoder_2", "text_encoder_3")
LEFT_OUT = ("safety_checker", "feature_extractor", "image_encoder", "watermarker")
"""Parts that refining does not need."""
LARGEST_CONFIG = 2**20


@dataclass(frozen=True, slots=True)
class Part:
    """A part of a checkpoint: class, library and folder."""

    role: str
    """``unet``, ``transformer``, ``vae``, ``text_encoder`` …, or the kind of a separate part."""
    library: str
    kind: str
    """Name of its class."""
    folder: Path
    config: Mapping[str, Any]
    weights: tuple[Weights, ...] = ()

    @property
    def bytes(self) -> int:
        return sum(file.bytes for file in self.weights)

    @property
    def parameters(self) -> int:
        return sum(file.parameters for file in self.weights)


@dataclass(frozen=True, slots=True)
class CheckpointContents:
    """The parts of a checkpoint that refining needs."""

    network: Part
    vae: Part
    encoders: tuple[Part, ...]
    scheduler: Mapping[str, Any]
    tokenizers: tuple[Path, ...]
    empty_is_nothing: bool = False
    """Whether guidance moves away from zeros where there is no negative prompt."""
    single: Weights | None = None
    """The file with the weights of all parts, where they have no separate ones."""
    pipeline: str = ""
    """The library's class that loads such a file."""

    @property
    def parts(self) -> tuple[Part, ...]:
        """The parts that are networks."""
        return (self.network, self.vae, *self.encoders)


def contents_of(folder: Path) -> CheckpointContents:
    """Return the parts of a checkpoint in the library's folder layout.

    Raises
    ------
    Refusal
        Names the part that is missing, pickled, truncated, or needs its own code.
    """
    index = _json(folder / INDEX, "It is no folder of a checkpoint")
    if isinstance(index.get("_class_name"), list):
        raise Refusal(
            f"{INDEX} asks for a pipeline with its own code. Enamel runs no code from a checkpoint; "
            "take one that the library's own classes can load."
        )
    named = {
        role: entry
        for role, entry in index.items()
        if isinstance(entry, list) and len(entry) == 2 and all(entry) and role not in LEFT_OUT
    }
    for role, (library, _) in named.items():
        if library not in LIBRARIES:
            raise Refusal(
                f"Its part {role} comes from {library!r}, with its own code. Enamel runs no code from a "
                "checkpoint; take one whose parts are all the libraries' own."
            )
    network = next((role for role in NETWORKS if role in named), None)
    if network is None:
        raise Refusal(f"{INDEX} names no network that takes noise away (unet or transformer).")
    if "vae" not in named:
        raise Refusal(f"{INDEX} names no vae, so there is no way from pixels to latents and back.")
    if "scheduler" not in named:
        raise Refusal(f"{INDEX} names no scheduler, so its noise levels are not known.")
    encoders = [role for role in ENCODERS if role in named]
    single = _single(folder)
    tokenizers = [folder / role.replace("text_encoder", "tokenizer") for role in encoders]
    for tokenizer in tokenizers:
        _check_tokenizer(tokenizer)
    scheduler = folder / "scheduler" / "scheduler_config.json"

    def part(role: str) -> Part:
        return part_of(folder / role, role, *named[role], weighty=single is None)

    return CheckpointContents(
        part(network),
        part("vae"),
        tuple(part(role) for role in encoders),
        _json(scheduler, "Its part scheduler can't be used"),
        tuple(tokenizers),
        bool(index.get("force_zeros_for_empty_prompt", False)),
        single,
        str(index.get("_class_name", "")),
    )


def _single(folder: Path) -> Weights | None:
    """Return the file beside the index with all weights, where there is exactly one."""
    found = sorted(folder.glob(f"*{ENDING}"))
    if len(found) > 1:
        raise Refusal(
            f"Beside {INDEX} lie {len(found)} files with weights, {found[0].name} among them. Leave the one "
            "that the configurations are for."
        )
    return weights_in(found[0]) if found else None


def part_of(
    folder: Path,
    role: str,
    library: str = "diffusers",
    kind: str = "",
    *,
    weighty: bool = True,
) -> Part:
    """Return a part in a separate folder, with its weights' headers read.

    Parameters
    ----------
    kind : its class; taken from its configuration when left out.
    weighty : whether it must have its own weights.
    """
    config = _json(folder / "config.json", f"Its part {role} can't be used")
    if "auto_map" in config or config.get("trust_remote_code"):
        raise Refusal(
            f"Its part {role} asks for its own code. Enamel runs no code from a checkpoint; take one "
            "that the library's own classes can load."
        )
    kind = kind or str(config.get("_class_name", ""))
    if not kind.isidentifier():
        raise Refusal(f"The configuration of {role} does not say of which class it is.")
    weights = weights_of(folder, role) if weighty else ()
    return Part(role, library, kind, folder, config, weights)


def weights_of(folder: Path, role: str) -> tuple[Weights, ...]:
    """Return the safetensors files of a part: one, or several with an index."""
    indices = sorted(folder.glob(f"*{ENDING}.index.json"))
    if indices:
        placed = _json(indices[0], f"Its part {role} can't be used").get("weight_map", {})
        names = sorted({str(name) for name in placed.values()})
    else:
        names = [path.name for path in sorted(folder.glob(f"*{ENDING}"))]
        plain = [name for name in names if name.count(".") == 1]
        names = plain[:1] or names[:1]  # preferably without a variant in its name
    missing = [name for name in names if "/" in name or not (folder / name).is_file()]
    if missing:
        raise Refusal(f"Of its part {role} the file {missing[0]} is missing.")
    if not names:
        pickled = [path.name for path in sorted(folder.iterdir()) if path.suffix in PICKLED]
        if pickled:
            raise Refusal(
                f"The weights of its part {role} are pickled ({pickled[0]}): loading them could run "
                "anything. Ask for the safetensors form, or convert them on a machine that you can lose."
            )
        raise Refusal(f"Its part {role} has no weights ({ENDING}).")
    return tuple(weights_in(folder / name) for name in names)


def variant_of(part: Part) -> str | None:
    """Return the variant in the names of a part's files, such as ``fp16``; None for plain names."""
    pieces = part.weights[0].path.name.split(".")
    return pieces[1] if len(pieces) > 2 and not part.weights[1:] else None


def _check_tokenizer(folder: Path) -> None:
    known = ("vocab.json", "tokenizer.json", "spiece.model")
    found = [folder / name for name in known if (folder / name).is_file()]
    if not found or found[0].stat().st_size < 3:
        raise Refusal(
            f"Its part {folder.name} has no vocabulary ({', '.join(known)}), so no words can be read."
        )


def _json(path: Path, consequence: str) -> dict[str, Any]:
    """Return a configuration file; a `Refusal` that begins with the consequence when there is none."""
    if not path.is_file():
        raise Refusal(f"{consequence}: {path.parent.name}/{path.name} is missing.")
    if path.stat().st_size > LARGEST_CONFIG * (16 if path.name.endswith(".index.json") else 1):
        raise Refusal(f"{consequence}: {path.parent.name}/{path.name} is too large for what it is.")
    try:
        found = read_json(path.read_bytes(), most=path.stat().st_size)
    except Refusal:
        found = None
    if not isinstance(found, dict):
        raise Refusal(f"{consequence}: {path.parent.name}/{path.name} is not a JSON object.")
    return found
