"""Measure how well the checks find planted faults, and how often they raise false alarms.

Writes its part of docs/research/checks.md; run with the environment's Python. The demo pictures are fired
once, under var/calibration, which takes some ten minutes; after that a run takes a few. Joins are also
looked for on photographs, which the repository does not hold: those of `training.sources`, or of the
folder that is named.
"""

import argparse
import datetime
import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import PIL.Image

from enamel.core.checks import Kind, Report, check, check_joins
from enamel.core.checks.faces import faces_of
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, Pixels, SampleArray
from enamel.core.imaging.colour import delta_e, lab_of, luma
from enamel.core.intake.pixels import examine, read_canvas
from enamel.core.pipeline.firing import fire, materialise
from enamel.core.schedule import Coat, Mode, Refine, Schedule
from enamel.core.tiling.passspec import PassSpec
from enamel.core.tiling.separate import grid_of
from enamel.core.upscaling import Enlarged, chosen
from tools.pages import put

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "demo" / "pictures"
PAGE = ROOT / "docs" / "research" / "checks.md"
KEPT = Path(os.environ.get("ENAMEL_VAR", ROOT / "var")) / "calibration"
BASES = ("stationmaster.png", "night-mail.png", "platform.png", "emblem.png", "tea-car.jpg",
         "signal-lamp.jpg")  # fmt: skip
CACHED = ROOT / "training" / "cache" / "arrays" / "test" / "photo"
"""Photographs that no network was trained on, from `training.sources`."""
COATS = {
    mode: Coat(factor=2.0, upscaler="brisk", refine=Refine(tile=(256, 256), mode=mode, seed=5))
    for mode in (Mode.JOINT, Mode.SEPARATE)
}


def base_of(name: str) -> Canvas:
    path = KEPT / f"{Path(name).stem}.base.npy"
    if not path.exists():
        KEPT.mkdir(parents=True, exist_ok=True)
        source = DEMO / name
        read_canvas(source, examine(source), path)
    return Canvas(path)


def fired(name: str, mode: Mode) -> Canvas:
    """Return a demo picture at 2×, refined at the usual strength."""
    path = KEPT / f"{Path(name).stem}.{mode}.npy"
    if not path.exists():
        with base_of(name) as base:
            result = fire(base, Schedule((COATS[mode],)), KEPT / "work").result
            materialise(result, Box.whole(result.size), path)
    return Canvas(path)


def enlarged(name: str, base: Canvas, size: Size) -> Canvas:
    """Return the picture that was refined."""
    path = KEPT / f"{Path(name).stem}.enlarged.npy"
    if path.exists():
        return Canvas(path)
    return materialise(Enlarged(base, size, chosen(COATS[Mode.JOINT])), Box.whole(size), path)


@dataclass(frozen=True)
class Fault:
    """A kind of damage to a patch of a result, and the kinds of findings that count as detecting it."""

    words: str
    side: int
    spoil: Callable[[np.ndarray, np.random.Generator], np.ndarray]
    kinds: tuple[Kind, ...]
    where: str = "anywhere"
    """``anywhere``, ``textured``, ``edges`` or ``smooth``: where the patch is placed in the result."""


def soft_mask(side: int, edge: int = 12) -> np.ndarray:
    ramp = np.clip((np.minimum(np.arange(side), np.arange(side)[::-1]) + 0.5) / edge, 0, 1)
    return np.minimum(ramp[:, None], ramp)[..., None]


def eye(patch: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return the stationmaster's eye, turned a little."""
    with base_of("stationmaster.png") as base:
        found = base.read(EYE).astype(np.float32) / 65535
    side = patch.shape[0]
    turn = cv2.getRotationMatrix2D((EYE.width / 2, EYE.height / 2), rng.uniform(-25, 25), 1.0)
    turned = cv2.warpAffine(found, turn, (EYE.width, EYE.height), borderMode=cv2.BORDER_REFLECT)
    return cv2.resize(turned, (side, side), interpolation=cv2.INTER_CUBIC)


def face(patch: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return the stationmaster's face."""
    with base_of("stationmaster.png") as base:
        found = base.read(FACE).astype(np.float32) / 65535
    return cv2.resize(found, (patch.shape[1], patch.shape[0]), interpolation=cv2.INTER_AREA)


def tinted(patch: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return samples shifted in a*, b* by 3 ΔE00 on average."""
    lab = cv2.cvtColor(patch, cv2.COLOR_RGB2Lab)
    angle = rng.uniform(0, 2 * np.pi)
    before = lab_of(to_samples(patch))
    low, high = 0.0, 40.0
    for _ in range(12):
        middle = (low + high) / 2
        moved = lab.copy()
        moved[..., 1] = moved[..., 1] + middle * np.cos(angle)
        moved[..., 2] = moved[..., 2] + middle * np.sin(angle)
        out = np.clip(cv2.cvtColor(moved, cv2.COLOR_Lab2RGB), 0, 1)
        if delta_e(before, lab_of(to_samples(out))).mean() < 3:
            low = middle
        else:
            high = middle
    return out


def blurred(patch: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    return cv2.GaussianBlur(patch, (0, 0), 2.5)


def haloed(patch: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    return np.clip(patch + 1.5 * (patch - cv2.GaussianBlur(patch, (0, 0), 3.0)), 0, 1)


def banded(patch: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    return np.rint(cv2.GaussianBlur(patch, (0, 0), 4) * 48) / 48


def clipped(patch: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    high = np.quantile(patch.max(axis=2), 0.4)
    return np.clip(patch / max(high, 0.05), 0, 1)


EYE = Box(290, 318, 80, 60)
FACE = Box(230, 230, 430, 430)
FAULTS = (
    Fault("an extra eye, 64 px", 64, eye, (Kind.INVENTED, Kind.STRUCTURE, Kind.FACE)),
    Fault("an extra eye, 40 px", 40, eye, (Kind.INVENTED, Kind.STRUCTURE, Kind.FACE)),
    Fault("colour shifted by 3 ΔE00, 160 px", 160, tinted, (Kind.COLOUR,)),
    Fault("a blurred patch (σ 2.5 px), 128 px", 128, blurred, (Kind.LOST,), "textured"),
    Fault("halos (unsharp mask, radius 3 px, 150 %), 128 px", 128, haloed, (Kind.HALO,), "edges"),
    Fault("bands (48 levels), 160 px", 160, banded, (Kind.BANDING,), "smooth"),
    Fault("clipped highlights, 128 px", 128, clipped, (Kind.CLIPPING,)),
)
PLANTED = 8
"""How many of each fault are planted in a picture, if there are places."""


def to_samples(values: np.ndarray) -> SampleArray:
    return np.rint(np.clip(values, 0, 1) * 65535).astype(np.uint16)


def places(result: np.ndarray, fault: Fault, rng: np.random.Generator) -> list[Box]:
    """Yield places for a fault that do not touch each other."""
    tone = luma(result)
    fine = cv2.blur(np.abs(tone - cv2.GaussianBlur(tone, (0, 0), 2)), (fault.side, fault.side))
    wide = cv2.GaussianBlur(tone, (0, 0), 2)
    span = cv2.dilate(wide, np.ones((9, 9))) - cv2.erode(wide, np.ones((9, 9)))
    edges = cv2.blur((span > 0.2).astype(np.float32), (fault.side, fault.side))
    slope = cv2.blur(span, (fault.side, fault.side))
    size = Size(result.shape[1], result.shape[0])
    found: list[Box] = []
    for _ in range(600):
        x = int(rng.integers(8, size.width - fault.side - 8))
        y = int(rng.integers(8, size.height - fault.side - 8))
        middle = y + fault.side // 2, x + fault.side // 2
        fits = {
            "anywhere": True,
            "textured": fine[middle] > 2.5 / 255,
            "edges": edges[middle] > 0.15,
            "smooth": 4 / 255 < slope[middle] < 16 / 255 and fine[middle] < 1.5 / 255,
        }[fault.where]
        box = Box(x, y, fault.side, fault.side)
        if fits and all(box.grown(40).intersection(other).empty for other in found):
            found.append(box)
        if len(found) == PLANTED:
            break
    return found


def planted(
    fault: Fault,
    base: Canvas,
    result: Canvas,
    faces: tuple[list[Box], list[Box]],
    rng: np.random.Generator,
) -> tuple[int, int]:
    """Plant a fault, and return how many were planted and found."""
    whole = result.read(Box.whole(result.size))[..., :3].astype(np.float32) / 65535
    spots = places(whole, fault, rng)
    before = check(base, result, faces=faces)
    for box in spots:
        patch = whole[box.slices]
        mask = soft_mask(fault.side, 12 if fault.spoil is not eye else 6).astype(np.float32)
        whole[box.slices] = patch + (fault.spoil(patch.copy(), rng) - patch) * mask
    after = check(base, Pixels(to_samples(whole)), faces=faces)
    seen = 0
    for box in spots:

        def hit(report: Report, box: Box = box) -> bool:
            return any(one.kind in fault.kinds and overlap(one.box, box) for one in report.findings)

        seen += hit(after) and not hit(before)
    return len(spots), seen


def overlap(one: Box, other: Box) -> bool:
    common = one.intersection(other).area
    return common > 0.2 * min(one.area, other.area) and one.area < 12 * other.area


def seams(name: str, rng: np.random.Generator) -> dict[str, int]:
    """Count false alarms of segments in joint mode, and found steps of 2 levels over 64 px."""
    refine = COATS[Mode.JOINT].refine
    counts = dict.fromkeys(
        (
            "segments",
            "false",
            "flat",
            "flat found",
            "all",
            "all found",
            "separate",
            "separate seen",
        ),
        0,
    )
    with base_of(name) as base, fired(name, Mode.JOINT) as result:
        assert refine is not None
        grid = grid_of(PassSpec.of(refine, result.size))
        source = enlarged(name, base, result.size)
        report = check_joins(result, source, grid)
        counts["segments"], counts["false"] = len(report.segments), len(report.visible)
        whole = result.read(Box.whole(result.size))
        texture = {one.box: float(_texture(whole, one.box)) for one in report.segments}
        picked = [
            report.segments[int(number)] for number in rng.permutation(len(report.segments))[::5]
        ]
        spoiled = whole.astype(np.int32)
        for one in picked:
            box = one.box
            if one.vertical:
                spoiled[
                    box.y : box.bottom, box.x + box.width // 2 : box.x + box.width // 2 + 96
                ] += 2 * 257
            else:
                spoiled[
                    box.y + box.height // 2 : box.y + box.height // 2 + 96, box.x : box.right
                ] += 2 * 257
        after = check_joins(Pixels(np.clip(spoiled, 0, 65535).astype(np.uint16)), source, grid)
        found = {one.box for one in after.visible}
        for one in picked:
            counts["all"] += 1
            counts["all found"] += one.box in found
            if texture[one.box] < 2.0:
                counts["flat"] += 1
                counts["flat found"] += one.box in found
    with base_of(name) as base, fired(name, Mode.SEPARATE) as result:
        report = check_joins(result, enlarged(name, base, result.size), grid)
        counts["separate"], counts["separate seen"] = len(report.segments), len(report.visible)
    return counts


def strange_faces(name: str, rng: np.random.Generator) -> tuple[int, int]:
    """Set faces into a picture, and count those reported as new."""
    fault = Fault("a new face", 160, face, (Kind.FACE,))
    with base_of(name) as base, fired(name, Mode.JOINT) as result:
        whole = result.read(Box.whole(result.size))[..., :3].astype(np.float32) / 65535
        known = faces_of(base)
        free = [box for box in places(whole, fault, rng) if all(
            box.intersection(Box(*(2 * side for side in (one.x, one.y, *one.size)))).empty
            for one in known)][:4]  # fmt: skip
        for box in free:
            mask = soft_mask(fault.side).astype(np.float32)
            whole[box.slices] += (face(whole[box.slices], rng) - whole[box.slices]) * mask
        spoiled = Pixels(to_samples(whole))
        report = check(base, spoiled, faces=(known, faces_of(spoiled)))
    seen = [one.box for one in report.findings if one.kind is Kind.FACE]
    return len(free), sum(any(overlap(one, box) for one in seen) for box in free)


def lost_faces(name: str) -> tuple[int, int]:
    """Paint out every third face of a picture, and count those reported as missing."""
    with base_of(name) as base, fired(name, Mode.JOINT) as result:
        whole = result.read(Box.whole(result.size))[..., :3].astype(np.float32) / 65535
        known = faces_of(base)
        gone = [Box(*(2 * side for side in (box.x, box.y, *box.size))) for box in known[::3]]
        for box in gone:
            patch = whole[box.slices]
            whole[box.slices] = cv2.GaussianBlur(patch, (0, 0), box.width / 4)
        spoiled = Pixels(to_samples(whole))
        report = check(base, spoiled, faces=(known, faces_of(spoiled)))
    seen = [one.box for one in report.findings if one.kind is Kind.FACE]
    return len(gone), sum(any(overlap(one, box) for one in seen) for box in gone)


def _texture(whole: SampleArray, box: Box) -> float:
    """Return the root mean square of fine luma under a box, in levels."""
    tone = (
        luma(
            whole[
                box.grown(8).intersection(Box(0, 0, whole.shape[1], whole.shape[0])).slices
            ].astype(np.float32)
        )
        / 257
    )
    return float(np.sqrt(np.mean((tone - cv2.GaussianBlur(tone, (0, 0), 2)) ** 2)))


PHOTOGRAPHS = 16
"""How many photographs are used."""
CUT = 320
"""Side, in px, of the central square of each that is fired at 2×."""


def photographs(folder: Path) -> list[np.ndarray]:
    """Yield central squares of a folder's pictures, (CUT, CUT, 3) uint8, spread over its list of files."""
    files = sorted(
        path for path in folder.iterdir() if path.suffix in {".npy", ".jpg", ".png", ".tif"}
    )
    found: list[np.ndarray] = []
    for path in files[:: max(1, len(files) // (2 * PHOTOGRAPHS))]:
        pixels = np.load(path, mmap_mode="r") if path.suffix == ".npy" else _opened(path)
        if min(pixels.shape[:2]) >= CUT and len(found) < PHOTOGRAPHS:
            top, left = ((side - CUT) // 2 for side in pixels.shape[:2])
            found.append(np.array(pixels[top : top + CUT, left : left + CUT]))
    return found


def _opened(path: Path) -> np.ndarray:
    with PIL.Image.open(path) as image:
        return np.asarray(image.convert("RGB"))


def joins_on_photographs(folder: Path) -> str:
    """Return a sentence: false alarms of joins on photographs, by mode and strength."""
    counts: dict[str, list[int]] = {}
    pictures = photographs(folder)
    for pixels in pictures:
        base = Pixels(pixels.astype(np.uint16) * 257)
        for mode, strength in ((Mode.JOINT, 0.3), (Mode.SEPARATE, 0.3), (Mode.SEPARATE, 0.5)):
            refine = Refine(tile=(256, 256), mode=mode, strength=strength, seed=5)
            coat = Coat(factor=2.0, upscaler="brisk", refine=refine)
            with tempfile.TemporaryDirectory() as work:
                result = fire(base, Schedule((coat,)), Path(work)).result
                grid = grid_of(PassSpec.of(refine, result.size))
                report = check_joins(result, Enlarged(base, result.size, chosen(coat)), grid)
            count = counts.setdefault(f"in {mode} mode at strength {strength:g}", [0, 0])
            count[0] += len(report.segments)
            count[1] += len(report.visible)
    shown = ", ".join(
        f"{words} {seen} of {count} ({_share(seen, count)})"
        for words, (count, seen) in counts.items()
    )
    print(shown, flush=True)
    return (
        f"On {len(pictures)} photographs at 2×, tiles of 256 px, segments that passed the alarm: {shown}. "
        "Joint mode has no joins; its figure tells what the pictures' own edges come to."
    )


def truth_of(name: str, size: Size) -> Pixels:
    """Return the picture that a base was drawn from, at a result's size."""
    with PIL.Image.open(DEMO / f"{Path(name).stem}.truth.jpg") as image:
        fits = image.convert("RGB").resize(size, PIL.Image.Resampling.LANCZOS)
    return Pixels(np.asarray(fits).astype(np.uint16) * 257)


def measured(folder: Path) -> str:
    rng = np.random.default_rng(7)
    totals = {fault.words: [0, 0] for fault in FAULTS}
    alarms: dict[str, dict[Kind, int]] = {}
    joins: list[dict[str, int]] = []
    for name in BASES:
        with base_of(name) as base, fired(name, Mode.JOINT) as result:
            faces = faces_of(base), faces_of(result)
            for words, picture in (("refined", result), ("truth", truth_of(name, result.size))):
                report = check(base, picture, faces=(faces[0], faces_of(picture)))
                count = alarms.setdefault(words, dict.fromkeys(Kind, 0))
                for finding in report.findings:
                    count[finding.kind] += 1
                print(name, words, report.verdict, flush=True)
            for fault in FAULTS:
                planted_here, seen = planted(fault, base, result, faces, rng)
                print(name, fault.words, planted_here, seen, flush=True)
                totals[fault.words][0] += planted_here
                totals[fault.words][1] += seen
        for words, counts in (
            ("a new face, 160 px", strange_faces(name, rng)),
            ("a face painted out", lost_faces(name)),
        ):
            total = totals.setdefault(words, [0, 0])
            for place, number in enumerate(counts):
                total[place] += number
        joins.append(seams(name, rng))
        print(name, joins[-1], flush=True)
    return table(totals, alarms, joins, joins_on_photographs(folder))


def table(
    totals: dict[str, list[int]],
    alarms: dict[str, dict[Kind, int]],
    joins: list[dict[str, int]],
    on_photographs: str,
) -> str:
    """Return the tables for the page."""
    lines = ["| fault | planted | found | share |", "|---|---|---|---|"]
    summed = {key: sum(one[key] for one in joins) for key in joins[0]}
    for words, (count, seen) in totals.items():
        lines.append(f"| {words} | {count} | {seen} | {_share(seen, count)} |")
    for words, key in (("in the flat", "flat"), ("anywhere", "all")):
        count, seen = summed[key], summed[f"{key} found"]
        fault = f"a step of 2 levels along 64 px of a join, {words}"
        lines.append(f"| {fault} | {count} | {seen} | {_share(seen, count)} |")
    lines += ["", "| with nothing planted, six pictures | " + " | ".join(Kind) + " |"]
    lines.append("|---|" + "---|" * len(Kind))
    names = {"truth": "their high-resolution truths at 2×", "refined": "refined at 2×, joint mode"}
    for words, counts in alarms.items():
        found = " | ".join(str(counts[kind]) for kind in Kind)
        lines.append(f"| {names[words]}: findings | {found} |")
    lines += [
        "",
        f"Joins: of {summed['segments']} segments in joint mode {summed['false']} passed the alarm "
        f"({_share(summed['false'], summed['segments'])}), of {summed['separate']} in separate mode "
        f"{summed['separate seen']} ({_share(summed['separate seen'], summed['separate'])}).",
        "",
        on_photographs,
        "",
        f"Measured {datetime.datetime.now(datetime.UTC):%d %B %Y} by `python -m tools.calibrate`.",
    ]
    return "\n".join(lines)


def _share(part: int, whole: int) -> str:
    return f"{part / whole:.1%}" if whole else "–"


if __name__ == "__main__":
    cv2.setNumThreads(2)
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--photographs", type=Path, default=CACHED, metavar="FOLDER")
    put(PAGE, "calibration", measured(parser.parse_args().photographs))
