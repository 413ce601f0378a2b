"""Every kind of print file against the picture it was made from: nothing comes out black, pale or shifted."""

import io
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from itertools import product
from pathlib import Path

import numpy as np
import pikepdf
import PIL.Image
import pytest
import pyvips
from numpy.typing import NDArray

from enamel.core.errors import FieldRefusal
from enamel.core.export.file import export
from enamel.core.export.output import DEEP, UNPRINTED, FileFormat, Output, PrintSettings
from enamel.core.export.placed import laid
from enamel.core.geometry import Box, Size
from enamel.core.imaging.buffer import ColourSpace, PixelBuffer
from enamel.core.imaging.canvas import Canvas, Pixels, SampleArray
from enamel.core.imaging.colour import delta_e, lab_of
from enamel.core.printing.layout import Edge, Fit, PrintPlan
from enamel.core.printing.panels import Split
from enamel.core.printing.profiles import profile_of, with_profile
from enamel.core.printing.sizing import PrintTarget
from enamel.core.upscaling import Enlarged, upscaler, upscaler_names
from tests.pictures import STATIONMASTER, part, whole

WHITE = 65535
PLANS = {
    "no print": None,
    "cropped": PrintPlan(PrintTarget(60, 40, 200.0), fit=Fit.FILL),
    "extended": PrintPlan(PrintTarget(60, 30, 200.0), fit=Fit.EXTEND, edge=Edge.SOLID),
}
PROFILES = ("srgb", "wide-rgb", "coated", "grey")
BOUNDS = {"srgb": 0.6, "wide-rgb": 0.8, "coated": 3.5, "grey": 0.8}
"""Median colour difference allowed where a kind packs without loss: rounding, and what paper can't hold."""
LOSSY = 2.0
"""More of it allowed for kinds that pack with loss."""


def canvas_of(folder: Path, *, transparent: bool) -> Canvas:
    """An eye of 150 × 120 px; with a soft round edge around it and hidden black outside, if transparent."""
    samples = whole(part(STATIONMASTER, Box(290, 300, 150, 120)))
    if transparent:
        y, x = np.mgrid[:120, :150]
        soft = np.clip((60 - np.hypot(x - 75, y - 60)) / 6, 0, 1)
        alpha = np.rint(soft * WHITE).astype(np.uint16)[..., None]
        samples = np.concatenate([np.where(alpha > 0, samples, 0), alpha], axis=2)
    made = Canvas.create(folder / "layer.npy", Box(0, 0, 150, 120), samples.shape[2])
    made.write(made.region, samples)
    return made


def wanted(canvas: Canvas, plan: PrintPlan | None, settings: PrintSettings) -> NDArray[np.float64]:
    """What the file shows, on white, (height, width, 3) in 0…1; made with other libraries."""
    values = canvas.read(canvas.region) / WHITE
    if canvas.channels == 3:
        values = np.concatenate([values, np.ones_like(values[..., :1])], axis=2)
    values[..., :3] *= values[..., 3:]
    placed, _, size = laid(settings, canvas.size)
    if plan is not None and placed is not None:
        layout = placed.layout
        values = values[layout.shown.slices]
        if layout.extends:
            whole_file = np.ones((*reversed(layout.file), 4))
            place = Box(layout.left, layout.top, values.shape[1], values.shape[0])
            whole_file[place.slices] = values
            values = whole_file
    planes = [
        np.asarray(
            PIL.Image.fromarray(values[..., band].astype(np.float32)).resize(
                size, PIL.Image.Resampling.LANCZOS
            )
        )
        for band in range(4)
    ]
    shown = np.stack(planes[:3], axis=2) + (1 - planes[3])[..., None]
    return np.clip(shown, 0, 1).astype(np.float64)


def read(path: Path, file: FileFormat) -> pyvips.Image:
    """The pixels of a print file with its own profile."""
    if file is FileFormat.PDF:
        with pikepdf.open(path) as opened:
            image = opened.pages[0].Resources.XObject["/Im0"]
            if image.ColorSpace == pikepdf.Name.DeviceCMYK:
                profile = opened.Root.OutputIntents[0].DestOutputProfile
            else:
                profile = image.ColorSpace[1]
            bands = int(profile.N)
            pixels, size = image.read_bytes(), (int(image.Width), int(image.Height))
            found = pyvips.Image.new_from_memory(pixels, *size, bands, "uchar")
            found = found.copy(interpretation={1: "b-w", 3: "srgb", 4: "cmyk"}[bands])
            return with_profile(found, profile.read_bytes())
    if file is FileFormat.OPENRASTER:
        with zipfile.ZipFile(path) as archive:
            return pyvips.Image.new_from_buffer(archive.read("mergedimage.png"), "")
    return pyvips.Image.new_from_file(str(path), revalidate=True)


def seen(path: Path, file: FileFormat) -> NDArray[np.float64]:
    """A print file as a screen shows it on white, (height, width, 3) in 0…1."""
    image = read(path, file)
    alpha = None
    if image.hasalpha():
        peak = 65535 if image.format == "ushort" else 255
        alpha = image[image.bands - 1].numpy()[..., None] / peak
        image = image.extract_band(0, n=image.bands - 1)
    image = image.icc_transform(
        "srgb", embedded=True, intent="relative", black_point_compensation=True, depth=16
    )
    colour: NDArray[np.float64] = image.numpy()[..., :3] / WHITE
    return colour if alpha is None else colour * alpha + 1 - alpha


def apart(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
    """Colour differences pixel by pixel (ΔE, CIE 1976)."""
    first, second = (lab_of(np.rint(v * WHITE).astype(np.uint16)) for v in (one, other))
    return delta_e(first, second)


def outputs(file: FileFormat) -> Iterator[Output]:
    """Every way to write such a file that is allowed."""
    for bits, profile, longest in product((8, 16), PROFILES, (0, 75)):
        if bits == 16 and file not in DEEP:
            continue
        try:
            yield Output(file, bits, quality=100, profile=profile, longest=longest)
        except FieldRefusal:
            continue


@pytest.mark.parametrize("transparent", [False, True], ids=["opaque", "alpha"])
@pytest.mark.parametrize("file", [kind for kind in FileFormat if kind is not FileFormat.SVG])
def test_every_print_file_shows_the_picture_it_was_made_from(
    tmp_path: Path, file: FileFormat, transparent: bool
) -> None:
    canvas = canvas_of(tmp_path, transparent=transparent)
    tried = 0
    for output, (named, plan) in product(outputs(file), PLANS.items()):
        settings = PrintSettings(output, plan)
        placed, ppi, size = laid(settings, canvas.size)
        path = tmp_path / f"print{file.suffix}"
        export(canvas, path, ppi=ppi, output=output, placed=placed)
        found, should = seen(path, file), wanted(canvas, plan, settings)
        what = f"{file} {output.bits} bits {output.profile} longest {output.longest} {named}"
        assert found.shape == should.shape == (size.height, size.width, 3), what
        if profile_of(output.profile).space is ColourSpace.GREY:
            found, should = (lightness(one) for one in (found, should))
        off = apart(found, should)
        lossy = file in (FileFormat.JPEG, FileFormat.WEBP, FileFormat.AVIF)
        bound = BOUNDS[output.profile] + LOSSY * lossy
        assert np.median(off) < bound, f"{what}: median ΔE {np.median(off):.2f}"
        assert np.percentile(off, 98) < 6 * bound, f"{what}: {np.percentile(off, 98):.2f}"
        tried += 1
    assert tried >= 3 if file in UNPRINTED else tried >= 6


def lightness(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """A grey picture of the same CIE lightness, (height, width, 3) in 0…1."""
    light = lab_of(np.rint(values * WHITE).astype(np.uint16))[..., 0] / 100
    return np.repeat(light[..., None], 3, axis=2)


def test_traced_flat_art_has_the_colours_it_was_traced_from(tmp_path: Path) -> None:
    y, x = np.mgrid[:240, :300]
    inside = np.hypot(x - 150, y - 120) < 80
    samples = np.where(inside[..., None], [5140, 13878, 28527], [62708, 61937, 59624])
    for channels in (3, 4):
        alpha = np.full((240, 300, 1), WHITE)
        values = np.concatenate([samples, alpha], axis=2)[..., :channels].astype(np.uint16)
        canvas = Canvas.create(tmp_path / f"{channels}.npy", Box(0, 0, 300, 240), channels)
        canvas.write(canvas.region, values)
        path = tmp_path / "traced.svg"
        export(canvas, path, output=Output(FileFormat.SVG))
        image = pyvips.Image.svgload_buffer(path.read_bytes())
        image = PixelBuffer(image, bits=8, alpha=image.hasalpha()).flattened().image
        image = image.thumbnail_image(300, height=240, size="force")
        found = image.numpy()[..., :3] / 255
        assert np.median(apart(found, samples / WHITE)) < 1


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("file", [FileFormat.PDF, FileFormat.TIFF])
def test_the_page_that_shows_all_panels_is_not_black_under_transparency(
    tmp_path: Path, file: FileFormat, bits: int
) -> None:
    canvas = canvas_of(tmp_path, transparent=True)
    plan = PrintPlan(PrintTarget(60, 40, 200.0), split=Split(30, 40, 5))
    settings = PrintSettings(Output(file, bits), plan)
    placed, ppi, _ = laid(settings, canvas.size)
    path = tmp_path / "print.zip"
    export(canvas, path, ppi=ppi, output=settings.output, placed=placed)
    if file is FileFormat.PDF:
        data = path.read_bytes()
    else:
        with zipfile.ZipFile(path) as archive:
            data = archive.read("plan.pdf")
    with pikepdf.open(io.BytesIO(data)) as opened:
        image = pikepdf.PdfImage(opened.pages[0].Resources.XObject["/Im0"]).as_pil_image()
    pixels = np.asarray(image.convert("RGB"))
    assert pixels[:10, :10].min() > 250
    middle = pixels[pixels.shape[0] // 2 - 5 :, pixels.shape[1] // 2 - 5 :][:10, :10] / 255
    inner = canvas.read(Box(70, 55, 10, 10))[..., :3] / WHITE
    assert abs(middle.mean() - inner.mean()) < 0.08


@pytest.mark.parametrize("name", upscaler_names())
def test_soft_edges_keep_their_colour_whatever_is_hidden_under_them(name: str) -> None:
    y, x = np.mgrid[:64, :64]
    alpha = np.rint(np.clip((24 - np.hypot(x - 32, y - 32)) / 6, 0, 1) * WHITE)
    colour = np.where(alpha[..., None] > 0, [52428, 45875, 26214], 0)
    samples: SampleArray = np.concatenate([colour, alpha[..., None]], axis=2).astype(np.uint16)
    large = Enlarged(Pixels(samples), Size(128, 128), upscaler(name)).read(Box(0, 0, 128, 128))
    visible = large[..., 3] > 0.02 * WHITE
    off = np.abs(large[..., :3].astype(int) - [52428, 45875, 26214])[visible]
    assert off.max() < 0.03 * WHITE  # a network may move a flat colour by a few levels


@pytest.mark.parametrize("kind", ["opaque", "alpha"])
def test_reducing_keeps_the_sample_format_and_the_mean(tmp_path: Path, kind: str) -> None:
    canvas = canvas_of(tmp_path, transparent=kind == "alpha")
    picture = PixelBuffer.of_samples(canvas.read(canvas.region))
    small = picture.at_most(50)
    assert (*small.size, small.image.format) == (50, 40, "ushort")
    assert small.image.interpretation == "rgb16"
    before, after = picture.flattened().image.avg(), small.flattened().image.avg()
    assert abs(after - before) < 0.01 * WHITE
    assert picture.at_most(150) is picture


def test_numbers_that_are_not_what_a_buffer_says_are_refused() -> None:
    """The mistake that once made print files black: a thumbnail of 8 bits, cast to 16."""
    image = pyvips.Image.black(200, 160, bands=3).cast("ushort").copy(interpretation="rgb16")
    picture = PixelBuffer(image)
    eight = picture.image.thumbnail_image(50)
    with pytest.raises(ValueError, match="16 bits in RGB"):
        replace(picture, image=eight.cast("ushort"))
    with pytest.raises(ValueError, match="4 bands"):
        replace(picture, alpha=True)
    with pytest.raises(ValueError, match="cmyk"):
        replace(picture, space=ColourSpace.CMYK)
