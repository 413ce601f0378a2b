"""Measure what the engine has to know about a checkpoint, on this machine."""

import warnings
from dataclasses import replace
from importlib import import_module
from pathlib import Path
from typing import Any

import numpy as np

from enamel.core.checkpoints import devices, evaluation
from enamel.core.checkpoints.folder import CheckpointContents
from enamel.core.checkpoints.latent import LatentRefiner, TooLittleMemory
from enamel.core.checkpoints.loading import Loaded, libraries, loaded
from enamel.core.diffusion.denoiser import Condition, ModelSpec, Space
from enamel.core.diffusion.predictions import read_noise_schedule
from enamel.core.diffusion.sigmas import sigma_of
from enamel.core.errors import Refusal
from enamel.core.imaging.canvas import FloatArray
from enamel.core.memory import memory_taken_mb
from enamel.core.networks.probes import margin, picture
from enamel.core.timing import medians_in_turn

RHO = 7.0
"""Karras spacing's exponent that Karras et al. 2022 found best for latent networks' relatives, table 5."""
FARTHEST = 128
"""Largest receptive radius in px of encoding and decoding with which tiles are cut; beyond it they are
blended.
"""
SOFTENING_CELLS = 2.0
"""Blur, in latent cells, of the enlarged picture in the start at hold 0."""
SMALLEST_TILE = 256
LARGEST_TILE = 2048
GRIDS = (1, 2, 4, 8, 16)
LOOKED_AT = 0.3
"""Strength of the trial."""
FEW_STEPS = 4
"""Default steps of a distilled checkpoint."""


def measured(contents: CheckpointContents) -> dict[str, Any]:
    """Return the device, and the ``refiner`` part of a card.

    Raises
    ------
    Refusal
        Names the part that can't be used.
    """
    warnings.filterwarnings("ignore")
    torch, _, _ = libraries()
    device = devices.found(torch)
    runs = devices.TestedDevice(
        device, devices.HALF[device], devices.HALF[device], devices.versions()
    )
    try:
        return _measured(contents, runs)
    except (torch.OutOfMemoryError, TooLittleMemory):
        return _measured(contents, replace(runs, offload=True))


def _measured(contents: CheckpointContents, runs: devices.TestedDevice) -> dict[str, Any]:
    one = loaded(contents, runs)
    noise_schedule = read_noise_schedule(contents.scheduler)
    bench = Bench(one)
    if not bench.decodes_finitely() and runs.vae_dtype != "float32":
        # some VAEs overflow in 16 bits
        runs = replace(runs, vae_dtype="float32")
        one.vae, one.runs = one.vae.float(), runs
        bench = Bench(one)
    if not bench.decodes_finitely():
        raise Refusal("Its vae gives no numbers (NaN): its weights are damaged.")
    evaluation.check(one.network, contents.network.role, bench.space.channels)
    _check_words(one)
    grid = bench.grid()
    native = _native(one, bench.space.factor, grid)
    memory = bench.bytes_per_pixel(native)
    drift = bench.drift()
    return {
        "runs": {
            "device": runs.device,
            "dtype": runs.dtype,
            "vae_dtype": runs.vae_dtype,
            "offload": runs.offload,
        },
        "prediction": noise_schedule.prediction,
        "room": evaluation.room_of(one.tokenizers[0]),
        "drift": drift,
        "latent_preview": bench.latent_preview().tolist(),
        "few_steps": _few_steps(contents),
        "vocabulary": one.tokenizers[0].backend_tokenizer.to_str(),
        "refiner": {
            "grid": grid * bench.space.factor,
            "native_tile": native,
            "radius": None,
            "sigma_min": noise_schedule.sigmas[0],
            "rho": RHO,
            "strength_map": [list(knot) for knot in noise_schedule.strength_map()],
            "softening": SOFTENING_CELLS * bench.space.factor,
            "bytes_per_pixel": memory,
            "space": {
                "factor": bench.space.factor,
                "channels": bench.space.channels,
                "coding_radius": bench.coding_radius(),
                "coding_cost": bench.coding_cost(),
            },
            "reads_prompts": True,
            "holding": "start",
        },
    }


class Bench:
    """Measures a loaded checkpoint."""

    def __init__(self, one: Loaded) -> None:
        self.one = one
        noise_schedule = read_noise_schedule(one.contents.scheduler)
        plain = ModelSpec(
            "bench", "", 1, SMALLEST_TILE, None, noise_schedule.sigmas[0], RHO,
            noise_schedule.strength_map(), 1.0, 0.0, reads_prompts=True,
        )  # fmt: skip
        self.sigma = sigma_of(LOOKED_AT, noise_schedule.strength_map())
        self.refiner = _LoadedRefiner(plain, one)
        self.given = picture(SMALLEST_TILE, SMALLEST_TILE) * np.float32(2) - np.float32(1)
        self.latents = self.refiner.encode(self.given)
        factor = SMALLEST_TILE // self.latents.shape[0]
        if self.latents.shape[:2] != (SMALLEST_TILE // factor,) * 2:
            raise Refusal(f"Its vae makes {self.latents.shape[:2]} cells of {SMALLEST_TILE} px.")
        self.space = Space(factor, self.latents.shape[2], None)
        self.refiner.spec = replace(plain, space=self.space)

    def decodes_finitely(self) -> bool:
        """Return whether encoding and decoding gives finite numbers."""
        return bool(np.isfinite(self.refiner.decode(self.latents)).all())

    def grid(self) -> int:
        """Return the smallest number of cells that sides may be multiples of."""
        for grid in GRIDS:
            side = -(-16 // grid) * grid
            x = np.zeros((side + grid, side + 2 * grid, self.space.channels), np.float32)
            try:
                made = self._estimate(x)
            except Refusal:
                raise
            except Exception:  # the libraries raise many kinds
                continue
            if made.shape == x.shape:
                return grid
        raise Refusal(
            f"Its network takes no latents whose sides are multiples of {GRIDS[-1]} cells."
        )

    def _estimate(self, x: FloatArray) -> FloatArray:
        side = self.space.factor
        structure = np.zeros((x.shape[0] * side, x.shape[1] * side, 3), np.float32)
        found = self.refiner.predict(x, self.sigma, Condition(structure, ""))
        if not np.isfinite(found).all():
            raise Refusal("Its network gives no numbers (NaN): its weights are damaged.")
        return found

    def coding_radius(self) -> int | None:
        """Return the receptive radius of encoding and decoding; None where they see all of a tile."""
        side = 2 * FARTHEST + 8 * self.space.factor
        given = picture(side, side) * np.float32(2) - np.float32(1)
        return margin(
            lambda pixels: self.refiner.decode(self.refiner.encode(pixels)),
            given, grid=self.space.factor, farthest=FARTHEST,
        )  # fmt: skip

    def coding_cost(self) -> float:
        """Return the cost of encoding and decoding, in evaluations of the same tile."""
        x = np.zeros_like(self.latents)

        def round_trip() -> None:
            self.refiner.decode(self.refiner.encode(self.given))

        coding, once = medians_in_turn(round_trip, lambda: self._estimate(x), times=3)
        return round(coding / once, 2)

    def drift(self) -> dict[str, Any]:
        """Return the error of encoding and decoding: mean of each channel, and root mean square, in 8-bit
        levels.
        """
        change = (self.refiner.decode(self.latents) - self.given) * 127.5
        return {
            "mean": [round(float(value), 2) for value in change.mean(axis=(0, 1))],
            "rms": round(float(np.sqrt((change**2).mean())), 2),
        }

    def latent_preview(self) -> FloatArray:
        """Return a linear preview of latents, by least squares on a picture's cells."""
        cells = self.space.cells(self.given).reshape(-1, 3)
        values = self.latents.reshape(-1, self.space.channels)
        values = np.concatenate([values, np.ones((len(values), 1), np.float32)], axis=1)
        found, *_ = np.linalg.lstsq(values, cells, rcond=None)
        return np.round(found, 4).astype(np.float32)

    def bytes_per_pixel(self, side: int) -> int:
        """Return the memory for each pixel of a tile, by the peak before and after one of the native size."""
        torch = import_module("torch")
        cells = side // self.space.factor
        x = np.zeros((cells, cells, self.space.channels), np.float32)
        if self.one.runs.device == "cuda":
            torch.cuda.reset_peak_memory_stats()
            before = torch.cuda.max_memory_allocated() / 1e6
            self._estimate(x)
            taken = torch.cuda.max_memory_allocated() / 1e6 - before
        else:
            taken = memory_taken_mb(lambda: self._estimate(x))
        return max(50, round(taken * 1e6 / side**2))


class _LoadedRefiner(LatentRefiner):
    """The refiner of a checkpoint that is already loaded."""

    def __init__(self, spec: ModelSpec, one: Loaded) -> None:
        noise_schedule = read_noise_schedule(one.contents.scheduler)
        super().__init__(spec, lambda: one, noise_schedule, np.zeros((1, 3), np.float32))
        self._one = one

    @property
    def parts(self) -> Loaded:
        return self._one


def _check_words(one: Loaded) -> None:
    """Refuse encoders and tokenizers whose output can't guide a network."""
    if not one.encoders:
        raise Refusal("It names no text encoder, so its network can't be guided by words.")
    for encoder, tokenizer in zip(one.encoders, one.tokenizers, strict=True):
        most = int(encoder.config.vocab_size)
        if len(tokenizer) < 2:
            raise Refusal("One of its tokenizers has an empty vocabulary, so no words can be read.")
        if len(tokenizer) > most:
            raise Refusal(
                f"A tokenizer of its knows {len(tokenizer)} tokens where its text encoder has {most}: they "
                "do not belong together."
            )
    made = evaluation.encoded(one, "").sequence
    if not bool(made.isfinite().all()):
        raise Refusal("Its text encoder gives no numbers (NaN): its weights are damaged.")


def _native(one: Loaded, factor: int, grid: int) -> int:
    """Side in px of the tiles that the network was made for."""
    side = getattr(one.network.config, "sample_size", None) or 64
    side = side if isinstance(side, int) else min(side)
    px = min(LARGEST_TILE, max(64, side * factor))
    return -(-px // (grid * factor)) * grid * factor


def _few_steps(contents: CheckpointContents) -> int | None:
    """Return the number of steps that a distilled checkpoint is made for; None for other checkpoints."""
    kind = str(contents.scheduler.get("_class_name", ""))
    configured = contents.scheduler
    embeds_guidance = contents.network.config.get("time_cond_proj_dim") is not None
    trailing = configured.get("timestep_spacing") == "trailing" and not configured.get(
        "rescale_betas_zero_snr"
    )
    return FEW_STEPS if embeds_guidance or trailing or kind.startswith(("LCM", "TCD")) else None


def files_of(contents: CheckpointContents, folder: Path) -> list[Path]:
    """Return the files that determine a checkpoint's pixels: weights, configurations, vocabularies."""
    found = [file.path for part in contents.parts for file in part.weights]
    found += [contents.single.path] if contents.single else []
    found += [part.folder / "config.json" for part in contents.parts]
    found += [folder / "model_index.json", folder / "scheduler" / "scheduler_config.json"]
    for tokenizer in contents.tokenizers:
        found += sorted(path for path in tokenizer.iterdir() if path.is_file())
    return sorted(found)
