"""A refiner that uses a latent diffusion checkpoint.

A call runs wholly on one device; numpy arrays go in and come out. Its digest covers all that determines
its pixels besides its inputs: files, kind of device, precision and libraries.
"""

import logging
from collections.abc import Callable
from contextlib import suppress
from importlib import import_module
from typing import Any

import numpy as np

from enamel.core.checkpoints import evaluation
from enamel.core.checkpoints.devices import emptied
from enamel.core.checkpoints.loading import Loaded, kept, release
from enamel.core.diffusion.denoiser import Condition, Holding, ModelSpec
from enamel.core.diffusion.predictions import NoiseSchedule
from enamel.core.errors import Refusal
from enamel.core.imaging.canvas import FloatArray

logger = logging.getLogger(__name__)


class TooLittleMemory(Refusal):
    """The device has too little memory for a tile."""


class LatentRefiner:
    """A checkpoint with the interface of refiners.

    Parameters
    ----------
    spec : its digest identifies the checkpoint in memory, with its kit.
    load : loads its parts.
    latent_preview : (channels + 1, 3): rough colour of each channel; the last row is an offset.
    again : how another process makes the same refiner; None where none has to.
    """

    def __init__(
        self,
        spec: ModelSpec,
        load: Callable[[], Loaded],
        noise_schedule: NoiseSchedule,
        latent_preview: FloatArray,
        again: tuple[Any, ...] | None = None,
    ) -> None:
        self.spec = spec
        self._load = load
        self.noise_schedule = noise_schedule
        self._latent_preview = latent_preview
        self._again = again

    @property
    def parts(self) -> Loaded:
        """Its loaded parts; loaded on first use."""
        return kept(self.spec.name, self.spec.digest, self._load)

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        assert isinstance(condition.words, str)
        words = condition.words

        def run(one: Loaded) -> FloatArray:
            z = self._tensor(x, one)
            asked = evaluation.NetworkInputs(
                self.noise_schedule.time(sigma),
                evaluation.encoded(one, words, negative=condition.negative),
                (x.shape[0] * self.spec.space.factor, x.shape[1] * self.spec.space.factor),
                self._structure(condition, one),
                condition.hold,
                condition.guidance,
            )
            seen = (z * self.noise_schedule.scale(sigma)).to(one.network.dtype)
            made = evaluation.evaluate(one, seen, asked).float()
            return _array(self.noise_schedule.clean(z, made, sigma))

        return self._carried_out(run)

    def encode(self, pixels: FloatArray) -> FloatArray:
        def run(one: Loaded) -> FloatArray:
            way = one.vae
            found = way.encode(self._tensor(pixels, one).to(way.dtype))
            latents = found.latent_dist.mode() if hasattr(found, "latent_dist") else found.latents
            shift, scale = _scaling(way.config)
            return _array((latents.float() - shift) * scale)

        return self._carried_out(run)

    def decode(self, values: FloatArray) -> FloatArray:
        def run(one: Loaded) -> FloatArray:
            way = one.vae
            shift, scale = _scaling(way.config)
            latents = self._tensor(values, one) / scale + shift
            return _array(way.decode(latents.to(way.dtype), return_dict=False)[0].float())

        return self._carried_out(run)

    def latent_preview(self, values: FloatArray) -> FloatArray:
        seen = values @ self._latent_preview[:-1] + self._latent_preview[-1]
        factor = self.spec.space.factor
        return np.clip(seen, -1, 1).repeat(factor, axis=0).repeat(factor, axis=1)

    def _structure(self, condition: Condition, one: Loaded) -> Any:
        if self.spec.holding is not Holding.GUIDE:
            return None
        shown = (self._tensor(condition.structure, one) + 1) / 2
        by = evaluation.guide_factor(one.guide) / self.spec.space.factor
        if by != 1:
            resized = import_module("torch").nn.functional.interpolate
            shown = resized(shown, scale_factor=by, mode="bilinear", antialias=by < 1)
        return shown.to(one.guide.dtype)

    def _tensor(self, values: FloatArray, one: Loaded) -> Any:
        """(1, channels, height, width) float32 on the checkpoint's device."""
        torch = import_module("torch")
        planes = np.ascontiguousarray(values.transpose(2, 0, 1)[None])
        return torch.from_numpy(planes).to(one.runs.device)

    def _carried_out(self, run: Callable[[Loaded], FloatArray]) -> FloatArray:
        """Return a call's result. When device memory runs out, caches are released and the call is
        repeated; then once more with sliced attention, whose results differ by rounding.
        """
        torch = import_module("torch")
        one = self.parts
        with torch.inference_mode():
            for make_room in (_empty, _slice):
                try:
                    return run(one)
                except torch.OutOfMemoryError:
                    logger.warning("the memory of %s does not do for a tile", one.runs.device)
                make_room(one)
            with suppress(torch.OutOfMemoryError):
                return run(one)
        device, _ = one.runs.device, release()  # the next one starts without slices
        raise TooLittleMemory(
            f"The memory of the {device} device does not do for tiles of this size with "
            f"{self.spec.name}. What was finished is kept; take smaller tiles, or set ENAMEL_DEVICE=cpu."
        )

    def __reduce__(self) -> tuple[Any, ...]:
        assert self._again is not None
        return self._again


def _empty(one: Loaded) -> None:
    emptied(import_module("torch"), one.runs.device)


def _slice(one: Loaded) -> None:
    """Use sliced attention from now on."""
    for part in (one.network, one.vae):
        if hasattr(part, "set_attention_slice"):
            part.set_attention_slice("max")
    _empty(one)


def _array(tensor: Any) -> FloatArray:
    """(height, width, channels) of a tensor (1, channels, height, width)."""
    values: FloatArray = tensor[0].float().cpu().numpy().transpose(1, 2, 0)
    return np.ascontiguousarray(values)


def _scaling(config: Any) -> tuple[float, float]:
    """Return the shift and scale that give a VAE's latents a spread of 1."""
    shift = getattr(config, "shift_factor", None)
    scale = getattr(config, "scaling_factor", None)
    return (0.0 if shift is None else float(shift)), (1.0 if scale is None else float(scale))
