"""Where a checkpoint runs, and in how many bits. Needs no torch to be asked what was found before."""

import gc
import os
from dataclasses import dataclass
from functools import cache
from importlib import metadata
from importlib.metadata import PackageNotFoundError
from typing import Any

from enamel.core.errors import Refusal

EXTRA = ("torch", "diffusers", "transformers", "accelerate", "peft", "safetensors")
KINDS = ("cuda", "xpu", "mps", "cpu")
"""In the order they are wanted."""
HALF = {"cuda": "float16", "xpu": "float16", "mps": "float16", "cpu": "float32"}
WITHOUT = (
    "This needs the extra for checkpoints, which is not installed. Run bin/setup --checkpoints, then "
    "start Enamel again."
)


@dataclass(frozen=True, slots=True)
class Runs:
    """What a checkpoint was tried on; its pixels are the same only on the same."""

    device: str
    dtype: str
    """Of the network; the VAE has 32 bits where these overflow it."""
    vae_dtype: str
    versions: str
    """Of the libraries, as in ``torch 2.13.0, diffusers 0.42.1``."""
    offload: bool = False
    """Whether only the part in use is on the device, because all parts together do not fit."""

    @classmethod
    def read(cls, facts: dict[str, Any]) -> "Runs":
        """As a card has it, with the libraries as they are now."""
        offload = bool(facts.get("offload", False))
        return cls(facts["device"], facts["dtype"], facts["vae_dtype"], versions(), offload)


@cache
def version(name: str) -> str:
    """Of a package, looked up on the disk once; every digest asks for some."""
    return metadata.version(name)


def installed() -> bool:
    """Return whether everything of the extra is there."""
    try:
        return all(version(name) for name in EXTRA)
    except PackageNotFoundError:
        return False


def versions() -> str:
    """Of the libraries that decide about pixels; empty when they are not installed."""
    if not installed():
        return ""
    return ", ".join(f"{name} {version(name)}" for name in ("torch", "diffusers", "transformers"))


def for_processors_only() -> bool:
    """Return whether the build of torch that is here knows no graphics cards."""
    return installed() and version("torch").endswith("+cpu")


def emptied(torch: Any, device: str) -> None:
    """Give back what the libraries keep of a device's memory for speed."""
    gc.collect()
    if device != "cpu":
        getattr(torch, device).empty_cache()


def require_installed() -> None:
    """Refuse, with the way to get it, when the extra is not there."""
    if not installed():
        raise Refusal(WITHOUT)


def named() -> str | None:
    """Return the kind of device that ``ENAMEL_DEVICE`` names, where it is one that checkpoints run on."""
    asked = os.environ.get("ENAMEL_DEVICE", "").lower().split(":")[0]
    return asked if asked in KINDS else None


def found(torch: Any) -> str:
    """Return the device to use: as named, else the best there is.

    Raises
    ------
    Refusal
        When the one that ``ENAMEL_DEVICE`` names is not there.
    """
    there = {
        "cuda": torch.cuda.is_available,
        "xpu": lambda: hasattr(torch, "xpu") and torch.xpu.is_available(),
        "mps": torch.backends.mps.is_available,
        "cpu": lambda: True,
    }
    asked = named()
    if asked is not None and not there[asked]():
        raise Refusal(
            f"ENAMEL_DEVICE names {asked}, and this build of torch finds none here. Unset it, or install "
            "the build for this card."
        )
    return asked or next(kind for kind in KINDS if there[kind]())
