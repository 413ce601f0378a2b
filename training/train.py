"""Trains a model: `nice -n 19 python -m training.train NAME [--minutes N]`.

Goes on from ``training/runs/NAME.pt`` where there is one, and writes it every few minutes and at the
end. The curve is appended to ``training/runs/NAME.csv``: step, minutes, dB over bicubic on patches of
held-out files.
"""

import argparse
import copy
import csv
import math
import os
import time
from pathlib import Path

import numpy as np
import torch
from torch import Tensor
from torch.nn import functional

from training.networks import make
from training.pairs import Pictures, batches, reduced
from training.recipes import RECIPES, Recipe

RUNS = Path(__file__).parent / "runs"
SAVE_SECONDS = 180
JUDGE_STEPS = 400
HELD_OUT = 96
AVERAGE = 0.999
"""Decay of the averaged weights, which are the ones that ship."""


def batch_of(
    recipe: Recipe, pictures: Pictures, count: int, rng: np.random.Generator
) -> tuple[np.ndarray, ...]:
    """Small and sharp patches, (count, 3, side, side) float32 in 0…1 each."""
    smalls, sharps = [], []
    for _ in range(count):
        sharp, _ = pictures.patch(recipe.patch * recipe.faults.factor, rng)
        smalls.append(reduced(sharp, recipe.faults, rng))
        sharps.append(sharp)
    return tuple(
        np.ascontiguousarray(np.stack(patches).transpose(0, 3, 1, 2)).astype(np.float32) / 255
        for patches in (smalls, sharps)
    )


def psnr_y(one: Tensor, other: Tensor) -> float:
    """Mean PSNR of luma over patches, in dB."""
    weights = torch.tensor([0.2126, 0.7152, 0.0722]).view(1, 3, 1, 1)
    error = (((one - other) * weights).sum(1) ** 2).mean((1, 2)).clamp_min(1e-8)
    return float((-10 * torch.log10(error)).mean())


class Run:
    """A training under way: network, its average, optimiser, step."""

    def __init__(self, recipe: Recipe) -> None:
        self.recipe = recipe
        torch.manual_seed(recipe.seed)
        self.network = make(recipe.kind, **recipe.network)
        self.average = copy.deepcopy(self.network).requires_grad_(False)
        self.optimiser = torch.optim.AdamW(
            self.network.parameters(), recipe.rate, betas=(0.9, 0.99)
        )
        self.step = 0
        self.minutes = 0.0
        self.file = RUNS / f"{recipe.name}.pt"
        if self.file.exists():
            kept = torch.load(self.file, weights_only=True)
            self.network.load_state_dict(kept["network"])
            self.average.load_state_dict(kept["average"])
            if "optimiser" in kept:
                self.optimiser.load_state_dict(kept["optimiser"])
            self.step, self.minutes = kept["step"], kept["minutes"]

    def save(self, *, slim: bool = False) -> None:
        """Write the checkpoint, whole or not at all. Slim: without the optimiser's moments."""
        kept = {
            "network": self.network.state_dict(),
            "average": self.average.state_dict(),
            "step": self.step,
            "minutes": self.minutes,
        }
        if not slim:
            kept["optimiser"] = self.optimiser.state_dict()
        partial = self.file.with_suffix(".part")
        torch.save(kept, partial)
        os.replace(partial, self.file)

    def rate(self) -> float:
        """Learning rate: a short rise, then a cosine to a twentieth."""
        warm = min(1.0, (self.step + 1) / 500)
        share = min(1.0, self.step / self.recipe.steps)
        return self.recipe.rate * warm * (0.05 + 0.95 * 0.5 * (1 + math.cos(math.pi * share)))

    def learn(self, small: Tensor, sharp: Tensor) -> float:
        for group in self.optimiser.param_groups:
            group["lr"] = self.rate()
        guess = self.network(small)
        loss = functional.l1_loss(guess, sharp)
        self.optimiser.zero_grad(set_to_none=True)
        loss.backward()
        torch.nn.utils.clip_grad_norm_(self.network.parameters(), 0.5)
        self.optimiser.step()
        self.step += 1
        with torch.no_grad():
            decay = min(AVERAGE, (self.step + 1) / (self.step + 10))
            for kept, fresh in zip(
                self.average.parameters(), self.network.parameters(), strict=True
            ):
                kept.lerp_(fresh, 1 - decay)
        return float(loss.detach())


def train(recipe: Recipe, minutes: float) -> None:
    torch.set_flush_denormal(True)
    RUNS.mkdir(exist_ok=True)
    run = Run(recipe)
    pictures = Pictures("train", recipe.shares)
    held = batch_of(recipe, Pictures("test", recipe.shares), HELD_OUT, np.random.default_rng(99))
    small, sharp = (torch.from_numpy(patches) for patches in held)
    plain = functional.interpolate(
        small, scale_factor=recipe.faults.factor, mode="bicubic", align_corners=False
    )
    ground = psnr_y(plain.clamp(0, 1), sharp)
    began = saved = time.monotonic()
    earlier = run.minutes
    source = batches(
        lambda rng: batch_of(recipe, pictures, recipe.batch, rng), recipe.seed * 1000 + run.step
    )
    while run.step < recipe.steps and time.monotonic() - began < minutes * 60:
        patches = (torch.from_numpy(part) for part in next(source))
        run.learn(*(part.contiguous(memory_format=torch.channels_last) for part in patches))
        run.minutes = earlier + (time.monotonic() - began) / 60
        if run.step % JUDGE_STEPS == 0:
            with torch.no_grad():
                guesses = [run.average(part) for part in small.split(16)]
            gain = psnr_y(torch.cat(guesses).clamp(0, 1), sharp) - ground
            with (RUNS / f"{recipe.name}.csv").open("a", newline="") as file:
                csv.writer(file).writerow([run.step, f"{run.minutes:.1f}", f"{gain:.3f}"])
            print(
                f"{recipe.name} step {run.step}, {run.minutes:.0f} min: {gain:+.2f} dB", flush=True
            )
        if time.monotonic() - saved > SAVE_SECONDS:
            run.save()
            saved = time.monotonic()
    run.save()


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("name", choices=RECIPES)
    parser.add_argument("--minutes", type=float, default=1e9)
    chosen = parser.parse_args()
    train(RECIPES[chosen.name], chosen.minutes)
