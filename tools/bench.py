"""Measure speed and memory, and write docs/research/performance.md. Run with the environment's Python.

Each case runs in a separate process. `python -m tools.bench` takes about a quarter of an hour on two cores;
`python -m tools.bench swatches`, `… engine` and so on measure a part and leave the rest as it was.
"""

import datetime
import os
import platform
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np
import PIL.Image
import pyvips

import enamel.core.pipeline.firing as firing
from enamel.core.checkpoints.intake import add_model as add_checkpoint
from enamel.core.checks import Tiled, check
from enamel.core.diffusion.denoiser import Condition, Denoiser, ModelSpec, PixelSpace
from enamel.core.diffusion.refiners import refiner
from enamel.core.diffusion.samplers import Sampler
from enamel.core.diffusion.sigmas import Spacing
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output
from enamel.core.faces.detection import detect_faces
from enamel.core.finishing.finished import Finished
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.recipe import (
    CleanUp,
    Colour,
    Deblur,
    Finish,
    Fringes,
    Grain,
    LocalContrast,
    Match,
    Noise,
    Sharpen,
    Tone,
)
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, FloatArray, Pixels, filled
from enamel.core.imaging.colour import delta_e, lab_of
from enamel.core.imaging.encoded import rgba_of
from enamel.core.intake.pixels import examine, read_canvas
from enamel.core.memory import peak_memory_mb
from enamel.core.networks.cards import Card, cards
from enamel.core.networks.runtimes import Runtime, running
from enamel.core.pipeline.pace import Paces
from enamel.core.pipeline.predict import measured_rate, predict
from enamel.core.pipeline.touchup import TouchUp, make_patch, patch_for_face, show_patch, touch_up
from enamel.core.schedule import Coat, JoinPass, Mode, Order, Refine, Schedule
from enamel.core.tiling.passspec import PassSpec
from enamel.core.tiling.separate import grid_of, moved_to_fewest
from enamel.core.tiling.tilestore import FolderStore
from enamel.core.timing import medians_in_turn
from enamel.core.upscaling import Enlarged, upscaler
from enamel.core.upscaling.onnx import CELL
from tools import browsing
from tools.chrome import VAR, address
from tools.pages import put

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "demo" / "pictures"
PAGE = ROOT / "docs" / "research" / "performance.md"
BASES = ["stationmaster.png", "night-mail.png", "platform.png", "emblem.png", "tea-car.jpg",
         "signal-lamp.jpg"]  # fmt: skip


CONTROLS: list[tuple[str, dict[str, Any], dict[str, Any]]] = [
    ("denoising strength 0.15, 0.8", {"strength": 0.15}, {"strength": 0.8}),
    ("restore detail 0, 0.5", {"restore": 0.0}, {"restore": 0.5}),
    ("4, 16 steps", {"steps": 4}, {"steps": 16}),
    ("Euler, Heun", {"sampler": Sampler.EULER}, {"sampler": Sampler.HEUN}),
    ("Euler ancestral; uniform noise levels", {"sampler": Sampler.EULER_ANCESTRAL},
     {"spacing": Spacing.UNIFORM}),
    ("another seed, at strength 0.3 and 0.5", {"seed": 4}, {"seed": 4, "strength": 0.5}),
    ("hold 0.7, 0.3", {"hold": 0.7}, {"hold": 0.3}),
    ("guidance scale 1.5, 3", {"guidance": 1.5}, {"guidance": 3.0}),
    ("extra noise 0.02, 0.06", {"extra_noise": 0.02}, {"extra_noise": 0.06}),
    ("start contrast 0.95, 1.2", {"contrast": 0.95}, {"contrast": 1.2}),
    ("start chroma 0.9, 1.3", {"chroma": 0.9}, {"chroma": 1.3}),
    ("words at hold 0.3, guidance 2: cloth, stone",
     {"hold": 0.3, "guidance": 2.0, "prompt": "cloth"},
     {"hold": 0.3, "guidance": 2.0, "prompt": "stone"}),
    ("overlap 0, 96 px", {"overlap": 0}, {"overlap": 96}),
    ("feather 0, 0.5", {"feather": 0.0}, {"feather": 0.5}),
    ("checkerboard; joint mode", {"order": Order.CHECKERBOARD}, {"mode": Mode.JOINT}),
    ("pass over the joins at 0.15, 0.3", {"joins": JoinPass(0.15)}, {"joins": JoinPass(0.3)}),
    ("colour anchoring of start chroma 1.3: 0.5, 1",
     {"chroma": 1.3, "anchor": 0.5, "anchor_radius": 16},
     {"chroma": 1.3, "anchor": 1.0, "anchor_radius": 16}),
    ("after a coat that drifted, start from the base: 0.66, 0", {"blend": 0.66}, {"blend": 0.0}),
    ("after a coat that drifted, guided by the base: 0.66, 0", {"guide": 0.66}, {"guide": 0.0}),
]  # fmt: skip
"""Each control with a small and a large useful value."""
BANDS = ((0.25, 0.71, "fine"), (0.125, 0.25, "middle"), (0.0, 0.125, "coarse"))
"""Frequencies in cycles per px: the topmost octave, the next, and all below."""


@dataclass(frozen=True)
class Still(PixelSpace):
    """A network that does nothing, to measure the engine alone."""

    spec: ModelSpec

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        return condition.structure


def one(picture: Path, schedule: dict[str, Any], still: bool) -> dict[str, Any]:
    """Fire a picture in this process; return the report and the prediction."""
    with tempfile.TemporaryDirectory(prefix="enamel-bench-", dir=ROOT / "var") as folder:
        work = Path(folder)
        base = read_canvas(picture, examine(picture), work / "base.npy")
        plan = Schedule.from_json(schedule)
        rates = {"grisaille": measured_rate(refiner("grisaille"))}
        predicted = predict(plan, base.size, Paces(rates=rates))
        if still:
            network: Denoiser = Still(refiner("grisaille").spec)
            setattr(firing, "refiner_of", lambda settings: network)  # noqa: B010
        report = firing.fire(base, plan, work / "work").to_json()
    return report | {
        "source": list(base.size),
        "predicted_seconds": sum(
            coat.enlarge_seconds + coat.refine_seconds for coat in predicted.coats
        ),
        "predicted_memory_mb": predicted.memory_mb,
        "megapixel_steps": predicted.megapixel_steps,
    }


def fired(picture: Path, refine: dict[str, Any], size: Any = None, still: bool = False) -> Any:
    coat: dict[str, Any] = {"refine": refine}
    coat |= {"size": size} if size else {"factor": 2}
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as alone:
        return alone.submit(one, picture, {"coats": [coat]}, still).result()


def grown(name: str, size: tuple[int, int], folder: Path) -> Path:
    """Return a demo base enlarged, as a source for large results."""
    path = folder / f"{size[0]}x{size[1]}.png"
    with PIL.Image.open(DEMO / name) as image:
        image.convert("RGB").resize(size, PIL.Image.Resampling.LANCZOS).save(path)
    return path


def by(sides: list[int]) -> str:
    return f"{sides[0]} × {sides[1]}"


def demo(folder: Path) -> str:
    """Fire every demo base at 2×, and one picture to a commonly quoted size, with default settings and 8
    steps.
    """
    lines = [
        "| picture | from | to | time | MP·steps/s | in the network | peak memory "
        "| actual ÷ predicted time |",
        "|---|---|---|---|---|---|---|---|",
    ]
    quoted = grown("stationmaster.png", (1024, 1536), folder)
    ratios = []
    for picture in [*(DEMO / name for name in BASES), quoted]:
        report = fired(picture, {})
        ratio = report["seconds"] / report["predicted_seconds"]
        ratios.append(ratio)
        lines.append(
            f"| {picture.stem} | {by(report['source'])} | {by(report['stages'][0]['size'])} "
            f"| {report['seconds']:.0f} s | {report['megapixel_steps'] / report['seconds']:.2f} "
            f"| {report['model_fraction']:.0%} | {report['peak_memory_mb']:.0f} MB | {ratio:.2f} |"
        )
        print(lines[-1], flush=True)
    spread = f"{statistics.median(ratios):.2f}, from {min(ratios):.2f} to {max(ratios):.2f}"
    lines += ["", f"Median of actual over predicted time: {spread}."]
    return "\n".join(lines)


def engine(folder: Path) -> str:
    """Fire 16 megapixels in each mode and order, and without a network."""
    source = grown("tea-car.jpg", (2450, 1633), folder)
    size = [4900, 3266]
    lines = [
        "| | time | ÷ first row | outside the network | per MP·step |",
        "|---|---|---|---|---|",
    ]
    first = 0.0
    for name, more, still in (
        ("separate", {}, False),
        ("separate, checkerboard", {"order": "checkerboard"}, False),
        ("separate, and a pass over the joins", {"joins": {}}, False),
        ("joint", {"mode": "joint"}, False),
        ("separate, a network that does nothing", {}, True),
        ("joint, a network that does nothing", {"mode": "joint"}, True),
    ):
        report = fired(source, {"steps": 4} | more, size, still=still)
        first = first or float(report["seconds"])
        lines.append(row(name, report, first))
    for name, seconds in resampled(source, size).items():
        lines.append(f"| {name} | {seconds:.2f} s | {seconds / first:.4f} | | |")
    return "\n".join(lines)


def row(name: str, report: dict[str, Any], first: float) -> str:
    seconds = report["seconds"]
    outside = 1 - report["model_seconds"] / seconds
    line = (
        f"| {name} | {seconds:.1f} s | {seconds / first:.2f} | {outside:.0%} "
        f"| {1000 * seconds / report['megapixel_steps']:.0f} ms |"
    )
    print(line, flush=True)
    return line


def controls(folder: Path) -> str:
    """Measure how much each control changes an eye and beard of the stationmaster at 2×, and in which
    part of the spectrum.
    """
    with PIL.Image.open(DEMO / "stationmaster.png") as image:
        eye = np.asarray(image.convert("RGB").crop((290, 280, 546, 536))).astype(np.uint16) * 257
    base = Pixels(eye)
    size = Size(512, 512)
    enlarged = Enlarged(base, size, upscaler("vitreous")).read(Box.whole(size))
    plain: dict[str, Any] = {"seed": 3, "tile": (256, 256), "overlap": 32}
    drifting = Refine(**(plain | {"chroma": 1.3, "strength": 0.8}))

    def made(**more: Any) -> np.ndarray:
        coats = [Coat(factor=2, upscaler="vitreous", refine=Refine(**(plain | more)))]
        if "blend" in more or "guide" in more:
            first = Coat(factor=1.5, upscaler="vitreous", refine=drifting)
            coats = [first, replace(coats[0], factor=None, size=size)]
        place = folder / f"control-{len(list(folder.iterdir()))}"
        return firing.fire(base, Schedule(tuple(coats)), place).result.read(Box.whole(size))

    reference, drifted = made(), made(blend=1.0)
    lines = [
        "| control, and two useful values | moves the picture by, RMS in 8-bit levels | of that fine, "
        "middle, coarse | colour from the source, mean ΔE00 |",
        "|---|---|---|---|",
        f"| the default refinement, from the enlarged picture | {moved(reference, enlarged)} |"
        f" {spectrum(reference, enlarged)} | {drift(reference, enlarged):.2f} |",
    ]
    for label, low, high in CONTROLS:
        against = drifted if "blend" in low or "guide" in low else reference
        results = [made(**low), made(**high)]
        lines.append(
            f"| {label} | {', '.join(moved(result, against) for result in results)} "
            f"| {spectrum(results[1], against)} "
            f"| {', '.join(f'{drift(result, enlarged):.2f}' for result in results)} |"
        )
        print(lines[-1], flush=True)
    return "\n".join(lines)


def moved(result: np.ndarray, against: np.ndarray) -> str:
    return f"{((result.astype(float) - against) ** 2).mean() ** 0.5 / 257:.2f}"


def spectrum(result: np.ndarray, against: np.ndarray) -> str:
    """Return the fractions of a difference's energy in each band of frequencies."""
    power = np.abs(np.fft.fft2((result.astype(float) - against).mean(2))) ** 2
    y, x = (np.fft.fftfreq(side)[:, None] for side in power.shape)
    radius = np.hypot(y, x.T)
    shares = [power[(radius >= low) & (radius < high)].sum() for low, high, _ in BANDS]
    return ", ".join(f"{share / max(sum(shares), 1e-9):.0%}" for share in shares)


def drift(result: np.ndarray, source: np.ndarray) -> float:
    return float(delta_e(low(result), low(source)).mean())


def low(samples: np.ndarray) -> np.ndarray:
    """Return the colour of the low frequencies: means of squares of 32 px, as L*a*b*."""
    height, width, _ = samples.shape
    means = samples.reshape(height // 32, 32, width // 32, 32, 3).mean((1, 3))
    return lab_of(means.astype(np.uint16))


def resampled(source: Path, size: list[int]) -> dict[str, float]:
    """Enlarge the same picture by two libraries, for comparison."""
    began = time.perf_counter()
    with PIL.Image.open(source) as image:
        np.asarray(image.resize((size[0], size[1]), PIL.Image.Resampling.LANCZOS))
    pillow = time.perf_counter() - began
    began = time.perf_counter()
    pyvips.Image.new_from_file(str(source)).resize(2, kernel="lanczos3").write_to_memory()
    return {
        "Pillow, Lanczos, 8 bits": pillow,
        "libvips, Lanczos, 8 bits": time.perf_counter() - began,
    }


def memory(folder: Path) -> str:
    """Fire 4 to 171 megapixels at 4× with one step: memory must not grow with the size."""
    lines = [
        "| result | from | peak memory | predicted | time |",
        "|---|---|---|---|---|",
    ]
    for width, height, modes in (
        (600, 400, ("separate", "joint")),
        (1500, 1000, ("separate", "joint")),
        (4000, 2667, ("separate",)),
    ):
        source = grown("tea-car.jpg", (width, height), folder)
        for mode in modes:
            report = fired(source, {"steps": 1, "mode": mode}, [width * 4, height * 4])
            lines.append(
                f"| {by(report['stages'][0]['size'])}, {width * height * 16 / 1e6:.0f} MP, {mode} "
                f"| {by(report['source'])} | {report['peak_memory_mb']:.0f} MB "
                f"| {report['predicted_memory_mb']:.0f} MB | {report['seconds']:.0f} s |"
            )
            print(lines[-1], flush=True)
    return "\n".join(lines)


def swatches(folder: Path) -> str:
    """Time a window of 512 px on the portrait at 4×: ten single swatches, and a sheet of nine."""
    source = DEMO / "stationmaster.png"
    canvas = read_canvas(source, examine(source), folder / "swatch-base.npy")
    lines = [
        "| tile | window | tiles | first tile seen | swatch, median of ten | in the networks "
        "| ÷ the networks | sheet of nine ÷ one |",
        "|---|---|---|---|---|---|---|---|",
    ]
    size = Size(canvas.size.width * 4, canvas.size.height * 4)
    drawn = Box(1268, 1292, 512, 512)
    for side in (256, 512):
        plain = Refine(tile=(side, side))
        moved = moved_to_fewest(drawn, PassSpec.of(plain, size))
        for words, window in (("as drawn", drawn), ("moved to fewer tiles", moved)):
            if words == "as drawn" or window != drawn:
                place = folder / f"{side}-{words}"
                found = _swatch_row(canvas, plain, window, place, with_sheet=window != drawn)
                lines.append(f"| {side} px | {words} | {found}")
                print(lines[-1], flush=True)
    return "\n".join(lines)


def _swatch_row(
    canvas: Canvas, plain: Refine, window: Box, folder: Path, *, with_sheet: bool
) -> str:
    folder.mkdir()
    first: list[float] = []

    def made(refine: Refine, place: str) -> tuple[float, float, int]:
        coat = Coat(factor=4.0, upscaler="vitreous", refine=refine)
        begun = time.perf_counter()
        seen: list[float] = []
        run = firing.fire(
            canvas, Schedule((coat,)), folder / place, window=window,
            on_progress=lambda _: seen.append(time.perf_counter() - begun),
            store=FolderStore(folder / f"tiles-{place}", 500), enlargements=folder / f"large-{place}",
        )  # fmt: skip
        first.append(seen[0])
        (report,) = run.reports
        seconds = time.perf_counter() - begun
        return seconds, report.model_seconds + report.enlarge_seconds, report.tiles

    made(plain, "warm")
    first.clear()
    single = [made(replace(plain, seed=seed), f"one-{seed}") for seed in range(10)]
    whole = statistics.median(seconds for seconds, _, _ in single)
    floor = statistics.median(network for _, network, _ in single)
    seen = statistics.median(first)
    sheet = ""
    if with_sheet:
        begun = time.perf_counter()
        for strength in (0.2, 0.3, 0.4):
            for seed in (11, 12, 13):
                made(replace(plain, strength=strength, seed=seed), "sheet")
        sheet = f"{(time.perf_counter() - begun) / whole:.1f}"
    return f"{single[0][2]} | {seen:.1f} s | {whole:.1f} s | {floor:.1f} s | {whole / floor:.2f} | {sheet} |"


def checks(folder: Path) -> str:
    """Time all checks on a result of 16 megapixels, with its faces and joins."""
    source = DEMO / "stationmaster.png"
    base = read_canvas(source, examine(source), folder / "check-base.npy")
    size = Size(3464, 4619)
    coat = Coat(size=size, upscaler="lanczos", refine=Refine())
    large = Enlarged(base, size, upscaler("lanczos"))
    enlarged = firing.materialise(large, Box.whole(size), folder / "check-enlarged.npy")
    rng = np.random.default_rng(1)

    def grained(block: Box) -> Any:
        grain = rng.normal(0, 300, (block.height, block.width, 1))
        return np.clip(enlarged.read(block) + grain, 0, 65535).astype(np.uint16)

    result = filled(Canvas.create(folder / "check-result.npy", Box.whole(size), 3), grained, 1024)
    before = peak_memory_mb()
    times = []
    for _ in range(3):
        begun = time.perf_counter()
        report = check(base, result, Tiled(coat, base.size, enlarged))
        times.append(time.perf_counter() - begun)
    begun = time.perf_counter()
    check(base, result, Tiled(coat, base.size, enlarged), faces=([], []))
    known = time.perf_counter() - begun
    return "\n".join(
        [
            "| all checks | time | with the faces known | process before | its peak |",
            "|---|---|---|---|---|",
            f"| {size}, {size.megapixels:.0f} MP, {len(report.measures)} measures "
            f"| {statistics.median(times):.1f} s | {known:.1f} s "
            f"| {before:.0f} MB | {peak_memory_mb():.0f} MB |",
        ]
    )


def mending(folder: Path) -> str:
    """Time four candidates of the portrait's face at 2048 px, against their networks alone."""
    large = grown("stationmaster.png", (1536, 2048), folder)
    lines = [
        "| | tiles' networks | in all | times as long |",
        "|---|---|---|---|",
    ]
    with read_canvas(large, examine(large), folder / "portrait.npy") as layer:
        (face, *_) = detect_faces(layer)
        plain = patch_for_face(face, layer.size, 0.4, 0.5, 0)
        settings = TouchUp(
            tuple(replace(plain, working=2048, seed=seed) for seed in range(4)),
            refine=Refine(mode=Mode.JOINT),
        )
        network = whole = 0.0
        for number, patch in enumerate(settings.patches, 1):
            began = time.perf_counter()
            placed = settings.placed(patch, layer.size)
            made = make_patch(layer, placed, folder / f"candidate-{number}")
            samples = made.samples.read(Box.whole(placed.around.size))
            show_patch(layer, samples, placed, settings.match)
            whole += time.perf_counter() - began
            network += sum(report.model_seconds for report in made.fired.reports)
            if number in (1, len(settings.patches)):
                name = "the first, seen" if number == 1 else "all four, seen"
                lines.append(
                    f"| {name} | {network:.1f} s | {whole:.1f} s | {whole / network:.2f} |"
                )
        began = time.perf_counter()
        touch_up(
            layer, settings, folder / "laid", folder / "laid.npy", known=lambda number: samples
        )
        lines.append(f"| laid, when they are there | 0 s | {time.perf_counter() - began:.1f} s | |")
    size = f"{placed.working.width} × {placed.working.height} px"
    return f"One face at {size}, 8 steps, strength 0.45.\n\n" + "\n".join(lines)


FINISH = Finish(
    CleanUp(on=True, block=32), Noise(on=True), Fringes(on=True, reach=4), Deblur(on=True),
    Tone(on=True, black=0.03, middle=1.1), Match(on=True, local=0.5, radius=256),
    Colour(on=True, saturation=0.1), LocalContrast(on=True, radius=80), Sharpen(on=True),
    Grain(on=True),
)  # fmt: skip
"""A recipe with every step."""
VIEW = Box(600, 800, 1280, 800)


def finish(folder: Path) -> str:
    """Time previews of the portrait at 4× with each step and with all, and a whole finish of 171 MP."""
    source = DEMO / "stationmaster.png"
    base = read_canvas(source, examine(source), folder / "finish-base.npy")
    size = base.size.scaled(4)
    large = Enlarged(base, size, upscaler("lanczos"))
    with firing.materialise(large, Box.whole(size), folder / "finish-layer.npy") as layer:
        overview, reference = Overview.of(layer), Overview.of(base)
        recipes = {step.NAME: Finish().with_step(name, step) for name, step in FINISH.steps.items()}
        lines = ["| step | view | as it is sent |", "|---|---|---|"]
        before, last = FINISH.parted("sharpen")
        first = Finished(layer, before, overview, reference)
        begun = Pixels(first.read(VIEW.grown(40)), (VIEW.x - 40, VIEW.y - 40), size)
        recipes |= {
            "All ten": FINISH,
            "Sharpening set, eight steps before it, grain after it": last,
        }
        for name, recipe in recipes.items():
            made = Finished(layer, recipe, overview, reference)
            if recipe is last:
                made = Finished(begun, recipe, first.seen, reference)
            samples = made.read(VIEW)  # compiled and warm
            drawn, sent = [], []
            for _ in range(9):
                began = time.perf_counter()
                samples = made.read(VIEW)
                drawn.append(time.perf_counter() - began)
                rgba_of(samples)
                sent.append(time.perf_counter() - began)
            both = (f"{statistics.median(times) * 1000:.0f} ms" for times in (drawn, sent))
            lines.append(f"| {name} | {' | '.join(both)} |")
    with ProcessPoolExecutor(1, get_context("spawn")) as alone:
        seconds, start_mb, peak = alone.submit(_finished_whole, folder).result()
    lines.append(
        f"\nAll ten on {LARGE}, {LARGE.megapixels:.0f} MP: {seconds:.0f} s, peak memory {peak:.0f} MB "
        f"({start_mb:.0f} MB before)."
    )
    return "\n".join(lines)


def files(folder: Path) -> str:
    """Write a layer of 171 MP as each kind of print file, each in a separate process."""
    whole = Box.whole(LARGE)
    rng = np.random.default_rng(2)

    def noise(block: Box) -> Any:
        soft = rng.integers(
            20000, 45000, (-(-block.height // 8), -(-block.width // 8), 3), np.uint16
        )
        return soft.repeat(8, 0).repeat(8, 1)[: block.height, : block.width]

    filled(Canvas.create(folder / "large.npy", whole, 3), noise, 1024).close()
    lines = ["| file | time | size | process before | its peak |", "|---|---|---|---|---|"]
    for name, output in (
        ("TIFF, 16 bits, ZIP", Output(FileFormat.TIFF, 16)),
        ("TIFF, coated", Output(FileFormat.TIFF, profile="coated")),
        ("PNG, 8 bits", Output(FileFormat.PNG)),
        ("JPEG, 92", Output(FileFormat.JPEG)),
        ("PDF, coated, without loss", Output(FileFormat.PDF, profile="coated", quality=100)),
        ("PDF, coated, JPEG of 92", Output(FileFormat.PDF, profile="coated")),
        ("OpenRaster, one layer", Output(FileFormat.OPENRASTER)),
    ):
        with ProcessPoolExecutor(1, get_context("spawn")) as alone:
            seconds, weighs, before, peak = alone.submit(_written, folder, output).result()
        lines.append(
            f"| {name} | {seconds:.0f} s | {weighs / 1e6:.0f} MB | {before:.0f} MB | {peak:.0f} MB |"
        )
        print(lines[-1], flush=True)
    return f"{LARGE}, {LARGE.megapixels:.0f} MP.\n\n" + "\n".join(lines)


def _written(folder: Path, output: Output) -> tuple[float, int, float, float]:
    before, began = peak_memory_mb(), time.perf_counter()
    path = folder / f"print{output.file.suffix}"
    with Canvas(folder / "large.npy") as layer:
        export(layer, path, output=output)
    weighs = path.stat().st_size
    path.unlink()
    return time.perf_counter() - began, weighs, before, peak_memory_mb()


LARGE = Size(16000, 10668)


def _finished_whole(folder: Path) -> tuple[float, float, float]:
    rng = np.random.default_rng(2)

    def noise(block: Box) -> Any:
        return rng.integers(20000, 45000, (block.height, block.width, 3), dtype=np.uint16)

    whole = Box.whole(LARGE)
    with filled(Canvas.create(folder / "large.npy", whole, 3), noise, 1024) as layer:
        overview = Overview.of(layer)
        Finished(layer, FINISH, overview, overview).read(Box(0, 0, 64, 64))
        before, began = peak_memory_mb(), time.perf_counter()
        made = Finished(layer, FINISH, overview, overview)
        firing.materialise(made, whole, folder / "large-finished.npy").close()
        return time.perf_counter() - began, before, peak_memory_mb()


def networks(folder: Path) -> str:
    """Time every network on both runtimes, in turn: a tile of its native size, or a cell with its margin."""
    lines = [
        "| network | sees | ONNX Runtime | OpenVINO | as fast as | largest difference | loads in | runs on |",
        "|---|---|---|---|---|---|---|---|",
    ]
    for entry in cards():
        if entry.own:
            continue
        given = _given(entry)
        begun = time.perf_counter()
        one, other = (running(entry.file, str(runtime), runtime) for runtime in RUNTIMES)
        loading = time.perf_counter() - begun
        plain, quick = medians_in_turn(lambda: one(given), lambda: other(given), times=9)  # noqa: B023
        away = float(np.abs(one(given) - other(given)).max())
        sides = by(list(given["small" if entry.kind == "upscaler" else "x"].shape[:1:-1]))
        lines.append(
            f"| {entry.name} | {sides} px | {plain * 1000:.0f} ms | {quick * 1000:.0f} ms "
            f"| {plain / quick:.2f} × | {away:.0e} | {loading:.1f} s | {entry.runtime} |"
        )
        print(lines[-1], flush=True)
    return "\n".join(lines)


RUNTIMES = (Runtime.ONNXRUNTIME, Runtime.OPENVINO)


def _given(entry: Card) -> dict[str, FloatArray]:
    rng = np.random.default_rng(1)
    if entry.kind == "upscaler":
        side = CELL + 2 * (entry.radius or 0)
        return {"small": rng.random((1, 3, side, side), np.float32)}
    spec = entry.spec()
    side = spec.native_tile
    given = {name: rng.random((1, 3, side, side), np.float32) for name in ("x", "cond")}
    given["sigma"] = np.array([0.1], np.float32)
    if spec.vocabulary:
        given["words"] = np.zeros((1, len(spec.vocabulary)), np.float32)
    if spec.restores_detail:
        given["missing"] = np.array([0.5], np.float32)
    return given


def checkpoints(folder: Path) -> str:
    """Time the engine's overhead for a checkpoint: a picture of eight tiles, fired, and the same tiles
    one by one through the library's pipeline, in turn.
    """
    from diffusers import EulerDiscreteScheduler

    from tests.checkpoints import built, pipeline_for

    os.environ["ENAMEL_MODELS"] = str(folder / "models")
    checkpoint = built(folder / "night-mail", wider=6)
    add_checkpoint(checkpoint, "night-mail")
    refine = Refine(model="night-mail", tile=(256, 256), overlap=32, steps=4, strength=0.5,
                    sampler=Sampler.EULER, prompt="copper")  # fmt: skip
    size = Size(256 + 224, 256 + 3 * 224)
    picture = Pixels(np.random.default_rng(1).integers(0, 65535, (*size[::-1], 3), np.uint16))
    one = refiner("night-mail")
    network = one.parts.network  # type: ignore[attr-defined]
    parts = {
        "unet": network,
        "vae": one.parts.vae,  # type: ignore[attr-defined]
        "text_encoder": one.parts.encoders[0],  # type: ignore[attr-defined]
        "tokenizer": one.parts.tokenizers[0],  # type: ignore[attr-defined]
        "scheduler": EulerDiscreteScheduler.from_pretrained(checkpoint / "scheduler"),
    }
    pipeline = pipeline_for(set(parts), network)(
        **parts, safety_checker=None, feature_extractor=None
    )
    pipeline.set_progress_bar_config(disable=True)
    grid = grid_of(PassSpec(refine, one.spec, size))
    number = 0

    def fired_whole() -> None:
        nonlocal number
        number += 1
        work = folder / f"work-{number}"
        firing.fire(picture, Schedule((Coat(refine=refine),)), work, executor=pool)

    def tile_by_tile() -> None:
        for tile in grid.tiles:
            pixels = picture.read(tile.box).astype(np.float32).transpose(2, 0, 1)[None] / 65535
            pipeline(
                "copper", image=torch_of(pixels), strength=0.5, num_inference_steps=8,
                guidance_scale=1.0, output_type="np",
            )  # fmt: skip

    # the same thread for both: torch has a thread pool for each caller, and they disturb each other
    with ThreadPoolExecutor(1) as pool:
        ours, theirs = medians_in_turn(
            fired_whole, lambda: pool.submit(tile_by_tile).result(), times=9
        )
    return (
        "| eight tiles of 256 px, 4 steps | the library's pipeline | Enamel | as long |\n|---|---|---|---|\n"
        f"| a U-Net of {sum(one.numel() for one in network.parameters()) / 1e6:.0f} M, factor 4 "
        f"| {theirs:.2f} s | {ours:.2f} s | {ours / theirs:.3f} × |"
    )


def spread(folder: Path) -> str:
    """Spread tiles over a cluster: a firing whose network only sleeps, so that two cores can show the
    gain by more machines; with one worker and two in turn.
    """
    os.environ["PYTHONPATH"] = str(ROOT)  # workers have to know the network
    from distributed import LocalCluster

    from tests.networks import Slow

    network = Slow()
    setattr(firing, "refiner_of", lambda settings: network)  # noqa: B010
    picture = Pixels(np.random.default_rng(1).integers(0, 65535, (768, 1024, 3), np.uint16))
    plan = Schedule((Coat(factor=2, refine=Refine(tile=(256, 256), overlap=32, steps=4)),))
    tiles, times = 0, {1: [], 2: []}  # type: ignore[var-annotated]
    for turn in range(3):
        for workers in times:
            with LocalCluster(
                n_workers=workers, threads_per_worker=1, processes=True, dashboard_address=None,
                silence_logs="CRITICAL",
            ) as cluster:  # fmt: skip
                os.environ["ENAMEL_CLUSTER"] = cluster.scheduler_address
                work = folder / f"work-{turn}-{workers}"
                (report,) = firing.fire(picture, plan, work).reports
                times[workers].append(report.refine_seconds)
                tiles = report.tiles
    del os.environ["ENAMEL_CLUSTER"]
    one, two = (statistics.median(times[workers]) for workers in times)
    # the part that every firing needs once, and the part that is spread
    shared = 2 * (one - two)
    once = one - shared
    lines = ["| workers | time | as fast |", "|---|---|---|"]
    for workers, seconds in ((1, one), (2, two)):
        lines.append(f"| {workers} | {seconds:.1f} s | {one / seconds:.2f} × |")
    for workers in (8, 64):
        seconds = once + shared / workers
        lines.append(f"| {workers}, on paper | {seconds:.1f} s | {one / seconds:.1f} × |")
    line = (
        f"{tiles} tiles of 256 px, {network.seconds:g} s of sleep for each of 4 steps. On paper: "
        f"{once:.2f} s that are not shared out (enlarging for the tiles, handing over, joining), the rest "
        f"divided; with {tiles} tiles no more than {tiles} workers have anything to do."
    )
    return "\n".join(lines) + "\n\n" + line


def torch_of(values: np.ndarray) -> Any:
    from torch import from_numpy

    return from_numpy(values.copy())


def train(what: str) -> None:
    """Pause or resume a training run in the background, if there is one."""
    subprocess.run([sys.executable, "-m", "training.queue", f"--{what}"], cwd=ROOT, check=True)


def load(scratch: Path) -> str:
    """Let fifty artists browse the Enamel that `bin/start` runs here."""
    try:
        supervisor = int((VAR / "run" / "processes.pid").read_text())
        return browsing.load(address(), supervisor)
    except (FileNotFoundError, ConnectionError):
        sys.exit("Nothing runs here to be browsed: bin/start first.")


def stamped(text: str) -> str:
    """Return a part of the page with date, machine and version."""
    machine = f"{os.cpu_count()} cores, {platform.machine()}"
    when = f"{datetime.datetime.now(datetime.UTC):%d %B %Y}"
    return f"{text}\n\nMeasured {when} on {machine}, at commit {commit()}."


def commit() -> str:
    asked = subprocess.run(
        ["git", "rev-parse", "--short", "HEAD"], cwd=ROOT, capture_output=True, text=True
    )
    return asked.stdout.strip() or "unknown"


BENCHES: dict[str, Callable[[Path], str]] = {
    "demo": demo,
    "engine": engine,
    "memory": memory,
    "controls": controls,
    "swatches": swatches,
    "checks": checks,
    "finish": finish,
    "files": files,
    "mending": mending,
    "networks": networks,
    "checkpoints": checkpoints,
    "spread": spread,
    "load": load,
}

if __name__ == "__main__":
    (ROOT / "var").mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="enamel-bench-", dir=ROOT / "var") as scratch:
        train("pause")
        try:
            for chosen in sys.argv[1:] or BENCHES:
                put(PAGE, chosen, stamped(BENCHES[chosen](Path(scratch))))
        finally:
            train("resume")
