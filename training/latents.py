"""A small latent checkpoint in the library's own folder layout, trained from scratch on the same pictures.

    python -m training.latents vae --minutes 60      pixels to latents and back
    python -m training.latents words --minutes 300   a U-Net conditioned on Grisaille's words
    python -m training.latents export FOLDER         the folder, to be added like any other

It tests the engine with a checkpoint whose weights are trained instead of random: a VAE of factor 4 with four
channels and no attention, a U-Net of some millions of weights that predicts velocity at the usual
scaled-linear variances, and a text encoder whose tokens are letters and Grisaille's words. Both trainings
resume where they were stopped.
"""

import argparse
import json
import os
import signal
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import torch
from diffusers import AutoencoderKL, UNet2DConditionModel
from torch.nn import functional
from transformers import AutoTokenizer, CLIPTextConfig, CLIPTextModel

from enamel.core.diffusion.predictions import read_noise_schedule
from training.materials import MATERIALS, words_of
from training.pairs import Pictures
from training.sources import CACHE

RUNS = CACHE / "runs"
SHARES = {"photo": 0.45, "painting": 0.15, "texture": 0.3, "drawing": 0.1}
FACTOR = 4
SIDE = 128
"""Of a tile in px."""
BATCH = 8
RATE = 3e-4
WORDLESS_SHARE = 0.15
"""Share of the patches without words, for classifier-free guidance."""
KL = 1e-6
AVERAGE = 0.999
SAVE_SECONDS = 120
PROGRESS_EVERY = 100
WIDTH = 64
START, END = "<|startoftext|>", "<|endoftext|>"
SCHEDULER = {
    "_class_name": "EulerDiscreteScheduler",
    "num_train_timesteps": 1000,
    "beta_start": 0.00085,
    "beta_end": 0.012,
    "beta_schedule": "scaled_linear",
    "prediction_type": "v_prediction",
    "steps_offset": 1,
}


def vae() -> AutoencoderKL:
    """A VAE with group norms and no attention."""
    return AutoencoderKL(
        block_out_channels=(32, 64, 64), down_block_types=("DownEncoderBlock2D",) * 3,
        up_block_types=("UpDecoderBlock2D",) * 3, latent_channels=4, norm_num_groups=8,
        layers_per_block=1, sample_size=SIDE, mid_block_add_attention=False,
    )  # fmt: skip


def unet() -> UNet2DConditionModel:
    """The denoiser, with cross-attention to words."""
    return UNet2DConditionModel(
        sample_size=SIDE // FACTOR, in_channels=4, out_channels=4, layers_per_block=1,
        block_out_channels=(48, 96, 128), norm_num_groups=16, attention_head_dim=16,
        cross_attention_dim=WIDTH,
        down_block_types=("DownBlock2D", "CrossAttnDownBlock2D", "CrossAttnDownBlock2D"),
        up_block_types=("CrossAttnUpBlock2D", "CrossAttnUpBlock2D", "UpBlock2D"),
    )  # fmt: skip


def text_encoder(vocabulary: int) -> CLIPTextModel:
    return CLIPTextModel(
        CLIPTextConfig(
            vocab_size=vocabulary, hidden_size=WIDTH, intermediate_size=2 * WIDTH,
            num_hidden_layers=2, num_attention_heads=4, max_position_embeddings=32,
            projection_dim=WIDTH, bos_token_id=vocabulary - 2, eos_token_id=vocabulary - 1,
            pad_token_id=vocabulary - 1,
        )
    )  # fmt: skip


def write_tokenizer(folder: Path) -> None:
    """Letters, and merges that make a token of each of Grisaille's words."""
    letters = [chr(code) for code in range(33, 127)]
    tokens = [*letters, *(f"{letter}</w>" for letter in letters)]
    merges: list[str] = []
    for word in sorted(
        {part for one in MATERIALS for words in one.words for part in words.split()}
    ):
        pieces = [*word[:-1], f"{word[-1]}</w>"]
        left = pieces[0]
        for piece in pieces[1:]:
            merge = f"{left} {piece}"
            left += piece
            if merge not in merges:
                merges.append(merge)
                tokens.append(left)
    tokens = [*dict.fromkeys(tokens), START, END]
    folder.mkdir(parents=True, exist_ok=True)
    places = {token: place for place, token in enumerate(tokens)}
    (folder / "vocab.json").write_text(json.dumps(places))
    (folder / "merges.txt").write_text("\n".join(["#version: 0.2", *merges]) + "\n")
    config = {
        "tokenizer_class": "CLIPTokenizer", "model_max_length": 32, "bos_token": START,
        "eos_token": END, "pad_token": END, "unk_token": END,
    }  # fmt: skip
    (folder / "tokenizer_config.json").write_text(json.dumps(config))


class TrainingState:
    """Networks with their averages and their optimiser, saved together."""

    def __init__(self, name: str, **networks: Any) -> None:
        self.file = RUNS / f"{name}.pt"
        self.networks: dict[str, Any] = networks
        self.averages: dict[str, Any] = {name: _copy(network) for name, network in networks.items()}
        parameters = [one for network in networks.values() for one in network.parameters()]
        self.optimiser = torch.optim.AdamW(parameters, RATE, betas=(0.9, 0.99))
        self.step = 0
        self.scale = 1.0
        """What latents are multiplied by for a spread of 1."""
        if self.file.exists():
            state = torch.load(self.file, weights_only=True)
            for part, network in networks.items():
                network.load_state_dict(state["networks"][part])
                self.averages[part].load_state_dict(state["averages"][part])
            self.optimiser.load_state_dict(state["optimiser"])
            self.step, self.scale = state["step"], state["scale"]

    def learn(self, loss: torch.Tensor) -> None:
        """Take an optimiser step, and update the averages."""
        self.optimiser.zero_grad(set_to_none=True)
        loss.backward()
        for group in self.optimiser.param_groups:
            torch.nn.utils.clip_grad_norm_(group["params"], 1.0)
        self.optimiser.step()
        self.step += 1
        decay = min(AVERAGE, (self.step + 1) / (self.step + 10))
        with torch.no_grad():
            for part, network in self.networks.items():
                both = zip(self.averages[part].parameters(), network.parameters(), strict=True)
                for average, fresh in both:
                    average.lerp_(fresh, 1 - decay)

    def save(self) -> None:
        self.file.parent.mkdir(parents=True, exist_ok=True)
        partial = self.file.with_suffix(".part")
        state = {
            "networks": {name: one.state_dict() for name, one in self.networks.items()},
            "averages": {name: one.state_dict() for name, one in self.averages.items()},
            "optimiser": self.optimiser.state_dict(),
            "step": self.step,
            "scale": self.scale,
        }
        torch.save(state, partial)
        os.replace(partial, self.file)


def _copy(network: torch.nn.Module) -> torch.nn.Module:
    made = type(network)(network.config) if hasattr(network, "post_init") else None
    made = made or type(network).from_config(network.config)  # type: ignore[attr-defined]
    made.load_state_dict(network.state_dict())
    return made.requires_grad_(False)


def vae_state() -> TrainingState:
    torch.manual_seed(11)
    return TrainingState("latents-vae", vae=vae())


def words_state() -> tuple[TrainingState, object]:
    folder = RUNS / "latents-tokenizer"
    write_tokenizer(folder)
    tokenizer = AutoTokenizer.from_pretrained(str(folder), local_files_only=True)
    torch.manual_seed(12)
    return TrainingState("latents-words", unet=unet(), text=text_encoder(len(tokenizer))), tokenizer


def patches(
    pictures: Pictures, rng: np.random.Generator, side: int
) -> tuple[torch.Tensor, list[Path]]:
    """(BATCH, 3, side, side) in −1…1, and the files they are of."""
    found = [pictures.square(side, rng) for _ in range(BATCH)]
    values = np.stack([one.transpose(2, 0, 1) for one, _ in found]).astype(np.float32)
    return torch.from_numpy(values / 127.5 - 1), [path for _, path in found]


def prompt_of(path: Path, rng: np.random.Generator) -> str:
    """The words of a file, each by one of its synonyms; at times none."""
    weights = words_of(path.parent.name, path.name)
    if rng.random() < WORDLESS_SHARE:
        return ""
    chosen = [MATERIALS[place].words for place in np.flatnonzero(weights)]
    return ", ".join(words[rng.integers(len(words))] for words in chosen)


def learn_vae() -> tuple[TrainingState, Callable[[np.random.Generator], torch.Tensor]]:
    """Pixels there and back: absolute difference of values and of slopes, and a little of the KL term that
    keeps latents near normal (Kingma and Welling, "Auto-encoding variational Bayes", 2014)."""
    state, pictures = vae_state(), Pictures("train", SHARES)
    network = state.networks["vae"]

    def loss(rng: np.random.Generator) -> torch.Tensor:
        sharp, _ = patches(pictures, rng, SIDE // 2)  # a quarter of the time, and as much learnt
        spread = network.encode(sharp).latent_dist
        back = network.decode(spread.sample()).sample
        slopes = sum(
            functional.l1_loss(back.diff(dim=side), sharp.diff(dim=side)) for side in (2, 3)
        )
        with torch.no_grad():
            state.scale = state.scale * 0.99 + 0.01 / float(spread.mean.std())
        return functional.l1_loss(back, sharp) + slopes + KL * spread.kl().mean()

    return state, loss


def learn_words() -> tuple[TrainingState, Callable[[np.random.Generator], torch.Tensor]]:
    """Velocity at even steps (Salimans and Ho 2022), words left out at times."""
    before = vae_state()
    if before.step == 0:
        raise SystemExit("Train the vae first: python -m training.latents vae")
    way = before.averages["vae"].eval()
    (state, tokenizer), pictures = words_state(), Pictures("train", SHARES)
    noise_schedule = read_noise_schedule(SCHEDULER)
    share = torch.tensor(
        [1 / (1 + sigma**2) for sigma in noise_schedule.sigmas], dtype=torch.float32
    )

    def loss(rng: np.random.Generator) -> torch.Tensor:
        sharp, files = patches(pictures, rng, SIDE)
        with torch.no_grad():
            clean = way.encode(sharp).latent_dist.mode() * before.scale
        steps = torch.from_numpy(rng.integers(0, len(noise_schedule.sigmas), BATCH))
        kept_share = share[steps].reshape(-1, 1, 1, 1)
        noise = torch.randn_like(clean)
        noisy = kept_share.sqrt() * clean + (1 - kept_share).sqrt() * noise
        velocity = kept_share.sqrt() * noise - (1 - kept_share).sqrt() * clean
        prompts = [prompt_of(path, rng) for path in files]
        ids = tokenizer(  # type: ignore[operator]
            prompts, padding="max_length", truncation=True, max_length=32, return_tensors="pt"
        ).input_ids
        words = state.networks["text"](ids).last_hidden_state
        made = state.networks["unet"](noisy, steps, encoder_hidden_states=words).sample
        return functional.mse_loss(made, velocity)

    state.scale = before.scale
    return state, loss


def train(what: str, minutes: float, threads: int) -> None:
    torch.set_num_threads(threads)
    torch.set_flush_denormal(True)
    state, loss = {"vae": learn_vae, "words": learn_words}[what]()
    ended = False

    def end(*_: object) -> None:
        nonlocal ended
        ended = True

    signal.signal(signal.SIGTERM, end)
    rng = np.random.default_rng(1000 + state.step)
    began = saved = time.monotonic()
    mean = 0.0
    while not ended and time.monotonic() - began < minutes * 60:
        now = loss(rng)
        state.learn(now)
        mean = float(now) if mean == 0 else 0.99 * mean + 0.01 * float(now)
        if state.step % PROGRESS_EVERY == 0:
            print(f"{what} step {state.step}: {mean:.4f}", flush=True)
        if time.monotonic() - saved > SAVE_SECONDS:
            state.save()
            saved = time.monotonic()
    state.save()


def export(folder: Path) -> None:
    """Write the averaged networks as a checkpoint folder."""
    way, (words, _) = vae_state(), words_state()
    network = way.averages["vae"]
    network.register_to_config(scaling_factor=round(way.scale, 5))
    network.save_pretrained(folder / "vae")
    words.averages["unet"].save_pretrained(folder / "unet")
    words.averages["text"].save_pretrained(folder / "text_encoder")
    write_tokenizer(folder / "tokenizer")
    (folder / "scheduler").mkdir(exist_ok=True)
    (folder / "scheduler" / "scheduler_config.json").write_text(json.dumps(SCHEDULER, indent=2))
    index = {
        "_class_name": "DiffusionPipeline",
        "vae": ["diffusers", "AutoencoderKL"],
        "unet": ["diffusers", "UNet2DConditionModel"],
        "text_encoder": ["transformers", "CLIPTextModel"],
        "tokenizer": ["transformers", "CLIPTokenizer"],
        "scheduler": ["diffusers", SCHEDULER["_class_name"]],
    }
    (folder / "model_index.json").write_text(json.dumps(index, indent=2))


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["vae", "words", "export"])
    parser.add_argument("folder", nargs="?", type=Path)
    parser.add_argument("--minutes", type=float, default=1e9)
    parser.add_argument("--threads", type=int, default=1)
    chosen = parser.parse_args()
    if chosen.what == "export":
        export(chosen.folder)
    else:
        train(chosen.what, chosen.minutes, chosen.threads)
