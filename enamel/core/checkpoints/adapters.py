"""Apply low-rank adapters to a checkpoint's network and text encoders, by the library's loaders."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import Any

from enamel.core.checkpoints.folder import CheckpointContents
from enamel.core.errors import Refusal, plainly

OWN_NAMES = ("unet.", "transformer.", "text_encoder")
"""Prefixes of weights in the library's naming, by part."""
Weights = dict[str, Any]
"""Tensors by their names."""


@dataclass(frozen=True, slots=True)
class AdapterFile:
    """A low-rank adapter and its weight."""

    path: Path
    weight: float


def apply_adapters(
    parts: Mapping[str, Any], contents: CheckpointContents, adapters: Sequence[AdapterFile]
) -> None:
    """Apply adapters to the networks that they were made for, each with its weight.

    Parameters
    ----------
    parts : the denoiser and the text encoders, by their roles.

    Raises
    ------
    Refusal
        Names the file that was made for another kind of checkpoint, or does not fit.
    """
    diffusers = import_module("diffusers")
    kind = getattr(diffusers, contents.pipeline, None)
    counts: dict[str, dict[str, float]] = {role: {} for role in parts}
    for number, adapter in enumerate(adapters):
        name = f"adapter-{number}"
        try:
            for role in _apply_adapter(parts, contents.network.role, kind, adapter, name):
                counts[role][name] = adapter.weight
        except Refusal:
            raise
        except Exception as error:  # the libraries raise many kinds
            raise Refusal(
                f"{adapter.path.name} does not fit this checkpoint: {plainly(error, adapter.path)}"
            ) from None
    for role, weights in counts.items():
        if weights:
            diffusers.utils.set_weights_and_activate_adapters(
                parts[role], list(weights), list(weights.values())
            )


def _apply_adapter(
    parts: Mapping[str, Any], network: str, kind: Any, adapter: AdapterFile, name: str
) -> list[str]:
    """Apply one adapter, and return the parts that it changes.

    Training programs name weights differently; the loader of the checkpoint's kind knows these names.
    """
    weights: Weights = import_module("safetensors.torch").load_file(str(adapter.path))
    alphas: Mapping[str, float] | None = None
    if hasattr(kind, "lora_state_dict"):
        sizes = {"unet_config": parts[network].config} if network == "unet" else {}
        found = kind.lora_state_dict(weights, **sizes)
        weights, alphas = found if isinstance(found, tuple) else (found, None)
    if not any(key.startswith(OWN_NAMES) for key in weights):
        weights = {f"{network}.{key}": value for key, value in weights.items()}
    meant = [role for role in parts if any(key.startswith(f"{role}.") for key in weights)]
    if not meant:
        raise Refusal(
            f"{adapter.path.name} is an adapter for another kind of network than this {network}."
        )
    for role in meant:
        if role == network:
            parts[role].load_lora_adapter(
                weights, prefix=role, network_alphas=alphas, adapter_name=name
            )
        else:
            _onto_encoder(parts[role], _of(role, weights), _of(role, alphas or {}), name)
    return meant


def _of(role: str, named: Mapping[str, Any]) -> dict[str, Any]:
    """Return the tensors of one part, without the part's prefix."""
    start = f"{role}."
    return {key.removeprefix(start): one for key, one in named.items() if key.startswith(start)}


def _onto_encoder(encoder: Any, weights: Weights, alphas: Mapping[str, float], name: str) -> None:
    """Apply an adapter to a text encoder: A and B of each layer, and alpha; B·A is scaled by alpha ÷ rank
    (Hu et al., "LoRA", 2022, section 4.1); without one it counts fully.

    They are added to the layers directly: transformers' loader for them needs a version of peft that is
    not released yet.
    """
    peft = import_module("peft")
    weights = _renamed(weights, encoder)
    ranks = {
        key.partition(".lora_B.")[0]: value.shape[1]
        for key, value in weights.items()
        if ".lora_B." in key
    }
    # an alpha is named like the weights of its layer, and renamed with them
    named = _renamed({key.removesuffix(".alpha"): one for key, one in alphas.items()}, encoder)
    scales = {key.partition(".lora_A.")[0]: one for key, one in named.items()}
    config = peft.LoraConfig(
        target_modules=list(ranks), rank_pattern=ranks, alpha_pattern=ranks | scales,
        init_lora_weights=False,
    )  # fmt: skip
    peft.inject_adapter_in_model(config, encoder, name)
    found = peft.set_peft_model_state_dict(encoder, weights, name)
    if found.unexpected_keys:
        raise ValueError(f"the text encoder has no {found.unexpected_keys[0]}")
    encoder.eval().requires_grad_(False)


def _renamed(named: Mapping[str, Any], encoder: Any) -> dict[str, Any]:
    """Return the tensors of an encoder's layers, by the layers' present names."""
    if not named:
        return {}
    utils = import_module("diffusers.utils")
    today = utils.convert_state_dict_to_peft(utils.convert_state_dict_to_diffusers(dict(named)))
    inside = "" if hasattr(encoder, "text_model") else "text_model."
    return {key.removeprefix(inside): one for key, one in today.items()}
