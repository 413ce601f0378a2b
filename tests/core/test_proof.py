"""Soft proof: colours of the file and back, paper, ink, gamut, distance; what to know before printing."""

import io
from dataclasses import replace

import numpy as np
import PIL.Image
import PIL.ImageCms
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.errors import Refusal
from enamel.core.geometry import Box
from enamel.core.imaging.buffer import PixelBuffer
from enamel.core.printing.layout import Fit, PrintPlan
from enamel.core.printing.paper import PaperStock
from enamel.core.printing.preflight import PreflightItem, PrintFacts, preflight
from enamel.core.printing.profiles import profile_names, profile_of
from enamel.core.printing.proof import WARNING, Proof, fraction_out_of_gamut, proofed
from enamel.core.printing.sizing import Bleed, PrintTarget
from tests.pictures import STATIONMASTER, part, whole

EYE = Box(290, 300, 120, 90)


def picture(samples: np.ndarray) -> PixelBuffer:
    return PixelBuffer.of_samples(samples)


@pytest.fixture(scope="module")
def face() -> PixelBuffer:
    return picture(whole(part(STATIONMASTER, EYE)))


def pixels(image: PixelBuffer, proof: Proof, scale: float = 1.0) -> np.ndarray:
    made: np.ndarray = proofed(image, proof, scale).image.numpy()
    assert made.dtype == np.uint8
    return made.astype(int)


def test_srgb_without_anything_is_the_picture_itself(face: PixelBuffer) -> None:
    np.testing.assert_array_equal(
        pixels(face, Proof()), np.rint(face.image.numpy() / 257).astype(int)
    )


def test_there_and_back_is_what_littlecms_makes_of_it(face: PixelBuffer) -> None:
    srgb = PIL.ImageCms.ImageCmsProfile(io.BytesIO(profile_of("srgb").data))
    coated = PIL.ImageCms.ImageCmsProfile(io.BytesIO(profile_of("coated").data))
    flags = PIL.ImageCms.Flags.BLACKPOINTCOMPENSATION
    relative = PIL.ImageCms.Intent.RELATIVE_COLORIMETRIC
    there = PIL.ImageCms.buildTransform(srgb, coated, "RGB", "CMYK", relative, flags)
    image = PIL.Image.fromarray(np.rint(face.image.numpy() / 257).astype(np.uint8))
    inks = PIL.ImageCms.applyTransform(image, there)
    assert inks is not None
    for proof, intent, more in (
        (Proof("coated"), relative, flags),
        (Proof("coated", white=True), PIL.ImageCms.Intent.ABSOLUTE_COLORIMETRIC, 0),
        (Proof("coated", black=True), relative, 0),
    ):
        back = PIL.ImageCms.buildTransform(coated, srgb, "CMYK", "RGB", intent, more)
        wanted = PIL.ImageCms.applyTransform(inks, back)
        off = np.abs(pixels(face, proof) - np.asarray(wanted).astype(int))
        assert off.mean() < 0.8  # inks have 16 bits here and 8 there
        assert off.max() <= 6


def test_paper_is_not_white_and_ink_not_black() -> None:
    ends = picture(np.array([[[0, 0, 0], [65535, 65535, 65535]]], np.uint16))
    plain = pixels(ends, Proof("coated"))
    assert plain[0, 1].min() >= 254
    assert plain[0, 0].max() <= 12
    on_paper = pixels(ends, Proof("coated", white=True))
    assert 225 < on_paper[0, 1].mean() < 252
    assert pixels(ends, Proof("coated", black=True))[0, 0].mean() > 20


def test_what_the_profile_can_not_hold_is_marked_and_counted() -> None:
    samples = np.full((40, 40, 3), 128 * 257, np.uint16)
    samples[:, 20:] = (0, 255 * 257, 40 * 257)  # a green that no coated paper has
    seen = pixels(picture(samples), Proof("coated", gamut=True))
    assert (seen[:, 21:] == WARNING).all()
    assert (seen[:, :19] != WARNING).any(axis=2).all()
    assert fraction_out_of_gamut(samples, profile_of("coated")) == pytest.approx(0.5, abs=0.02)
    for name in ("srgb", "wide-rgb"):
        assert fraction_out_of_gamut(samples, profile_of(name)) == 0


@pytest.mark.parametrize("profile", profile_names()[:4])
def test_dots_that_grow_darken_the_middle_and_nothing_at_the_ends(profile: str) -> None:
    ramp = np.repeat(np.linspace(0, 65535, 33).astype(np.uint16)[None, :, None], 3, axis=2)
    plain, grown = (pixels(picture(ramp), Proof(profile, gain=gain)) for gain in (0, 20))
    darker = (plain - grown).mean(axis=2)[0]
    assert darker[16] > 10
    assert abs(darker[-1]) <= 1
    assert darker.min() >= -2


@given(distance=st.sampled_from([0.0, 300.0, 1500.0]), paper=st.sampled_from(list(PaperStock)))
def test_a_part_with_its_margin_is_that_part_of_the_whole(
    distance: float, paper: PaperStock
) -> None:
    image = picture(whole(part(STATIONMASTER, Box(200, 200, 200, 160))))
    proof = Proof("coated", paper=paper, distance_mm=distance, white=True)
    box = Box(70, 60, 50, 40)
    around = box.grown(proof.margin(1.0)).intersection(Box(0, 0, 200, 160))
    cut = image.cropped(around)
    inside = pixels(cut, proof)[box.relative_to(around).slices]
    off = np.abs(inside - pixels(image, proof)[box.slices])
    assert off.max() <= 1


def test_from_further_away_less_is_seen(face: PixelBuffer) -> None:
    steps = [np.abs(np.diff(pixels(face, Proof(distance_mm=mm)), axis=1)).mean()
             for mm in (0, 400, 1500, 5000)]  # fmt: skip
    assert steps == sorted(steps, reverse=True)
    assert steps[-1] < 0.5 * steps[0]
    with pytest.raises(Refusal, match="distance_mm"):
        Proof(distance_mm=3)


# before printing ------------------------------------------------------------------------------

GOOD = PrintFacts(
    ppi=300, plan=PrintPlan(PrintTarget(100, 100, 300, Bleed(3, 3, 3, 3)), Fit.FILL),
    paper=PaperStock.NONE, newest=True, sharpened=False, joins=0, faces=0, out_of_gamut=0.0, ink=280.0,
)  # fmt: skip


def test_a_print_with_nothing_against_it_has_every_matter_ticked() -> None:
    notices = preflight(GOOD)
    assert {notice.matter for notice in notices} == set(PreflightItem)
    assert all(notice.fine for notice in notices)


@pytest.mark.parametrize(
    ("change", "matter", "words"),
    [
        ({"ppi": 90.0}, PreflightItem.PIXELS, "90 ppi, viewed from 30 cm, looks soft"),
        ({"newest": False}, PreflightItem.NEWEST, "newer layer"),
        ({"joins": 2}, PreflightItem.JOINS, "2 joins of tiles are visible"),
        ({"faces": 1}, PreflightItem.FACES, "1 face could do with a touch-up"),
        ({"plan": PrintPlan(PrintTarget(100, 100, 300, Bleed(3, 1, 3, 3)), Fit.FILL)}, PreflightItem.BLEED,
         "The least bleed is 1 mm"),
        ({"plan": PrintPlan(PrintTarget(100, 100, 300, Bleed(3, 3, 3, 3)))}, PreflightItem.BLEED,
         "only fits inside"),
        ({"out_of_gamut": 0.2}, PreflightItem.GAMUT, "20.0 % of the picture"),
        ({"ink": 330.0}, PreflightItem.INK, "Up to 330 %"),
        ({"sharpened": True, "paper": PaperStock.MATTE}, PreflightItem.SHARPENING, "Sharpened twice"),
    ],
)  # fmt: skip
def test_what_wants_attention_is_shown_first(
    change: dict[str, object], matter: PreflightItem, words: str
) -> None:
    first, *rest = preflight(replace(GOOD, **change))  # type: ignore[arg-type]
    assert (first.matter, first.fine) == (matter, False)
    assert words in first.words
    assert all(notice.fine for notice in rest)


def test_what_was_not_measured_is_not_claimed() -> None:
    unknown = replace(GOOD, joins=None, faces=None, out_of_gamut=None, ink=None, plan=None)
    assert {notice.matter for notice in preflight(unknown)} == {
        PreflightItem.PIXELS, PreflightItem.NEWEST, PreflightItem.SHARPENING,
    }  # fmt: skip
