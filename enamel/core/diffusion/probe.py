"""Test a refiner's network against the contract of docs/research/models.md."""

from collections.abc import Callable
from typing import Any

import numpy as np

from enamel.core.errors import Refusal
from enamel.core.imaging.canvas import FloatArray
from enamel.core.jsontext import read_json
from enamel.core.memory import memory_taken_mb
from enamel.core.networks.probes import margin, picture, smallest_grid
from enamel.core.networks.runtimes import Network

CONTRACT = {"x", "cond", "sigma"}
NATIVE = 512
FARTHEST = 128
"""Largest receptive radius in px that tiles are read with; beyond it the network counts as one that
sees its whole tile."""
LEVELS = (0.05, 0.3)
"""Noise levels at which the estimate is compared with the truth."""
ASSUMED: dict[str, Any] = {
    "sigma_min": 0.01, "rho": 5.0, "strength_map": [[0, 0.02], [1, 1.0]], "softening": 1.2,
    "final_degradation": [[0, 0]],
}  # fmt: skip
"""Defaults for what can't be measured and the file's metadata does not say."""


LONGEST_WORD = 60


def _is_word(found: Any) -> bool:
    return isinstance(found, str) and len(found.strip()) > 0 and len(found) <= LONGEST_WORD


def _between(low: float, high: float) -> Callable[[Any], bool]:
    return lambda found: (
        isinstance(found, int | float) and not isinstance(found, bool) and low <= found <= high
    )


def _are_knots(low: float, high: float, *, rising: bool) -> Callable[[Any], bool]:
    """Return whether pairs (strength, value) go from strength 0 to 1 with values in a range."""
    fraction, fits = _between(0, 1), _between(low, high)

    def are(found: Any) -> bool:
        if not isinstance(found, list) or not 1 <= len(found) <= MOST_KNOTS:
            return False
        if not all(isinstance(knot, list) and len(knot) == 2 for knot in found):
            return False
        if not all(fraction(strength) and fits(value) for strength, value in found):
            return False
        strengths, values = zip(*found, strict=True)
        ordered = all(a < b for a, b in zip(strengths, strengths[1:], strict=False))
        grows = all(a < b for a, b in zip(values, values[1:], strict=False))
        whole = strengths[0] == 0 and (strengths[-1] == 1 or not rising)
        return ordered and whole and (grows or not rising)

    return are


MOST_KNOTS = 50
EXPECTED: dict[str, tuple[Callable[[Any], bool], str]] = {
    "sigma_min": (_between(1e-4, 1), "a number from 0.0001 to 1"),
    "rho": (_between(1, 20), "a number from 1 to 20"),
    "softening": (_between(0, 32), "a number of px from 0 to 32"),
    "strength_map": (
        _are_knots(1e-4, 100, rising=True),
        "pairs of a strength, from 0 to 1 and rising, and a noise level from 0.0001 to 100, rising too",
    ),
    "final_degradation": (
        _are_knots(0, 1, rising=False),
        "pairs of a strength, from 0 and rising, and a fraction from 0 to 1",
    ),
}
"""What metadata entries have to be, as a test and in words."""


class RefinerProbe:
    """Measures a refiner's network."""

    def __init__(self, network: Network) -> None:
        self.network = network
        self.inputs = {given.name: given for given in network.inputs}
        unknown = set(self.inputs) - CONTRACT - {"words", "degradation"}
        if unknown:
            raise Refusal(
                f"A refiner takes x, cond, sigma and, if it knows them, words and degradation; this network "
                f"also wants {', '.join(sorted(unknown))}."
            )
        if [made.name for made in network.outputs] != ["x0"]:
            raise Refusal("A refiner gives one output, x0, the estimate of the clean picture.")
        self.metadata = network.metadata
        self.vocabulary = self._vocabulary()
        self.grid = smallest_grid(self._tried)
        self.native = -(-NATIVE // self.grid) * self.grid
        self.memory = self._bytes_per_pixel()

    @staticmethod
    def fits(network: Network) -> bool:
        """Return whether a network is a refiner: whether it has the contract's inputs."""
        return {given.name for given in network.inputs} >= CONTRACT

    def facts(self) -> dict[str, Any]:
        """Kind and the ``refiner`` part of a card."""
        self._cleans()
        return {
            "kind": "refiner",
            "factor": None,
            "refiner": {
                "grid": self.grid,
                "native_tile": NATIVE,
                "radius": self._radius(),
                "bytes_per_pixel": self.memory,
                "vocabulary": self.vocabulary,
                "restores_detail": "degradation" in self.inputs,
                **{name: self._read(name, value) for name, value in ASSUMED.items()},
            },
        }

    def _read(self, name: str, otherwise: Any) -> Any:
        """Return an entry of the file's metadata, read as JSON."""
        if name not in self.metadata:
            return otherwise
        try:
            value = read_json(self.metadata[name])
        except Refusal:
            raise Refusal(f"The file's metadata entry {name} is not JSON.") from None
        if name in EXPECTED:
            fits, words = EXPECTED[name]
            if not fits(value):
                raise Refusal(f"The file's metadata entry {name} has to be {words}.")
        return value

    def _vocabulary(self) -> list[list[str]]:
        if "words" not in self.inputs:
            return []
        words = self.inputs["words"].shape[-1]
        found = self._read("vocabulary", None)
        right = isinstance(found, list) and all(
            isinstance(group, list) and group and all(_is_word(word) for word in group)
            for group in found
        )
        if not right or len(found) != words:
            raise Refusal(
                f"This network takes {words} words, but its metadata entry vocabulary does not list "
                f"as many, each as a list of the word and its synonyms, of {LONGEST_WORD} letters at most."
            )
        return [[str(word) for word in group] for group in found]

    def run(
        self, x: FloatArray, cond: FloatArray, sigma: float, degradation: float = 0.0
    ) -> FloatArray:
        """Return the estimate, (height, width, 3); pictures in −1…1."""
        given = {
            "x": np.ascontiguousarray(x.transpose(2, 0, 1)[None]),
            "cond": np.ascontiguousarray(cond.transpose(2, 0, 1)[None]),
            "sigma": np.array([sigma], np.float32),
        }
        if self.vocabulary:
            given["words"] = np.zeros((1, len(self.vocabulary)), np.float32)
        if "degradation" in self.inputs:
            given["degradation"] = np.array([degradation], np.float32)
        made = self.network.run(given)
        if made.shape != given["x"].shape:
            raise Refusal(f"From {list(given['x'].shape)} it makes {list(made.shape)}.")
        denoised: FloatArray = made[0].transpose(1, 2, 0)
        return denoised

    def once(self) -> None:
        """Run on a tile of the native size: on small ones another runtime may be faster."""
        given = picture(self.native, self.native)
        self.run(given, given, LEVELS[0])

    def _tried(self, probe: FloatArray) -> None:
        given = probe * np.float32(2) - np.float32(1)
        self.run(given, given, 0.1)

    def _cleans(self) -> None:
        """Refuse a network whose estimate is farther from the picture than its input."""
        side = -(-128 // self.grid) * self.grid
        truth = picture(side, side) * np.float32(2) - np.float32(1)
        noise = np.random.default_rng(3).standard_normal(truth.shape).astype(np.float32)
        for sigma in LEVELS:
            denoised = self.run(truth + np.float32(sigma) * noise, truth, sigma)
            error = float(np.sqrt(((denoised - truth) ** 2).mean()))
            if not error < sigma:
                raise Refusal(
                    f"At noise of {sigma} its estimate is {error:.2f} from the clean picture it was "
                    "guided by: it takes no noise away, so it does not seem to be a refiner."
                )

    def _radius(self) -> int | None:
        """Return the margin that a tile on the grid has to be read with; None when it sees the whole tile."""
        side = -(-(2 * FARTHEST + 64 + self.grid) // self.grid) * self.grid
        given = picture(side, side) * np.float32(2) - np.float32(1)
        reach = 0
        for sigma in (0.02, 0.3, 1.0):
            noise = np.random.default_rng(2).standard_normal(given.shape).astype(np.float32)
            both = np.concatenate([given + np.float32(sigma) * noise, given], axis=2)
            found = margin(
                lambda pair, sigma=sigma: self.run(pair[..., :3], pair[..., 3:], sigma),  # type: ignore[misc]
                both, grid=self.grid, farthest=FARTHEST, least=reach,
            )  # fmt: skip
            if found is None:
                return None
            reach = found
        return reach

    def _bytes_per_pixel(self) -> int:
        """Return the memory for each pixel of a tile, measured on one of the native size."""

        def tile() -> None:
            given = np.zeros((self.native, self.native, 3), np.float32)
            self.run(given, given, 0.1)

        return max(50, round(memory_taken_mb(tile) * 1e6 / self.native**2))
