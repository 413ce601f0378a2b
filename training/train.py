"""Trains a model: `nice -n 19 python -m training.train NAME [--minutes N]`.

A run resumes from its checkpoint under ``training/cache/runs``, which is written every few minutes, at the
end and on SIGTERM; without one, from the model that ships. The curve is appended to
``training/runs/NAME.csv``: step, minutes, dB over the enlarged source on patches of held-out files.
"""

import argparse
import copy
import csv
import json
import math
import os
import signal
import time
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import torch
from torch import Tensor

from enamel.core.networks.cards import SHIPPED
from training.lessons import Batch, RefinerLesson, UpscalerLesson, planes
from training.losses import critic_loss, pixel_loss, upscaler_loss
from training.networks import Critic, make
from training.pairs import Pictures, batches
from training.recipes import RECIPES, Recipe
from training.shipped import weights_in
from training.sources import CACHE

RUNS = Path(__file__).parent / "runs"
"""Curves of runs, and the boxes of faces: both are committed."""
LIVE = CACHE / "runs"
"""Checkpoints of unfinished runs, with their optimisers."""
SAVE_SECONDS = 90
JUDGE_STEPS = 250
HELD_OUT = 64
MEASURED, MEASURED_SIDE = 48, 128
"""Pictures, and their side in px, that whole passes are measured on."""
GOALS = (
    (0, 1.2), (0, 1.2), (0.6, 1.1),
    (0, 1.25), (0, 1.25), (0.6, 1.15),
    (0, 1.3), (0, 1.3), (0.6, 1.15),
)  # fmt: skip
"""Least and most of roughness, specks and detail at each noise level that passes are measured at. The
weights that come nearest are saved beside the run's last."""
CRITIC_RISES = 500
"""Steps after a start over which the critic's weight rises."""
AVERAGE = 0.998
"""Decay of the moving average of weights, which is what ships."""


class Run:
    """The state of a training: network, its average, critic, optimisers, step."""

    def __init__(self, recipe: Recipe) -> None:
        self.recipe = recipe
        torch.manual_seed(recipe.seed)
        self.network = make(recipe.kind, **recipe.network)
        self.average = copy.deepcopy(self.network).requires_grad_(False)
        self.optimiser = torch.optim.AdamW(
            self.network.parameters(), recipe.rate, betas=(0.9, 0.99)
        )
        self.critic = Critic(recipe.network.get("words", 0)) if recipe.critic else None
        self.critic_optimiser: torch.optim.Optimizer | None = None
        if self.critic is not None:
            self.critic_optimiser = torch.optim.AdamW(
                self.critic.parameters(), recipe.rate, betas=(0.5, 0.99)
            )
        self.step = 0
        self.minutes = 0.0
        self.file = LIVE / f"{recipe.name}.pt"
        shipped = SHIPPED / f"{recipe.name}.onnx"
        if self.file.exists():
            self._load(torch.load(self.file, weights_only=True))
        elif shipped.exists():
            average = weights_in(shipped, self.average.state_dict())
            trained = json.loads(shipped.with_suffix(".json").read_text())["trained"]
            self._load(
                {"average": average, "step": trained["steps"], "minutes": trained["minutes"]}
            )
        elif recipe.starts_from is not None:
            earlier = Run(RECIPES[recipe.starts_from]).average.state_dict()
            self._load({"average": earlier, "step": 0, "minutes": 0.0})
        self.first = self.step

    @property
    def _parts(self) -> dict[str, torch.nn.Module | torch.optim.Optimizer | None]:
        return {
            "optimiser": self.optimiser,
            "critic": self.critic,
            "critic_optimiser": self.critic_optimiser,
        }

    def _load(self, kept: dict[str, Any]) -> None:
        self.network.load_state_dict(kept["network"] if "network" in kept else kept["average"])
        self.average.load_state_dict(kept["average"])
        for name, part in self._parts.items():
            if part is not None and name in kept:
                part.load_state_dict(kept[name])
        self.step, self.minutes = kept["step"], kept["minutes"]

    def save(self, file: Path | None = None) -> None:
        """Write the checkpoint, whole or not at all."""
        file = file or self.file
        state = {
            "average": self.average.state_dict(),
            "network": self.network.state_dict(),
            "step": self.step,
            "minutes": self.minutes,
        }
        parts = {name: part.state_dict() for name, part in self._parts.items() if part}
        file.parent.mkdir(parents=True, exist_ok=True)
        partial = file.with_suffix(".part")
        torch.save(state | parts, partial)
        os.replace(partial, file)

    def rate(self) -> float:
        """Factor on the learning rate: a short rise after every start, then a cosine down to 0.05."""
        warm = min(1.0, (self.step - self.first + 1) / 200)
        share = min(1.0, self.step / self.recipe.steps)
        return warm * (0.05 + 0.95 * 0.5 * (1 + math.cos(math.pi * share)))

    def learn(self, lesson: UpscalerLesson | RefinerLesson, batch: Batch) -> None:
        if isinstance(lesson, RefinerLesson) and torch.rand(()) < self.recipe.rollouts:
            passed = lesson.run_pass(self.network, batch)
            loss = lesson.pass_loss(passed)
            if passed.own.any():
                shown = [
                    part[passed.own]
                    for part in (passed.guess, passed.wanted, passed.start, passed.words)
                ]
                loss = self._add_critic(loss, passed.guess, *shown)
        else:
            guess, source, weight = lesson.guess(self.network, batch)
            truth = lesson.truth(batch)
            if self.critic and isinstance(lesson, UpscalerLesson):
                loss = upscaler_loss(guess, truth, self.recipe.detail_weight)
                loss = self._add_critic(loss, guess, guess, truth, source)
            else:
                loss = pixel_loss(guess, truth, weight, self.recipe.kind)
        self._step(self.optimiser, loss, self.recipe.rate)
        self._count()

    def _add_critic(
        self,
        loss: Tensor,
        estimate: Tensor,
        guess: Tensor,
        truth: Tensor,
        source: Tensor,
        words: Tensor | None = None,
    ) -> Tensor:
        """Train the critic on these pictures, and return the loss with the critic's part added.

        With respect to the estimate, the critic's gradient is `Recipe.critic` times as large as that of the
        rest (the adaptive weight of Esser et al., "Taming transformers", 2021), rising from 0 after a start.
        """
        if self.critic is None or self.critic_optimiser is None:
            return loss
        doubt = critic_loss(
            self.critic(truth, source, words), self.critic(guess.detach(), source, words)
        )
        self._step(self.critic_optimiser, doubt, self.recipe.rate)
        with torch.no_grad():
            real = self.critic(truth, source, words)
        doubt = critic_loss(self.critic(guess, source, words), real)
        plain, adverse = (
            torch.autograd.grad(part, estimate, retain_graph=True)[0].norm()
            for part in (loss, doubt)
        )
        risen = min(1.0, (self.step - self.first) / CRITIC_RISES)
        share = self.recipe.critic * risen * plain / adverse.clamp_min(1e-6)
        return loss + share.detach() * doubt

    def _count(self) -> None:
        """Count a step, and update the average."""
        self.step += 1
        with torch.no_grad():
            decay = min(AVERAGE, (self.step + 1) / (self.step + 10))
            for kept, fresh in zip(
                self.average.parameters(), self.network.parameters(), strict=True
            ):
                kept.lerp_(fresh, 1 - decay)

    def _step(self, optimiser: torch.optim.Optimizer, loss: Tensor, rate: float) -> None:
        for group in optimiser.param_groups:
            group["lr"] = rate * self.rate()
        optimiser.zero_grad(set_to_none=True)
        loss.backward()
        parameters = [p for group in optimiser.param_groups for p in group["params"]]
        torch.nn.utils.clip_grad_norm_(parameters, 0.5)
        optimiser.step()


def make_lesson(recipe: Recipe, split: str) -> UpscalerLesson | RefinerLesson:
    pictures = Pictures(split, recipe.shares)
    if recipe.kind == "upscaler":
        return UpscalerLesson(recipe, pictures)
    return RefinerLesson(recipe, pictures, Pictures(split, recipe.shares, "bank"))


def test_pairs(recipe: Recipe) -> list[Batch]:
    """Sharp pictures of the test split with their enlarged sources, in −1…1: by Vitreous, and by Lanczos.

    Both, because a run that was measured by Vitreous alone looked good while it added little detail over
    Lanczos, and less the higher the strength was.
    """
    bank, pictures = Pictures("test", recipe.shares, "bank"), Pictures("test", recipe.shares)
    rng = np.random.default_rng(7)
    trained = [bank.square(MEASURED_SIDE, rng)[0] for _ in range(MEASURED)]
    plain = []
    for _ in range(MEASURED):
        sharp, _ = pictures.square(MEASURED_SIDE, rng)
        small = cv2.resize(sharp, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        side = (MEASURED_SIDE, MEASURED_SIDE)
        plain.append((sharp, cv2.resize(small, side, interpolation=cv2.INTER_LANCZOS4)))
    return [
        tensors(tuple(planes([pair[which] for pair in both]) * 2 - 1 for which in (0, 1)))
        for both in (trained, plain)
    ]


def worst_ratio_to_goal(found: list[float]) -> float:
    """The largest ratio of a figure to its goal; figures are given for each source at each noise level."""
    goals = zip(found, GOALS * (len(found) // len(GOALS)), strict=True)
    return max(max(value / most, least / max(value, 1e-6)) for value, (least, most) in goals)


def tensors(arrays: tuple[np.ndarray, ...]) -> Batch:
    """Arrays as tensors, pictures with their channels last, which trains faster."""
    return tuple(
        part.contiguous(memory_format=torch.channels_last) if part.ndim == 4 else part
        for part in map(torch.from_numpy, arrays)
    )


def train(recipe: Recipe, minutes: float, threads: int = 1) -> None:
    torch.set_flush_denormal(True)
    torch.set_num_threads(threads)
    cv2.setNumThreads(1)
    RUNS.mkdir(exist_ok=True)
    run = Run(recipe)
    lesson = make_lesson(recipe, "train")
    held = tensors(make_lesson(recipe, "test").batch(np.random.default_rng(99), HELD_OUT))
    pairs = test_pairs(recipe) if isinstance(lesson, RefinerLesson) else None
    best = math.inf
    ended = False

    def end(*_: object) -> None:
        nonlocal ended
        ended = True

    signal.signal(signal.SIGTERM, end)
    began = saved = time.monotonic()
    earlier = run.minutes
    source = batches(lambda rng: lesson.batch(rng, recipe.batch), recipe.seed * 1000 + run.step)
    while run.step < recipe.steps and not ended and time.monotonic() - began < minutes * 60:
        run.learn(lesson, tensors(next(source)))
        run.minutes = earlier + (time.monotonic() - began) / 60
        if run.step % JUDGE_STEPS == 0 or run.step == recipe.steps:
            with torch.inference_mode():
                gain = lesson.judge(run.average, held)
                found: list[float] = []
                if isinstance(lesson, RefinerLesson) and pairs is not None:
                    found = [one for part in pairs for one in lesson.measures(run.average, part)]
            row = [f"{run.minutes:.1f}", f"{gain:.3f}", *(f"{value:.3f}" for value in found)]
            with (RUNS / f"{recipe.name}.csv").open("a", newline="") as file:
                csv.writer(file).writerow([run.step, *row])
            print(f"{recipe.name} step {run.step}: {', '.join(row)}", flush=True)
            if found and worst_ratio_to_goal(found) < best:
                best = worst_ratio_to_goal(found)
                run.save(run.file.with_suffix(".best.pt"))
        if time.monotonic() - saved > SAVE_SECONDS:
            run.save()
            saved = time.monotonic()
    run.save()


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("name", choices=RECIPES)
    parser.add_argument("--minutes", type=float, default=1e9)
    parser.add_argument("--threads", type=int, default=1)
    chosen = parser.parse_args()
    train(RECIPES[chosen.name], chosen.minutes, chosen.threads)
