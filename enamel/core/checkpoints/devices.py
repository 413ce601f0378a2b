"""Devices that checkpoints run on, and their precision. Reading an earlier result does not need torch."""

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
"""Kinds of devices, the preferred first."""
HALF = {"cuda": "float16", "xpu": "float16", "mps": "float16", "cpu": "float32"}
WITHOUT = (
    "This needs the extra for checkpoints, which is not installed. Run bin/setup --checkpoints, then "
    "start Enamel again."
)


@dataclass(frozen=True, slots=True)
class TestedDevice:
    """The device that a checkpoint was tested on; pixels are the same only on the same one."""

    device: str
    dtype: str
    """Precision of the network; the VAE has 32 bits where it would overflow."""
    vae_dtype: str
    versions: str
    """Versions of the libraries, as in ``torch 2.13.0, diffusers 0.42.1``."""
    offload: bool = False
    """Whether only the part in use is on the device, because all parts together do not fit."""

    @classmethod
    def read(cls, facts: dict[str, Any]) -> "TestedDevice":
        """Return a card's device, with the present versions of the libraries."""
        offload = bool(facts.get("offload", False))
        return cls(facts["device"], facts["dtype"], facts["vae_dtype"], versions(), offload)


@cache
def version(name: str) -> str:
    """Return the version of a package. Cached, because every digest needs some."""
    return metadata.version(name)


def installed() -> bool:
    """Return whether all packages of the extra are installed."""
    try:
        return all(version(name) for name in EXTRA)
    except PackageNotFoundError:
        return False


def versions() -> str:
    """Return the versions of the libraries that determine pixels; empty when they are not installed."""
    if not installed():
        return ""
    return ", ".join(f"{name} {version(name)}" for name in ("torch", "diffusers", "transformers"))


def for_processors_only() -> bool:
    """Return whether the installed build of torch supports no graphics cards."""
    return installed() and version("torch").endswith("+cpu")


def emptied(torch: Any, device: str) -> None:
    """Release the device memory that the libraries cache."""
    gc.collect()
    if device != "cpu":
        getattr(torch, device).empty_cache()


def require_installed() -> None:
    """Refuse when the extra is not installed, and say how to install it."""
    if not installed():
        raise Refusal(WITHOUT)


def named() -> str | None:
    """Return the kind of device that ``ENAMEL_DEVICE`` names, where it is one that checkpoints run on."""
    asked = os.environ.get("ENAMEL_DEVICE", "").lower().split(":")[0]
    return asked if asked in KINDS else None


def found(torch: Any) -> str:
    """Return the device to use: the named one, else the best available.

    Raises
    ------
    Refusal
        When the one that ``ENAMEL_DEVICE`` names is not available.
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
