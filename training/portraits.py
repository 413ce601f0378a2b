"""Face refiners on held-out portraits: `python -m training.portraits grisaille miniature`.

Faces of the test split are reduced until they measure 24, 48 and 96 px from brow to chin, compressed a
little, enlarged again by Vitreous, and touched up with each refiner. Measured inside the face: the root mean
square difference from the truth, and the correlation of the edges of eyes and mouth with the truth's.
``--sheet FILE.png`` draws crops with their columns shuffled in each row, and prints the key.
"""

import argparse
import tempfile
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
import PIL.Image

from enamel.core.faces.detection import Face
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, Pixels, SampleArray, to_eight_bits
from enamel.core.pipeline.touchup import TouchUp, patch_for_face, touch_up
from enamel.core.schedule import Refine
from enamel.core.upscaling import Enlarged, upscaler
from training.heads import AROUND, CLOSE
from training.sources import CACHE
from training.testpictures import reduce_picture

HEIGHTS = (24, 48, 96)
LEAST_ENLARGEMENT = 1.45
"""Least ratio of the truth's height to the reduced one's."""
LARGEST = 640
"""Longest side of a truth; larger ones are halved, to save time."""
QUALITY = 85
EYES, MOUTH = (0.22, 0.52), (0.62, 0.9)
"""From where to where, as shares of a face from brow to chin."""
ALONE = "enlarged"


@dataclass(frozen=True)
class Portrait:
    """A face with its hair: the truth, and where the face lies in it."""

    truth: np.ndarray
    face: Face

    @property
    def height(self) -> int:
        return self.face.box.height

    @property
    def head(self) -> Box:
        """The face with what is around it, as far as the picture goes."""
        rows, columns = self.truth.shape[:2]
        return self.face.box.grown(self.height // 3).intersection(Box(0, 0, columns, rows))


def portraits() -> list[Portrait]:
    """All held-out faces."""
    found = []
    for path in sorted((CACHE / "arrays" / "test" / "face").glob("*.npy")):
        if path.name.startswith(CLOSE):
            continue
        truth = np.load(path)[..., :3]
        while max(truth.shape[:2]) > LARGEST:
            truth = cv2.resize(truth, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        height = round(min(truth.shape[:2]) / AROUND)
        middle_y, middle_x = truth.shape[0] // 2, truth.shape[1] // 2
        width = round(0.8 * height)
        box = Box(middle_x - width // 2, middle_y - height // 2, width, height)
        found.append(Portrait(truth, Face(box, 90.0, 0.0)))
    return found


def make_layer(portrait: Portrait, height: int) -> Pixels:
    """The portrait reduced to a face of this height, and enlarged again to the truth's size."""
    factor = portrait.height / height
    rows, columns = portrait.truth.shape[:2]
    small = PIL.Image.fromarray(portrait.truth).resize(
        (max(16, round(columns / factor)), max(16, round(rows / factor))),
        PIL.Image.Resampling.BICUBIC,
    )
    source = reduce_picture(np.asarray(small), 1, QUALITY)
    size = Size(columns, rows)
    return Pixels(Enlarged(source, size, upscaler("vitreous")).read(Box.whole(size)))


def touch_up_face(layer: Pixels, face: Face, model: str, strength: float) -> SampleArray:
    """Touch up the face of a layer."""
    settings = TouchUp(
        (patch_for_face(face, layer.size, 0.35, 0.5, seed=7),), refine=Refine(model=model)
    )
    patch = replace(settings.patches[0], strength=strength)
    settings = replace(settings, patches=(patch,))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        touch_up(layer, settings, folder / "work", folder / "out.npy")
        with Canvas(folder / "out.npy") as made:
            return made.read(Box.whole(layer.size))


def measure(made: np.ndarray, portrait: Portrait) -> tuple[float, float]:
    """Root mean square difference inside the face, in levels of 255; correlation of the edges of eyes and
    mouth with the truth's."""
    box, truth = portrait.face.box, portrait.truth
    inside = np.s_[box.y : box.bottom, box.x : box.right]
    rows, columns = np.meshgrid(
        np.linspace(-1, 1, box.height), np.linspace(-1, 1, box.width), indexing="ij"
    )
    oval = rows**2 + columns**2 <= 1
    off = (made[inside].astype(float) - truth[inside])[oval]
    error = float(np.sqrt((off**2).mean()))
    edges = []
    for top, bottom in (EYES, MOUTH):
        band = np.s_[
            box.y + round(top * box.height) : box.y + round(bottom * box.height), box.x : box.right
        ]
        one, other = (_edges(picture[band]) for picture in (made, truth))
        edges.append(float(np.corrcoef(one.ravel(), other.ravel())[0, 1]))
    return error, float(np.mean(edges))


def _edges(pixels: np.ndarray) -> np.ndarray:
    grey = cv2.cvtColor(np.ascontiguousarray(pixels), cv2.COLOR_RGB2GRAY).astype(np.float32)
    across, down = cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1)
    return np.hypot(across, down)


def sheet(rows: list[list[np.ndarray]], path: Path, side: int = 200) -> None:
    cells = [
        np.concatenate(
            [cv2.resize(cell, (side, side), interpolation=cv2.INTER_AREA) for cell in row], 1
        )
        for row in rows
    ]
    PIL.Image.fromarray(np.concatenate(cells)).save(path, quality=92)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("models", nargs="+")
    parser.add_argument("--count", type=int, default=16)
    parser.add_argument("--strength", type=float, default=0.45)
    parser.add_argument("--sheet", type=Path)
    given = parser.parse_args()
    chance = np.random.default_rng(5)
    ways = [ALONE, *given.models]
    known = portraits()
    shown, key = [], []
    print("| px from brow to chin | faces | " + " | ".join(ways) + " |")
    print("|---|---|" + "---|" * len(ways))
    for height in HEIGHTS:
        large = [one for one in known if one.height >= LEAST_ENLARGEMENT * height]
        used = large[:: max(1, len(large) // given.count)][: given.count]
        found: dict[str, list[tuple[float, float]]] = {way: [] for way in ways}
        for number, portrait in enumerate(used):
            layer = make_layer(portrait, height)
            made = {ALONE: layer.samples}
            made |= {
                model: touch_up_face(layer, portrait.face, model, given.strength)
                for model in given.models
            }
            eight = {way: to_eight_bits(samples) for way, samples in made.items()}
            for way in ways:
                found[way].append(measure(eight[way], portrait))
            if given.sheet and number % max(1, len(used) // 4) == 0:
                order = [ways[place] for place in chance.permutation(len(ways))]
                head = portrait.head.slices
                shown.append([portrait.truth[head], *(eight[way][head] for way in order)])
                key.append(f"{height} px: {', '.join(order)}")
        if not used:
            print(f"| {height} | none is large enough |" + " |" * len(ways))
            continue
        cells = []
        for way in ways:
            errors, edges = zip(*found[way], strict=True)
            cells.append(f"{np.mean(errors):.2f}, edges {np.mean(edges):.2f}")
        print(f"| {height} | {len(used)} | " + " | ".join(cells) + " |", flush=True)
    if given.sheet:
        sheet(shown, given.sheet)
        print("Key, left to right after the truth:", *key, sep="\n")


if __name__ == "__main__":
    main()
