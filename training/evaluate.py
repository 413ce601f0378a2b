"""Measures models on the test split or on any folder of pictures; prints tables for docs/models.md.

    python -m training.evaluate [FOLDER] [--factor 4] [--quality 40] [--count 40]   upscalers
    python -m training.evaluate --refiner grisaille [--strength 0.3] [--count 12]    a refiner
    python -m training.evaluate --words grisaille [--count 6 --strength 0.6 --hold 0 --guidance 2]
    python -m training.evaluate --crops docs/models-crops.png                        the sheet of crops

Every picture is cut to a middle square, reduced by the factor, compressed if asked, enlarged again by
plain interpolation and by every model, and compared with itself.
"""

import argparse
import io
import tempfile
import time
from collections import defaultdict
from collections.abc import Iterable
from pathlib import Path

import numpy as np
import PIL.Image
import PIL.ImageDraw

from enamel.core.canvas import Pixels, SampleArray
from enamel.core.fire import fire
from enamel.core.geometry import Box, Size
from enamel.core.schedule import Coat, Mode, Refine, Schedule
from enamel.core.upscale import Enlarged, upscaler, upscaler_names
from training.materials import MATERIALS, words_of
from training.measures import (
    character,
    grey,
    low_psnr,
    overshoot,
    psnr,
    sharpness,
    ssim,
    top_octave,
    unsharpened_to,
)  # fmt: skip
from training.sources import CACHE

SIDE = 480
DEMO = Path(__file__).parent.parent / "demo" / "pictures"


def squares(folder: Path, count: int) -> list[np.ndarray]:
    """Middle squares of the folder's pictures, arrays or files, at most ``count`` of each subfolder."""
    found = []
    for group in [folder, *sorted(path for path in folder.iterdir() if path.is_dir())]:
        paths = sorted(path for path in group.iterdir() if path.is_file())
        for path in paths[:: max(1, len(paths) // count)][:count]:
            pixels = opened(path)
            if pixels is None:
                continue
            found.append(middle(pixels))
    return found


def opened(path: Path) -> "np.ndarray | None":
    """A picture's pixels, (height, width, 3) uint8; None when the file is none."""
    if path.suffix == ".npy":
        return np.load(path, mmap_mode="r")
    try:
        return np.asarray(PIL.Image.open(path).convert("RGB"))
    except OSError:
        return None


def middle(pixels: np.ndarray, side: int = SIDE) -> np.ndarray:
    side = min(side, *pixels.shape[:2]) // 8 * 8
    top, left = ((length - side) // 2 for length in pixels.shape[:2])
    return np.array(pixels[top : top + side, left : left + side])


def samples(pixels: np.ndarray) -> SampleArray:
    return pixels.astype(np.uint16) * np.uint16(257)


def small_of(sharp: np.ndarray, factor: int, quality: int | None = None) -> Pixels:
    """The source that a sharp picture is made into."""
    image = PIL.Image.fromarray(sharp)
    image = image.resize(
        (image.width // factor, image.height // factor), PIL.Image.Resampling.BICUBIC
    )
    if quality is not None:
        buffer = io.BytesIO()
        image.save(buffer, "JPEG", quality=quality)
        image = PIL.Image.open(buffer).convert("RGB")
    return Pixels(samples(np.asarray(image)))


def enlarged(source: Pixels, size: Size, name: str) -> SampleArray:
    return Enlarged(source, size, upscaler(name)).read(Box.whole(size))


def refined(source: Pixels, size: Size, name: str, settings: Refine) -> SampleArray:
    """A coat on the source, in one piece."""
    coat = Coat(size=size, upscaler=name, refine=settings)
    with tempfile.TemporaryDirectory() as folder:
        result = fire(source, Schedule((coat,)), Path(folder)).result
        return np.array(result.read(Box.whole(size)))


def evaluate(folder: Path, factor: int, quality: int | None, count: int) -> None:
    pictures = squares(folder, count)
    print(
        f"{len(pictures)} pictures, {factor}×, {'JPEG ' + str(quality) if quality else 'uncompressed'}"
    )
    print("| upscaler | PSNR-Y | SSIM | top octave, share of the truth's | low PSNR | MP/s out |")
    print("|---|---|---|---|---|---|")
    for name in upscaler_names():
        scores, seconds, area = [], 0.0, 0.0
        for sharp in pictures:
            source = small_of(sharp, factor, quality)
            size = Size(sharp.shape[1], sharp.shape[0])
            began = time.perf_counter()
            large = enlarged(source, size, name)
            seconds += time.perf_counter() - began
            area += size.megapixels
            found, truth = grey(large), grey(samples(sharp))
            share = top_octave(found) / max(top_octave(truth), 1e-9)
            plain = grey(enlarged(source, size, "lanczos"))
            scores.append((psnr(found, truth), ssim(found, truth), share, low_psnr(found, plain)))
        values = np.array(scores)
        print(
            f"| {name} | {values[:, 0].mean():.2f} dB | {values[:, 1].mean():.4f} "
            f"| {np.median(values[:, 2]):.0%} | {values[:, 3].mean():.1f} dB | {area / seconds:.2f} |",
            flush=True,
        )


def evaluate_refiner(folder: Path, name: str, strength: float, count: int) -> None:
    """Detail, tone and halos of a refiner over several upscalers, against unsharp masking."""
    pictures = squares(folder, count)
    print(f"{len(pictures)} pictures, strength {strength:g}, 8 steps")
    print(
        "| source | top octave before | after | low PSNR to the source | sharpness | overshoot "
        "| Lanczos + unsharp, as sharp |"
    )
    print("|---|---|---|---|---|---|---|")
    for factor, by in ((2, "lanczos"), (2, "brisk"), (4, "vitreous")):
        rows = []
        for sharp in pictures:
            source = small_of(sharp, factor)
            size = Size(sharp.shape[1], sharp.shape[0])
            settings = Refine(model=name, strength=strength, steps=8, seed=5, mode=Mode.JOINT)
            before = grey(enlarged(source, size, by))
            after = grey(refined(source, size, by, settings))
            plain = grey(enlarged(source, size, "lanczos"))
            true = top_octave(grey(samples(sharp)))
            rows.append(
                (
                    top_octave(before) / true,
                    top_octave(after) / true,
                    low_psnr(after, before),
                    sharpness(after) / sharpness(before),
                    overshoot(after, before),
                    overshoot(unsharpened_to(plain, sharpness(after)), plain),
                )
            )
        found = np.median(np.array(rows), axis=0)
        print(
            f"| {by} {factor}× | {found[0]:.0%} | {found[1]:.0%} | {found[2]:.1f} dB "
            f"| × {found[3]:.2f} | {found[4]:.3f} | {found[5]:.3f} |",
            flush=True,
        )


def textures(split: str) -> dict[str, list[np.ndarray]]:
    """Squares of textures by the one word that their file names say."""
    found: dict[str, list[np.ndarray]] = defaultdict(list)
    for path in sorted((CACHE / "arrays" / split / "texture").glob("*.npy")):
        weights = words_of("texture", path.name)
        if np.count_nonzero(weights) == 1:
            pixels = np.load(path, mmap_mode="r")
            if min(pixels.shape[:2]) >= 256:
                found[MATERIALS[int(weights.argmax())].words[0]].append(middle(pixels, 256))
    return found


def evaluate_words(name: str, count: int, strength: float, hold: float, guidance: float) -> None:
    """Whether a word moves the result towards its material's statistics, on textures of other materials."""
    learnt, shown = textures("train"), textures("test")
    means = {word: means_of(group) for word, group in learnt.items() if len(group) >= 8}
    spread = np.std(list(means.values()), axis=0)
    subjects = [square for group in shown.values() for square in group[:1]][:count]
    print(f"{len(subjects)} test textures, each refined without words and with each word")
    print("| word | nearer to its material than without | mean change of the distance |")
    print("|---|---|---|")
    nearer, changes = [], []
    for word, target in means.items():
        moved = []
        for square in subjects:
            source, size = small_of(square, 2), Size(*square.shape[1::-1])
            settings = {
                "model": name, "strength": strength, "steps": 8, "seed": 3, "hold": hold,
                "guidance": guidance, "mode": Mode.JOINT,
            }  # fmt: skip
            plain, worded = (
                character(grey(refined(source, size, "lanczos", Refine(**settings, prompt=prompt))))
                for prompt in ("", word)
            )
            away = [np.linalg.norm((one - target) / spread) for one in (plain, worded)]
            moved.append(away[1] - away[0])
        nearer.append(np.mean(np.array(moved) < 0))
        changes.append(np.mean(moved))
        print(f"| {word} | {nearer[-1]:.0%} | {changes[-1]:+.3f} |", flush=True)
    print(f"| all | {np.mean(nearer):.0%} | {np.mean(changes):+.3f} |")


def means_of(group: Iterable[np.ndarray]) -> np.ndarray:
    return np.mean([character(grey(samples(square))) for square in group], axis=0)


CROPS = (
    ("stationmaster.png", (330, 385, 64, 48)),
    ("emblem.png", (270, 560, 64, 48)),
    ("tea-car.jpg", (300, 430, 64, 48)),
    ("signal-lamp.jpg", (160, 200, 64, 48)),
)


def draw_crops(path: Path) -> None:
    """Demo crops enlarged 4× by each upscaler and refined on top, at 200 %, as one PNG."""
    columns = ["lanczos", *(name for name in upscaler_names() if upscaler(name).factor)]
    columns.append("vitreous + grisaille 0.3")
    width, height = (2 * 4 * side for side in CROPS[0][1][2:])
    sheet = PIL.Image.new(
        "RGB", (len(columns) * (width + 8), len(CROPS) * (height + 8) + 24), "white"
    )
    pen = PIL.ImageDraw.Draw(sheet)
    for column, name in enumerate(columns):
        pen.text((column * (width + 8) + 4, 6), name, "black")
        for row, (file, box) in enumerate(CROPS):
            pixels = opened(DEMO / file)
            assert pixels is not None
            part = Box(*box).grown(24).intersection(Box(0, 0, pixels.shape[1], pixels.shape[0]))
            source = Pixels(samples(pixels[part.slices]))
            size = Size(part.width * 4, part.height * 4)
            by, _, refiner = name.partition(" + ")
            settings = Refine(strength=0.3 if refiner else 0.0, mode=Mode.JOINT)
            large = refined(source, size, by, settings)
            inner = Box(*box).relative_to(part)
            crop = Box(inner.x * 4, inner.y * 4, inner.width * 4, inner.height * 4)
            image = PIL.Image.fromarray((large[crop.slices] // 257).astype(np.uint8))
            image = image.resize((width, height), PIL.Image.Resampling.NEAREST)
            sheet.paste(image, (column * (width + 8) + 4, 24 + row * (height + 8)))
    sheet.save(path, optimize=True)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", nargs="?", type=Path, default=CACHE / "arrays" / "test")
    parser.add_argument("--factor", type=int, default=4)
    parser.add_argument("--quality", type=int)
    parser.add_argument("--count", type=int, default=40)
    parser.add_argument("--strength", type=float, default=0.3)
    parser.add_argument("--refiner")
    parser.add_argument("--words")
    parser.add_argument("--hold", type=float, default=0.0, help="of the structure, for words")
    parser.add_argument("--guidance", type=float, default=2.0, help="scale, for words")
    parser.add_argument("--crops", type=Path)
    chosen = parser.parse_args()
    if chosen.refiner:
        evaluate_refiner(chosen.folder, chosen.refiner, chosen.strength, chosen.count)
    elif chosen.words:
        evaluate_words(chosen.words, chosen.count, chosen.strength, chosen.hold, chosen.guidance)
    elif chosen.crops:
        draw_crops(chosen.crops)
    else:
        evaluate(chosen.folder, chosen.factor, chosen.quality, chosen.count)
