"""Tiny latent diffusion checkpoints with random weights, in the library's own folder layout.

Tens of thousands of weights and a toy vocabulary: made when tests ask for them, never committed.
"""

import inspect
import json
import re
from collections import OrderedDict
from pathlib import Path
from typing import Any

import diffusers
import torch
from diffusers import AutoencoderKL, AutoencoderTiny, UNet2DConditionModel
from diffusers.models.transformers.transformer_sd3 import SD3Transformer2DModel
from diffusers.pipelines import auto_pipeline
from transformers import (
    CLIPTextConfig,
    CLIPTextModel,
    CLIPTextModelWithProjection,
    T5Config,
    T5EncoderModel,
    T5Tokenizer,
)

FACTOR = 4
WIDTH = 32
SCHEDULER = {
    "num_train_timesteps": 1000,
    "beta_start": 0.00085,
    "beta_end": 0.012,
    "beta_schedule": "scaled_linear",
    "steps_offset": 1,
}
START, END = "<|startoftext|>", "<|endoftext|>"


def built(
    folder: Path,
    *,
    network: str = "unet",
    predicts: str = "epsilon",
    encoders: int = 1,
    vae: str = "whole",
    seed: int = 0,
    wider: int = 1,
) -> Path:
    """A checkpoint in a folder.

    Parameters
    ----------
    network : ``unet`` or ``transformer``; the latter predicts flow and wants two or three encoders.
    predicts : of a U-Net: ``epsilon`` or ``v_prediction``.
    vae : ``whole``, with attention over its tile and four channels, or ``near``, without and with three.
    wider : how many times as many features a U-Net has, for one that takes some time.
    """
    torch.manual_seed(seed)
    channels = 4 if vae == "whole" else 3
    parts: dict[str, Any] = {"vae": _vae(vae)}
    if network == "unet":
        parts["unet"] = _unet(channels, encoders, wider)
        scheduler = {
            "_class_name": "EulerDiscreteScheduler",
            "prediction_type": predicts,
            **SCHEDULER,
        }
    else:
        parts["transformer"] = _transformer(channels)
        scheduler = {"_class_name": "FlowMatchEulerDiscreteScheduler", "shift": 3.0}
    for number in range(encoders):
        role = "text_encoder" + ("" if number == 0 else f"_{number + 1}")
        place = folder / role.replace("text_encoder", "tokenizer")
        if number == 2:
            parts[role] = _third_encoder()
            third_tokenizer(place)
        else:
            parts[role] = _encoder(number > 0 or network == "transformer")
            tokenizer(place)
    index: dict[str, Any] = {
        role: [type(part).__module__.split(".")[0], type(part).__name__]
        for role, part in parts.items()
    }
    index["scheduler"] = ["diffusers", scheduler["_class_name"]]
    for number in range(encoders):
        role = "tokenizer" + ("" if number == 0 else f"_{number + 1}")
        index[role] = ["transformers", "CLIPTokenizer" if number < 2 else "T5Tokenizer"]
    if (
        network == "transformer" and encoders == 2
    ):  # the library names the third encoder, which may be left out
        index |= {"text_encoder_3": [None, None], "tokenizer_3": [None, None]}
    index["_class_name"] = pipeline_for(set(index), parts[network], picture=False).__name__
    for role, part in parts.items():
        part.save_pretrained(folder / role, safe_serialization=True)
    (folder / "scheduler").mkdir()
    (folder / "scheduler" / "scheduler_config.json").write_text(json.dumps(scheduler))
    (folder / "model_index.json").write_text(json.dumps(index))
    return folder


def pipeline_for(roles: set[str], network: Any, *, picture: bool = True) -> Any:
    """The library's pipeline, starting from a picture or from words, that takes just these parts."""
    for kind in kinds_of_pipelines():
        asked = set(inspect.signature(kind.__call__).parameters)
        masked = asked & {"mask_image", "control_image"}
        if masked or picture != ({"image", "strength"} <= asked):
            continue
        takes = dict(inspect.signature(kind.__init__).parameters)
        takes.pop("self")
        if type(network) not in (one.annotation for one in takes.values()):
            continue
        optional = {*kind._optional_components, "safety_checker", "feature_extractor"}
        optional |= {"text_encoder_3", "tokenizer_3"}
        needed = {
            name
            for name, one in takes.items()
            if one.default is inspect.Parameter.empty and name not in optional
        }
        if needed <= roles <= set(takes) | {"_class_name"}:
            return kind
    raise LookupError(roles)


def kinds_of_pipelines() -> list[Any]:
    """Every pipeline that the library chooses from by itself."""
    maps = [found for found in vars(auto_pipeline).values() if isinstance(found, OrderedDict)]
    return list(dict.fromkeys(kind for found in maps for kind in found.values()))


def guide(folder: Path, unet: Any, seed: int = 5) -> Path:
    """A structure guide for a U-Net, in a separate folder; its last layers are not zero, so it says
    something."""
    torch.manual_seed(seed)
    # the library's plain kind of such a network has the shortest name of all that end like it
    names = [name for name in diffusers._import_structure["models"] if name.endswith("rolNetModel")]
    kind = getattr(diffusers, min(names, key=len))
    made = kind.from_unet(unet, conditioning_channels=3)
    for parameter in made.parameters():
        if float(parameter.detach().abs().sum()) == 0:
            torch.nn.init.normal_(parameter, std=0.05)
    made.save_pretrained(folder, safe_serialization=True)
    return folder


def adapter(path: Path, network: Any, role: str = "unet", seed: int = 6) -> Path:
    """A low-rank adapter for the attention of a U-Net or a text encoder, in the library's naming."""
    from peft import LoraConfig, inject_adapter_in_model
    from peft.utils import get_peft_model_state_dict
    from safetensors.torch import save_file

    torch.manual_seed(seed)
    layers = ["to_q", "to_v"] if role == "unet" else ["q_proj", "k_proj", "v_proj", "out_proj"]
    config = LoraConfig(r=2, lora_alpha=2, target_modules=layers, init_lora_weights=False)
    inject_adapter_in_model(config, network)
    weights = get_peft_model_state_dict(network, adapter_name="default")
    save_file({f"{role}.{name}": one.contiguous() for name, one in weights.items()}, path)
    return path


def as_trainers_name(path: Path, target: Path) -> Path:
    """An adapter's weights called as most trainers call them, each layer with its scale beside it."""
    from safetensors.torch import load_file, save_file

    named = {}
    for key, value in load_file(path).items():
        role, _, rest = key.partition(".")
        layer, _, which = rest.removesuffix(".weight").rpartition(".lora_")
        called = f"lora_{'te' if role == 'text_encoder' else role}_{layer.replace('.', '_')}"
        named[f"{called}.lora_{'down' if which == 'A' else 'up'}.weight"] = value
        named[f"{called}.alpha"] = torch.tensor(2.0)
    save_file(named, target)
    return target


def tokenizer(folder: Path) -> Path:
    """A toy vocabulary: letters, letters that end a word, and two words."""
    folder.mkdir(parents=True)
    letters = [chr(code) for code in range(33, 127)]
    words = [*letters, *(f"{letter}</w>" for letter in letters), "th", "the</w>", START, END]
    (folder / "vocab.json").write_text(
        json.dumps({word: place for place, word in enumerate(words)})
    )
    (folder / "merges.txt").write_text("#version: 0.2\nt h\nth e</w>\n")
    config = {
        "tokenizer_class": "CLIPTokenizer", "model_max_length": 77, "bos_token": START,
        "eos_token": END, "pad_token": END, "unk_token": END,
    }  # fmt: skip
    (folder / "tokenizer_config.json").write_text(json.dumps(config))
    return folder


def third_tokenizer(folder: Path) -> Path:
    """A toy vocabulary of pieces, one of them a word."""
    letters = [(chr(code), -3.0) for code in range(33, 127)]
    pieces = [
        ("<pad>", 0.0),
        ("</s>", 0.0),
        ("<unk>", -10.0),
        ("▁", -2.0),
        *letters,
        ("▁the", -1.0),
    ]
    T5Tokenizer(vocab=pieces, extra_ids=0).save_pretrained(folder)
    return folder


def _third_encoder() -> Any:
    return T5EncoderModel(
        T5Config(
            vocab_size=128, d_model=2 * WIDTH, d_kv=16, d_ff=64, num_layers=1, num_heads=4,
            decoder_start_token_id=0,
        )
    )  # fmt: skip


def _encoder(projecting: bool) -> Any:
    config = CLIPTextConfig(
        vocab_size=192, hidden_size=WIDTH, intermediate_size=64, num_hidden_layers=2,
        num_attention_heads=2, max_position_embeddings=77, projection_dim=WIDTH,
        bos_token_id=190, eos_token_id=191, pad_token_id=191,
    )  # fmt: skip
    return CLIPTextModelWithProjection(config) if projecting else CLIPTextModel(config)


def _vae(kind: str) -> Any:
    if kind == "near":
        return AutoencoderTiny(
            encoder_block_out_channels=(8, 8, 8), decoder_block_out_channels=(8, 8, 8),
            num_encoder_blocks=(1, 1, 1), num_decoder_blocks=(1, 1, 1), latent_channels=3,
        )  # fmt: skip
    return AutoencoderKL(
        block_out_channels=(8, 16, 16), down_block_types=("DownEncoderBlock2D",) * 3,
        up_block_types=("UpDecoderBlock2D",) * 3, latent_channels=4, norm_num_groups=4,
        layers_per_block=1, sample_size=64, scaling_factor=0.5,
    )  # fmt: skip


def _unet(channels: int, encoders: int, wider: int) -> Any:
    more = {}
    if encoders > 1:
        more = {
            "addition_embed_type": "text_time",
            "addition_time_embed_dim": 8,
            "projection_class_embeddings_input_dim": 6 * 8 + WIDTH,
        }
    return UNet2DConditionModel(
        sample_size=16, in_channels=channels, out_channels=channels, layers_per_block=1,
        block_out_channels=(16 * wider, 32 * wider), norm_num_groups=4, attention_head_dim=4,
        cross_attention_dim=WIDTH * encoders,
        down_block_types=("DownBlock2D", "CrossAttnDownBlock2D"),
        up_block_types=("CrossAttnUpBlock2D", "UpBlock2D"), **more,
    )  # fmt: skip


def _transformer(channels: int) -> Any:
    return SD3Transformer2DModel(
        sample_size=16, patch_size=2, in_channels=channels, out_channels=channels, num_layers=1,
        attention_head_dim=8, num_attention_heads=4, joint_attention_dim=2 * WIDTH,
        caption_projection_dim=32, pooled_projection_dim=2 * WIDTH, pos_embed_max_size=32,
    )  # fmt: skip


def single_file(folder: Path) -> Path:
    """A U-Net's checkpoint made into one file with the names that such files have, its configurations left
    where they are: the library's own way from these names to its own, walked backwards."""
    from diffusers.loaders.single_file_utils import DIFFUSERS_TO_LDM_MAPPING
    from safetensors.torch import load_file, save_file

    known: dict[str, Any] = DIFFUSERS_TO_LDM_MAPPING
    weights: dict[str, torch.Tensor] = {}
    ways = {
        "unet": ("model.diffusion_model.", lambda name: _unet_name(name, known["unet"]["layers"])),
        "vae": ("first_stage_model.", lambda name: _vae_name(name, known["vae"])),
        "text_encoder": ("cond_stage_model.transformer.text_model.", lambda name: name),
    }
    for role, (before, named) in ways.items():
        path = next((folder / role).glob("*.safetensors"))
        for name, values in load_file(path).items():
            weights[before + named(name)] = values.contiguous()
        path.unlink()
    save_file(weights, folder / "whole.safetensors")
    return folder


def _unet_name(name: str, known: dict[str, str]) -> str:
    if name in known:
        return known[name]
    for ours, theirs in (
        ("norm1", "in_layers.0"), ("conv1", "in_layers.2"), ("norm2", "out_layers.0"),
        ("conv2", "out_layers.3"), ("time_emb_proj", "emb_layers.1"),
        ("conv_shortcut", "skip_connection"),
    ):  # fmt: skip
        if ".resnets." in name:
            name = name.replace(f".{ours}.", f".{theirs}.")
    place = re.match(r"(down|up)_blocks\.(\d)\.(resnets|attentions)\.(\d)\.(.*)", name)
    if place:
        way, block, kind, layer, rest = place.groups()
        number = 2 * int(block) + int(layer) + (way == "down")
        side = "input_blocks" if way == "down" else "output_blocks"
        return f"{side}.{number}.{int(kind == 'attentions')}.{rest}"
    place = re.match(r"mid_block\.(resnets|attentions)\.(\d)\.(.*)", name)
    if place:
        kind, layer, rest = place.groups()
        return f"middle_block.{1 if kind == 'attentions' else 2 * int(layer)}.{rest}"
    place = re.match(r"(down|up)_blocks\.(\d)\.\w+samplers\.0\.conv\.(.*)", name)
    assert place, name
    way, block, rest = place.groups()
    if way == "down":
        return f"input_blocks.{2 * (int(block) + 1)}.0.op.{rest}"
    return f"output_blocks.{2 * int(block) + 1}.2.conv.{rest}"


def _vae_name(name: str, known: dict[str, str]) -> str:
    if name in known:
        return known[name]
    name = name.replace("conv_shortcut", "nin_shortcut")
    name = re.sub(r"mid_block\.resnets\.(\d)", lambda m: f"mid.block_{int(m[1]) + 1}", name)
    if "attentions" in name:
        for ours, theirs in (("group_norm", "norm"), ("to_out.0", "proj_out"), ("to_", "")):
            name = name.replace(ours, theirs)
        return name.replace("mid_block.attentions.0", "mid.attn_1")
    name = re.sub(r"down_blocks\.(\d)\.resnets", r"down.\1.block", name)
    name = re.sub(r"down_blocks\.(\d)\.downsamplers\.0", r"down.\1.downsample", name)
    name = re.sub(r"up_blocks\.(\d)\.resnets", lambda m: f"up.{2 - int(m[1])}.block", name)
    return re.sub(r"up_blocks\.(\d)\.upsamplers\.0", lambda m: f"up.{2 - int(m[1])}.upsample", name)
