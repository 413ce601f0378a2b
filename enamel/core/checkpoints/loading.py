"""Load checkpoints: from the disk only, one at a time, released when another is needed.

Nothing is downloaded: the libraries are set to offline before they are imported, and every loader reads
local safetensors files only and runs no code of the checkpoint.
"""

import os
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from importlib import import_module
from pathlib import Path
from threading import RLock
from typing import Any

from enamel.core.checkpoints.adapters import AdapterFile, apply_adapters
from enamel.core.checkpoints.devices import TestedDevice, emptied, require_installed
from enamel.core.checkpoints.folder import CheckpointContents, Part, variant_of
from enamel.core.errors import Refusal, plainly

OFFLINE = {
    "HF_HUB_OFFLINE": "1",
    "TRANSFORMERS_OFFLINE": "1",
    "HF_DATASETS_OFFLINE": "1",
    "HF_HUB_DISABLE_TELEMETRY": "1",
    "TOKENIZERS_PARALLELISM": "false",
}


@dataclass(slots=True)
class Loaded:
    """A checkpoint's loaded parts."""

    contents: CheckpointContents
    runs: TestedDevice
    network: Any
    vae: Any
    encoders: tuple[Any, ...]
    tokenizers: tuple[Any, ...]
    guide: Any = None
    words: dict[tuple[str, bool], Any] = field(default_factory=dict)
    """Encoded prompts, by text and whether they are negative."""


def libraries() -> tuple[Any, Any, Any]:
    """Return torch, diffusers and transformers, set to offline."""
    require_installed()
    os.environ.update(OFFLINE)
    torch, diffusers, transformers = map(import_module, ("torch", "diffusers", "transformers"))
    diffusers.utils.logging.set_verbosity_error()
    transformers.logging.set_verbosity_error()
    diffusers.utils.logging.disable_progress_bar()
    with suppress(AttributeError):
        transformers.utils.logging.disable_progress_bar()
    threads = int(os.environ.get("ENAMEL_THREADS", "0"))
    if threads:
        torch.set_num_threads(threads)
    return torch, diffusers, transformers


def loaded(
    contents: CheckpointContents,
    runs: TestedDevice,
    *,
    adapters: tuple[AdapterFile, ...] = (),
    guide: Part | None = None,
) -> Loaded:
    """Return all parts of a checkpoint, on their device.

    Raises
    ------
    Refusal
        Names the part that can't be loaded.
    """
    torch, diffusers, transformers = libraries()
    if contents.single is None:
        network, vae, *encoders = (
            part(one, runs, runs.vae_dtype if one.role == "vae" else runs.dtype)
            for one in contents.parts
        )
    else:
        network, vae, *encoders = _from_single_file(contents, runs, diffusers)
    vae = vae.to(getattr(torch, runs.vae_dtype))
    roles = (contents.network.role, *(one.role for one in contents.encoders))
    apply_adapters(dict(zip(roles, (network, *encoders), strict=True)), contents, adapters)
    tokenizers = tuple(_tokenizer(transformers, folder) for folder in contents.tokenizers)
    guiding = part(guide, runs, runs.dtype) if guide else None
    if runs.offload:
        _share_device([*encoders, network, vae], runs.device)
    return Loaded(contents, runs, network, vae, tuple(encoders), tokenizers, guiding)


def _share_device(networks: list[Any], device: str) -> None:
    """Move each network to the device when it is used, and the previous one away."""
    accelerate = import_module("accelerate")
    hook = None
    for network in networks:
        _, hook = accelerate.cpu_offload_with_hook(network, device, hook)


def _placed(network: Any, runs: TestedDevice) -> Any:
    """Return a network in evaluation, on the device unless they take turns there."""
    return network.to("cpu" if runs.offload else runs.device).eval().requires_grad_(False)


def _from_single_file(
    contents: CheckpointContents, runs: TestedDevice, diffusers: Any
) -> list[Any]:
    """Return the networks in a single file, by the library's loader for such files."""
    assert contents.single is not None
    path, folder = contents.single.path, contents.network.folder.parent
    kind = getattr(diffusers, contents.pipeline, None)
    if not hasattr(kind, "from_single_file"):
        raise Refusal(
            f"The library has no loader for single files of the kind {contents.pipeline!r} that the index "
            "names. Ask for the checkpoint as a folder of parts."
        )
    try:
        whole = kind.from_single_file(  # type: ignore[union-attr]
            str(path),
            config=str(folder),
            local_files_only=True,
            torch_dtype=getattr(import_module("torch"), runs.dtype),
        )
    except Exception as error:  # the library raises many kinds
        raise Refusal(
            f"{path.name} can't be taken apart by the configurations beside it: {plainly(error, path)}"
        ) from None
    return [_placed(getattr(whole, one.role), runs) for one in contents.parts]


def part(one: Part, runs: TestedDevice, dtype: str) -> Any:
    """Return a part's network, in evaluation, on its device."""
    torch = import_module("torch")
    library = import_module(one.library)
    kind = getattr(library, one.kind, None)
    if not (isinstance(kind, type) and issubclass(kind, torch.nn.Module)):
        raise Refusal(
            f"Its part {one.role} is of a class, {one.kind}, that {one.library} here has not."
        )
    try:
        network = kind.from_pretrained(  # type: ignore[attr-defined]
            str(one.folder),
            local_files_only=True,
            use_safetensors=True,
            variant=variant_of(one),
            torch_dtype=getattr(torch, dtype),
        )
    except Exception as error:  # the libraries raise many kinds
        raise Refusal(
            f"Its part {one.role} can't be loaded: {plainly(error, one.folder)}"
        ) from None
    return _placed(network, runs)


def _tokenizer(transformers: Any, folder: Path) -> Any:
    try:
        return transformers.AutoTokenizer.from_pretrained(
            str(folder), local_files_only=True, trust_remote_code=False
        )
    except Exception as error:  # the library raises many kinds
        raise Refusal(f"Its part {folder.name} can't be loaded: {plainly(error, folder)}") from None


_kept: dict[tuple[str, str], Loaded] = {}
_used = 0.0
_lock = RLock()


def kept(name: str, digest: str, load: Callable[[], Loaded]) -> Loaded:
    """Return a checkpoint with its kit: the one in memory, else it is loaded in its place."""
    global _used
    with _lock:
        key = (name, digest)
        if key not in _kept:
            release()
            _kept[key] = load()
        _used = time.monotonic()
        return _kept[key]


def loaded_name() -> str | None:
    """Return the name of the checkpoint in memory, if there is one."""
    return next((name for name, _ in _kept), None)


def release(unused_for: float = 0.0) -> bool:
    """Evict the checkpoint in memory if it was not used for this long; return whether it was evicted."""
    with _lock:
        if not _kept or time.monotonic() - _used < unused_for:
            return False
        device = next(iter(_kept.values())).runs.device
        _kept.clear()
        emptied(import_module("torch"), device)
        return True
