"""Random heads, drawn by the demo's renderer, with larger faces than the painted pictures have.

Each is a row of random numbers, and none is a person of the demo, so that a network learns eyelids, irises
and skin without having seen the demo's people.
"""

import math

import numpy as np
from numba import njit

from demo.face import face_skin, head, shoulders
from demo.paint import bloom, develop
from demo.sdf import FAST, camera, fbm, lighting, noise, render

SIDE = 640
"""Of a picture in px."""
FACE = 265
"""Height of a face in its middle, px from brow to chin."""
MIDDLE = -0.37
"""Height of the middle of a face, in the renderer's units."""
CLOSER = 3
"""How many times larger a face is in a close picture, which shows eyes, nose and mouth alone."""
UP = 0.2
"""How far above the middle a close picture looks."""
COUNT = {"train": 20, "test": 6}
"""People in each split."""
ROOM = 12.0
"""Distance between two heads, who stand side by side, too far to be seen or to throw shadows."""
COAT, WALL = 20, 21
_SEED = 1137


def _people() -> np.ndarray:
    """Turn of the head, coat (3), wall (3), then the face's `who`, for each of all splits."""
    rng = np.random.default_rng(_SEED)
    made = []
    for _ in range(sum(COUNT.values())):
        beard = rng.choice(
            [0.0, rng.uniform(0.4, 0.75), rng.uniform(0.85, 1.0)], p=[0.5, 0.25, 0.25]
        )
        made.append([
            rng.uniform(-0.6, 0.6), *rng.uniform(0.02, 0.4, 3), *rng.uniform(0.02, 0.5, 3),
            rng.uniform(0.93, 1.05), rng.uniform(0.85, 1.08), rng.uniform(0.8, 1.15), rng.uniform(0, 0.95),
            beard, rng.uniform(0, 1), rng.uniform(0, 0.9), rng.integers(4), rng.uniform(-0.4, 1),
            *rng.uniform(0.02, 0.4, 3), beard > 0.3,
        ])  # fmt: skip
    return np.array(made)


PEOPLE = _people()


@njit(**FAST)
def _who(x):
    """The person whose head stands at this place."""
    return min(max(math.floor(x / ROOM + 0.5), 0), PEOPLE.shape[0] - 1)


@njit(**FAST)
def _shape(x, y, z, out):
    number = _who(x)
    x -= number * ROOM
    wall = z + 2.4 - 0.02 * fbm(x * 4, y * 4, float(number), 3)
    c, s = math.cos(PEOPLE[number, 0]), math.sin(PEOPLE[number, 0])
    head(x * c - z * s, y, x * s + z * c, PEOPLE[number, 7:], 1, out)
    if wall < out[0]:
        out[0], out[1] = wall, WALL
    body = shoulders(x, y, z)
    body -= 0.03 * fbm(x * 1.4, y * 2.2, z * 2, 3)
    if body < out[0]:
        out[0], out[1] = body, COAT
    out[0] *= 0.92


@njit(**FAST)
def _skin(material, x, y, z, nx, ny, nz, look):
    number = _who(x)
    x -= number * ROOM
    if material < COAT:
        c, s = math.cos(PEOPLE[number, 0]), math.sin(PEOPLE[number, 0])
        face_skin(material, x * c - z * s, y, x * s + z * c, PEOPLE[number, 7:], look)
        return
    look[3], look[4], look[5], look[6] = 0.85, 0.0, 0.0, 0.1
    first = 1 if material == COAT else 4
    rough = noise(x * 90, y * 90, z * 40) if material == COAT else fbm(x * 12, y * 12, 2.0, 4)
    for channel in range(3):
        look[channel] = PEOPLE[number, first + channel] * (0.7 + 0.6 * rough)


def draw_person(number: int, *, close: bool = False) -> np.ndarray:
    """The head of a person by its place in `PEOPLE`, or its features: (side, side, 3) uint8."""
    rng = np.random.default_rng([_SEED, number])
    x = number * ROOM
    at = (x + rng.uniform(-0.7, 0.7), MIDDLE + rng.uniform(-0.3, 0.7), 7.4)
    focal, middle = (4.5 * CLOSER, MIDDLE + UP) if close else (4.5, MIDDLE)
    eye, axes = camera(at, (x, middle, 0.0))
    light = lighting(
        (rng.uniform(-0.9, 0.9), rng.uniform(0.2, 0.9), 0.8),
        (rng.choice([-0.9, 0.9]), 0.25, -0.3),
        1.0,
        0.12,
    )
    warm = rng.uniform(0.7, 1.3)
    sky = np.array([0.34, 0.4, 0.52, 0.2, 0.15, 0.1, 2.4 * warm, 2.1, 1.9 / warm, 0.5, 0.55, 0.7])
    picture = render(_shape, _skin, SIDE, SIDE, 2, eye, axes, focal, light, sky, 20.0)[..., :3]
    tone = {"exposure": rng.uniform(0.5, 0.8), "warmth": rng.uniform(-0.03, 0.04)}
    return develop(bloom(picture, 1.4, 5, 0.1), seed=number, **tone)


def people_of(split: str) -> range:
    """The numbers of the people of a split."""
    first = 0 if split == "train" else COUNT["train"]
    return range(first, first + COUNT[split])
