"""Inlays: pixels outside the mask stay, windows equal the whole, files are laid where they belong."""

from collections.abc import Callable

import cv2
import numpy as np
import pytest

from enamel.core.errors import Refusal
from enamel.core.faces.detection import Face
from enamel.core.fields import to_json
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels, SampleArray
from enamel.core.imaging.colour import from_light, to_light
from enamel.core.masks import Mask, RenderedMask
from enamel.core.masks.measured import differs, face_steps, nearer, outlined, places_mask, sharper
from enamel.core.masks.steps import Ellipse, Feather
from enamel.core.pipeline.align import Warped, align, edge_to_edge
from enamel.core.pipeline.inlay import Inlaid, Inlay, Mixing, inlaid
from tests.pictures import STATIONMASTER_TRUTH, assert_same_pixels, part, portrait, whole

ON = portrait().size
MASK = Mask(tuple(ON), (Ellipse(54, 40, 26, 20), Feather(10)))


def darker() -> Pixels:
    return Pixels(whole(portrait()) // 2)


def soft(picture: Pixels, sigma: float, box: Box | None = None) -> Pixels:
    """The picture blurred, within a box or all over."""
    samples = whole(picture).copy()
    blurred = cv2.GaussianBlur(samples, (0, 0), sigma)
    inside = (box or Box.whole(picture.size)).slices
    samples[inside] = blurred[inside]
    return Pixels(samples)


@pytest.mark.parametrize("mixing", list(Mixing))
@pytest.mark.parametrize("seamless", [0.0, 1.0])
def test_nothing_changes_outside_the_mask_and_a_window_is_the_whole(
    mixing: Mixing, seamless: float
) -> None:
    made = Inlaid(
        portrait(), darker(), Inlay(mask=MASK, opacity=0.7, mixing=mixing, seamless=seamless)
    )
    result, covered = whole(made), RenderedMask(MASK, ON).read(Box.whole(ON))
    assert_same_pixels(result[covered == 0], whole(portrait())[covered == 0])
    assert (result[covered == 1] != whole(portrait())[covered == 1]).any()
    for window in (Box(0, 0, 30, 20), Box(40, 30, 31, 17)):
        assert_same_pixels(made.read(window), result[window.slices])


def test_opacity_mixes_evenly_and_linear_light_is_brighter() -> None:
    black, white = (Pixels(np.full((8, 8, 3), level, np.uint16)) for level in (0, 65535))
    half = whole(Inlaid(black, white, Inlay(opacity=0.5)))
    light = whole(Inlaid(black, white, Inlay(opacity=0.5, mixing=Mixing.LINEAR)))
    assert abs(int(half[0, 0, 0]) - 32768) <= 1
    assert light[0, 0, 0] == pytest.approx(0.7354 * 65535, rel=0.001)  # sRGB of half the light
    assert_same_pixels(whole(Inlaid(black, white, Inlay(opacity=0))), whole(black))
    assert_same_pixels(whole(Inlaid(black, white, Inlay())), whole(white))


def test_linear_light_and_back_is_the_same() -> None:
    every = np.arange(65536, dtype=np.float32)
    np.testing.assert_allclose(from_light(to_light(every)), every, atol=1)


def test_a_seamless_join_takes_the_colour_from_around() -> None:
    shifted = Pixels(np.clip(whole(portrait()).astype(int) + 6000, 0, 65535).astype(np.uint16))
    hard, led = (
        np.abs(
            whole(Inlaid(portrait(), shifted, Inlay(mask=MASK, seamless=amount))).astype(int)
            - whole(portrait())
        )
        for amount in (0.0, 1.0)
    )
    assert led.max() < hard.max() / 10


def test_several_are_laid_one_over_the_other_in_their_order() -> None:
    white = Pixels(np.full((ON.height, ON.width, 3), 65535, np.uint16))
    first, second = Inlay(mask=MASK), Inlay(mask=MASK, opacity=0.5)
    one = whole(inlaid(portrait(), [(white, first), (darker(), second)]))
    other = whole(inlaid(portrait(), [(darker(), second), (white, first)]))
    assert one[40, 54, 0] < other[40, 54, 0] == 65535
    with pytest.raises(Refusal, match="choose a picture first"):
        inlaid(portrait(), [])


def test_alpha_of_the_layer_stays_and_transparent_places_of_the_inlay_do_not_show() -> None:
    colour = whole(portrait())
    alpha = np.arange(colour[..., :1].size, dtype=np.uint16).reshape(colour[..., :1].shape)
    under = Pixels(np.concatenate([colour, alpha], 2))
    window = np.zeros_like(alpha)
    window[20:40, 30:60] = 65535
    over = Pixels(np.concatenate([colour // 3, window], 2))
    made = whole(Inlaid(under, over, Inlay()))
    assert_same_pixels(made[..., 3:], alpha)
    assert_same_pixels(made[:20, :, :3], colour[:20])
    assert_same_pixels(made[25:35, 35:55, :3], colour[25:35, 35:55] // 3)


def test_a_layer_of_another_size_is_laid_by_coordinates() -> None:
    small = Pixels(whole(portrait())[::2, ::2].copy())
    made = whole(Inlaid(portrait(), small, Inlay()))
    assert np.abs(made.astype(int) - whole(portrait())).mean() < 2500


def test_a_mask_that_covers_nothing_is_refused() -> None:
    with pytest.raises(Refusal, match="covers nothing"):
        Inlaid(portrait(), darker(), Inlay(mask=Mask(tuple(ON))))


# files ------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def scene() -> Pixels:
    return part(STATIONMASTER_TRUTH, Box(300, 200, 900, 1100))


def test_a_file_is_laid_where_its_features_lie(scene: Pixels) -> None:
    turned = cv2.getRotationMatrix2D((300, 300), 7, 0.8) + np.array([[0, 0, 30], [0, 0, 50]])
    samples = cv2.warpAffine(whole(scene), turned, (700, 900), flags=cv2.INTER_AREA)
    found = align(Pixels(samples), scene)
    assert found.residual < 1
    assert found.matches > 50
    laid = Warped(Pixels(samples), found.homography, scene.size)
    box = Box(250, 300, 300, 300)
    there = laid.read(box)
    assert (there[..., 3] == 65535).mean() > 0.98
    off = np.abs(there[..., :3].astype(int) - whole(scene)[box.slices])
    assert np.median(off) < 1500
    assert_same_pixels(laid.read(Box(300, 350, 50, 40)), there[50:90, 50:100])


def test_what_does_not_belong_is_refused(scene: Pixels) -> None:
    noise = np.random.default_rng(1).integers(0, 65535, (300, 300, 3)).astype(np.uint16)
    flat = np.full((200, 200, 3), 30000, np.uint16)
    for samples in (noise, flat):
        with pytest.raises(Refusal, match="shows too little of what the layer shows"):
            align(Pixels(samples), scene)


def test_edge_to_edge_covers_the_layer(scene: Pixels) -> None:
    laid = Warped(portrait(), edge_to_edge(ON, scene.size), scene.size)
    assert (laid.read(Box.whole(scene.size))[..., 3] > 0).all()


# measured masks ---------------------------------------------------------------------------------


def fraction(mask: Mask, size: Size, box: Box) -> tuple[float, float]:
    """Mean cover inside a box and outside it."""
    covered = RenderedMask(mask, size).read(Box.whole(size))
    inside = np.zeros(covered.shape, bool)
    inside[box.slices] = True
    return float(covered[inside].mean()), float(covered[~inside].mean())


BLURRED = Box(300, 300, 300, 350)


def test_a_mask_covers_where_a_picture_differs(scene: Pixels) -> None:
    samples = whole(scene).copy()
    samples[BLURRED.slices] = np.clip(samples[BLURRED.slices].astype(int) + 4000, 0, 65535)
    inside, outside = fraction(differs(Pixels(samples), scene), scene.size, BLURRED)
    assert inside > 0.9
    assert outside < 0.02


@pytest.mark.parametrize(
    "measure",
    [
        lambda blurred, scene: sharper(scene, blurred),
        lambda blurred, scene: nearer(scene, blurred, scene),
    ],
    ids=["sharper", "nearer"],
)
def test_a_mask_covers_where_one_picture_is_better(
    scene: Pixels, measure: Callable[[Pixels, Pixels], Mask]
) -> None:
    blurred = soft(scene, 2.5, BLURRED)
    inside, outside = fraction(measure(blurred, scene), scene.size, BLURRED)
    assert inside > 0.8
    assert outside < 0.05


def test_holes_stay_holes() -> None:
    there = np.zeros((80, 80), bool)
    there[10:70, 10:70] = True
    there[30:50, 30:50] = False
    size = Size(80, 80)
    covered = RenderedMask(outlined(there, size), size).read(Box.whole(size))
    assert covered[20, 20] == 1
    assert covered[40, 40] == 0
    assert covered[5, 5] == 0
    nothing = outlined(np.zeros((80, 80), bool), size)
    assert not nothing.steps


def test_a_face_is_covered_with_its_hair_turned_as_it_is() -> None:
    size = Size(400, 400)
    face = Face(Box(150, 140, 80, 100), 90, 20)
    just, wide = (Mask(tuple(size), face_steps([face], margin)) for margin in (0.0, 0.6))
    areas = [RenderedMask(mask, size).read(Box.whole(size)).sum() for mask in (just, wide)]
    assert areas[0] == pytest.approx(np.pi * 60 * 85, rel=0.03)
    assert areas[1] > 1.5 * areas[0]
    head = wide.steps[0]
    assert isinstance(head, Ellipse)
    assert (head.x, head.y, head.across, head.turn) == (190, 190, 84, 20)
    assert head.down == pytest.approx(115)


def test_findings_are_covered_with_a_soft_edge() -> None:
    size = Size(200, 100)
    mask = places_mask([Box(20, 20, 30, 30), Box(100, 50, 60, 40)], size)
    covered = RenderedMask(mask, size).read(Box.whole(size))
    assert covered[35, 35] == 1
    assert covered[70, 130] == 1
    assert covered[10, 150] == 0
    assert not places_mask([], size).steps


def test_settings_are_read_back_as_written() -> None:
    settings = Inlay(
        "abc", MASK, 0.4, Mixing.LINEAR, 1.0, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)
    )
    assert Inlay.from_json(to_json(settings)) == settings
    samples: SampleArray = whole(portrait())
    assert samples.dtype == np.uint16
