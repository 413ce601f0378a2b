"""Measure how many faces are found, and the effect of mending them, for docs/research/faces.md.

    python -m tools.faces [--portraits FOLDER] [--mend]

Every second painted portrait of 200 px and more of Debian's `wesnoth-1.16-data`, as `training.sources`
unpacks it, laid on grey; and twenty pictures without faces: test textures and drawings, and four of the
demo.
"""

import argparse
import datetime
import statistics
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import PIL.Image

from enamel.core.faces.detection import Face, detect_faces
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels
from enamel.core.intake.subject import SUITED_TO_FACES
from enamel.core.masks import Mask, RenderedMask
from enamel.core.masks.measured import face_steps
from enamel.core.pipeline.touchup import Origin, TouchUp, patch_for_face, touch_up
from enamel.core.schedule import Mode, Refine
from enamel.core.upscaling import Enlarged, upscaler
from tools.pages import put

ROOT = Path(__file__).resolve().parent.parent
PAGE = ROOT / "docs" / "research" / "faces.md"
DEMO = ROOT / "demo" / "pictures"
CACHE = ROOT / "training" / "cache"
PORTRAITS = (
    CACHE / "packages/wesnoth-1.16-data/usr/share/games/wesnoth/1.16/data/core/images/portraits"
)
FACELESS = ("night-mail.png", "emblem.png", "tea-car.jpg", "signal-lamp.jpg")
HAVE_FACES = ("_people_",)
"""Parts of names of test pictures that are left out because they show faces."""
LEAST = 200
GREY = (128, 128, 128, 255)


def on_grey(path: Path) -> np.ndarray:
    """Return a picture's pixels, (height, width, 3) uint8, with cut-out figures laid on grey."""
    with PIL.Image.open(path) as image:
        figure = image.convert("RGBA")
    ground = PIL.Image.new("RGBA", figure.size, GREY)
    ground.alpha_composite(figure)
    return np.asarray(ground.convert("RGB"))


def found_in(pixels: np.ndarray) -> tuple[list[Face], float]:
    """Return the faces found, and the seconds it took."""
    began = time.perf_counter()
    faces = detect_faces(Pixels(pixels.astype(np.uint16) * 257))
    return faces, time.perf_counter() - began


def portraits(folder: Path) -> list[Path]:
    large = []
    for path in sorted(folder.rglob("*.png")):
        with PIL.Image.open(path) as image:
            if min(image.size) >= LEAST:
                large.append(path)
    return large[::2]


def faceless() -> list[tuple[str, np.ndarray]]:
    found = [(name, on_grey(DEMO / name)) for name in FACELESS]
    for kind in ("texture", "drawing"):
        paths = sorted((CACHE / "arrays" / "test" / kind).glob("*.npy"))
        paths = [path for path in paths if not any(part in path.stem for part in HAVE_FACES)]
        found += [(path.stem, np.load(path)) for path in paths[:: max(1, len(paths) // 8)][:8]]
    return found


def measured(folder: Path) -> str:
    lines = ["| pictures | with a face found | share |", "|---|---|---|"]
    paths, seconds = portraits(folder), []
    seen = several = 0
    for path in paths:
        faces, took = found_in(on_grey(path))
        seconds.append(took)
        seen += bool(faces)
        several += len(faces) > 1
        if not faces:
            print("none in", path.relative_to(folder), flush=True)
    lines.append(f"| {len(paths)} painted portraits | {seen} | {seen / len(paths):.0%} |")
    without = faceless()
    alarms = [name for name, pixels in without if found_in(pixels)[0]]
    lines.append(
        f"| {len(without)} without faces | {len(alarms)} | {len(alarms) / len(without):.0%} |"
    )
    crowd, took = found_in(on_grey(DEMO / "platform.png"))
    lines += [
        "",
        f"More than one in {several} portraits. {len(crowd)} faces on the crowded platform, in {took:.1f} s. "
        f"{statistics.median(seconds):.2f} s for a portrait (median).",
        f"False alarms: {', '.join(alarms) or 'none'}.",
        "",
        f"Measured {datetime.datetime.now(datetime.UTC):%d %B %Y} by `python -m tools.faces`.",
    ]
    return "\n".join(lines)


def samples_of(picture: np.ndarray) -> Pixels:
    return Pixels(picture.astype(np.uint16) * 257)


def error_in(samples: np.ndarray, truth: np.ndarray, face: Face, size: Size) -> float:
    """Return the root mean square difference from the truth within a face, in levels of 255."""
    covered = RenderedMask(Mask(size, face_steps([face], 0.0)), size).read(Box.whole(size))[
        ..., None
    ]
    squared = (samples / 257.0 - truth) ** 2 * covered
    return float(np.sqrt(squared.sum() / (3 * covered.sum())))


def mended() -> str:
    """Compare faces of demo bases, doubled and mended, with the originals."""
    lines = [
        "| | faces | plain upscaling | Vitreous | mended on the layer | mended from the base |",
        "|---|---|---|---|---|---|",
    ]
    for name in ("stationmaster", "platform"):
        base = samples_of(on_grey(DEMO / f"{name}.png"))
        size = base.size.scaled(2)
        with PIL.Image.open(DEMO / f"{name}.truth.jpg") as image:
            small = image.convert("RGB").resize(size, PIL.Image.Resampling.LANCZOS)
        truth = np.asarray(small).astype(float)
        faces = [replace(face, box=face.box.scaled(2)) for face in detect_faces(base)]
        layers = {
            by: Pixels(Enlarged(base, size, upscaler(by)).read(Box.whole(size)))
            for by in ("lanczos", "vitreous")
        }
        rows = [_of_face(base, layers, face, truth) for face in faces]
        means = [f"{statistics.mean(column):.2f}" for column in zip(*rows, strict=True)]
        fallen = [sum(row[at] < row[0] for row in rows) for at in (2, 3)]
        lines.append(
            f"| {name} | {len(faces)} | {means[0]} | {means[1]} | {means[2]}, less in {fallen[0]} | "
            f"{means[3]}, less in {fallen[1]} |"
        )
    lines += [
        "",
        f"Measured {datetime.datetime.now(datetime.UTC):%d %B %Y} by `python -m tools.faces --mend`.",
    ]
    return "\n".join(lines)


def _of_face(base: Pixels, layers: dict[str, Pixels], face: Face, truth: np.ndarray) -> list[float]:
    """Return the error within a face: by interpolation, by Vitreous, and mended both ways."""
    layer = layers["lanczos"]
    found = [error_in(one.samples, truth, face, layer.size) for one in layers.values()]
    refine = Refine(model=SUITED_TO_FACES, mode=Mode.JOINT)
    for origin in Origin:
        patch = patch_for_face(face, layer.size, 0.4, 0.5, 1)
        settings = TouchUp((patch,), origin=origin, upscaler="vitreous", refine=refine)
        with tempfile.TemporaryDirectory() as folder:
            into = Path(folder) / "mended.npy"
            touch_up(layer, settings, Path(folder) / "work", into, base=base)
            after = np.load(into)
        covered = RenderedMask(patch.mask, layer.size).read(Box.whole(layer.size))
        if (after[covered == 0] != layer.samples[covered == 0]).any():
            raise SystemExit("something changed outside the mask")
        found.append(error_in(after, truth, face, layer.size))
    return found


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--portraits", type=Path, default=PORTRAITS, metavar="FOLDER")
    parser.add_argument("--mend", action="store_true", help="measure mended faces instead")
    given = parser.parse_args()
    part, text = ("mended", mended()) if given.mend else ("faces", measured(given.portraits))
    print(text)
    put(PAGE, part, text)
