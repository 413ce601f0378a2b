"""Add checkpoints, adapters, structure guides and VAEs: they are examined, tested, and listed with a card.

Their files stay where they are. A checkpoint is tested in a sandbox with limits on time and memory.
"""

import json
import os
import shutil
from importlib import import_module
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from enamel.core.checkpoints import devices, probe
from enamel.core.checkpoints.folder import INDEX, CheckpointContents, Part, contents_of, part_of
from enamel.core.checkpoints.tensors import ENDING, weights_in
from enamel.core.errors import Refusal
from enamel.core.files import hash_of, whole_file
from enamel.core.limited import answer, answer_of, bound_memory
from enamel.core.networks.cards import FilesCard, cards, own_folder, read_card
from enamel.core.networks.names import check_name

SECONDS = 900
SPARE_BYTES = 16 * 2**30
"""Address space for the libraries and a tile, in addition to three times the weights."""
LARGEST_BYTES = 200 * 10**9


def add_model(path: Path, name: str, *, summary: str = "", licence: str = "") -> FilesCard:
    """Examine and test a file or folder, and add a card to the models.

    Parameters
    ----------
    path : folder of a checkpoint, a guide or a VAE, or an adapter's file.
    name : its name in schedules: 2 to 40 lower-case letters, digits and hyphens, not in use yet.

    Raises
    ------
    Refusal
        When it can't be used, with the reason part by part; nothing is kept then.
    """
    folder = own_folder()
    if folder is None:
        raise Refusal("There is no folder for own models; ENAMEL_MODELS has to name one.")
    devices.require_installed()
    check_name(name)
    path = path.expanduser().resolve()
    facts = {
        "name": name,
        "summary": summary,
        "licence": licence,
        "factor": None,
        **_facts(path, name),
    }
    file = folder / f"{name}.json"
    with whole_file(file) as partial:
        partial.write_text(json.dumps(facts, indent=2, ensure_ascii=False) + "\n")
    entry = read_card(file)
    assert isinstance(entry, FilesCard)
    return entry


def is_checkpoint_path(path: Path) -> bool:
    """Return whether a path is a checkpoint or part of one, and not an ONNX file."""
    return path.is_dir() or path.suffix == ENDING


def delete(entry: FilesCard) -> None:
    """Remove something from the list; its files stay."""
    vocabulary = vocabulary_of(entry.name)
    vocabulary.with_suffix(".json").unlink(missing_ok=True)
    vocabulary.unlink(missing_ok=True)


def checkpoints_folder() -> Path | None:
    """Return the folder of files to be added from the page, if there is one."""
    named = os.environ.get("ENAMEL_CHECKPOINTS")
    return Path(named) if named else None


def waiting() -> list[Path]:
    """Checkpoints, adapters, guides and VAEs in the artists' folder that were not added yet."""
    folder = checkpoints_folder()
    if folder is None or not folder.is_dir():
        return []
    known = {
        (entry.file / entry.listed[0]["path"] if entry.kind == "adapter" else entry.file)
        for entry in cards()
        if isinstance(entry, FilesCard)
    }
    found = sorted(path.resolve() for path in folder.iterdir() if not path.name.startswith("."))
    return [path for path in found if is_checkpoint_path(path) and path not in known]


def vocabulary_of(name: str) -> Path:
    """Return where the vocabulary of a checkpoint's first text encoder is kept, to count tokens by."""
    folder = own_folder()
    assert folder is not None
    return folder / f"{name}.vocabulary"


def _facts(path: Path, name: str) -> dict[str, Any]:
    """Return kind and files of what is in a path, and the measurements of a checkpoint."""
    if not path.exists():
        raise Refusal(f"There is nothing at {path}.")
    if path.is_file():
        return {"kind": "adapter", "files": _listed(path.parent, [_adapter(path)])}
    if (path / INDEX).is_file():
        contents = contents_of(path)
        size = weight_of(contents)
        if size > LARGEST_BYTES:
            raise Refusal(
                f"Its weights have {size / 1e9:.0f} GB; "
                f"at most {LARGEST_BYTES / 1e9:.0f} are taken."
            )
        with TemporaryDirectory(prefix="enamel-checkpoint-") as folder:
            vocabulary = Path(folder) / "vocabulary"
            found = answer_of(
                "enamel.core.checkpoints.intake", str(path), str(vocabulary),
                seconds=SECONDS, thing="checkpoint", readable=[path], writable=[Path(folder)],
            )  # fmt: skip
            with whole_file(vocabulary_of(name)) as partial:
                shutil.copyfile(vocabulary, partial)
        refiner = found.pop("refiner")
        parts = [_part_facts(part) for part in contents.parts]
        return {
            "kind": "refiner",
            "files": _listed(path, probe.files_of(contents, path)),
            "checkpoint": {**found, "parts": parts, "scheduler": dict(contents.scheduler)},
            "refiner": refiner,
        }
    part = part_of(path, "part")
    kind = "vae" if part.kind.startswith("Autoencoder") else "guide"
    if kind == "guide" and "conditioning_channels" not in part.config:
        raise Refusal(
            f"This is a {part.kind}: neither a checkpoint (a folder with {INDEX}), nor a VAE, nor a "
            "structure guide."
        )
    files = [file.path for file in part.weights] + [path / "config.json"]
    return {"kind": kind, "files": _listed(path, files), "part": _part_facts(part)}


def _adapter(path: Path) -> Path:
    """Return the facts about a low-rank adapter's file."""
    if path.suffix != ENDING:
        raise Refusal(
            f"{path.name} is no safetensors file. A checkpoint is a folder with {INDEX}; an adapter is a "
            f"file that ends in {ENDING}."
        )
    found = weights_in(path)
    if not any("lora" in name.lower() for name in found.shapes):
        raise Refusal(
            f"{path.name} holds no low-rank adapter. If it is a checkpoint in a single file, put it into the "
            f"folder of its configurations, beside {INDEX}, and choose that folder."
        )
    return path


def _part_facts(part: Part) -> dict[str, Any]:
    dtypes = sorted(set().union(*(file.dtypes for file in part.weights)))
    return {
        "role": part.role,
        "class": part.kind,
        "parameters": part.parameters,
        "bytes": part.bytes,
        "dtypes": dtypes,
    }


def _listed(folder: Path, files: list[Path]) -> dict[str, Any]:
    listed = []
    for file in files:
        found = file.stat()
        listed.append({
            "path": str(file.relative_to(folder)),
            "bytes": found.st_size,
            "changed": found.st_mtime_ns,
            "sha256": hash_of(file),
        })  # fmt: skip
    return {"folder": str(folder), "listed": listed}


def weight_of(contents: CheckpointContents) -> int:
    """Return bytes of all weights."""
    alone = contents.single.bytes if contents.single else 0
    return alone + sum(part.bytes for part in contents.parts)


def tried(path: Path, vocabulary: Path) -> dict[str, Any]:
    """Measure a checkpoint in this process; its vocabulary is written to a file."""
    contents = contents_of(path)
    if devices.found(import_module("torch")) == "cpu":
        # a graphics driver reserves more addresses than any bound would allow
        bound_memory(3 * weight_of(contents) + SPARE_BYTES)
    found = probe.measured(contents)
    with whole_file(vocabulary) as partial:
        partial.write_text(found.pop("vocabulary"))
    return found


if __name__ == "__main__":
    answer(lambda arguments, on_progress: tried(*map(Path, arguments)), SECONDS, memory=None)
