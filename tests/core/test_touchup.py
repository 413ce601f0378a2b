"""Touch-ups: the region changes, everything else stays bit for bit."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.base.faces import find_faces
from enamel.core.base.pixels import examine, read_canvas
from enamel.core.errors import FieldRefusal
from enamel.core.fire.touchup import TouchUp, soft_mask, touch_up
from enamel.core.geometry import Box, Size
from enamel.core.picture.canvas import Canvas, Pixels
from tests.pictures import PLATFORM, STATIONMASTER, assert_same_pixels, portrait, whole
from tests.schedules import quick

BOX = (30, 20, 48, 40)


def mended(tmp_path: Path, picture: Pixels, **more: object) -> Canvas:
    settings = TouchUp(box=BOX, working=128, feather=8, refine=quick(), **more)  # type: ignore[arg-type]
    into = tmp_path / "mended.npy"
    touch_up(picture, settings, tmp_path / "work", into)
    return Canvas(into)


def test_7_nothing_changes_outside_the_region(tmp_path: Path) -> None:
    before, after = whole(portrait()).copy(), whole(mended(tmp_path, portrait()))
    inside = Box(*BOX).slices
    assert np.abs(after[inside].astype(int) - before[inside]).mean() > 50
    after[inside] = before[inside]
    assert_same_pixels(after, before)


def test_the_join_is_soft(tmp_path: Path) -> None:
    change = np.abs(whole(mended(tmp_path, portrait())).astype(int) - whole(portrait()))
    inside = change[Box(*BOX).slices].mean(axis=2)
    assert inside[0].mean() < inside[12:28].mean() / 4


def test_alpha_stays_as_it_is(tmp_path: Path) -> None:
    colour = whole(portrait())
    alpha = np.arange(colour[..., :1].size, dtype=np.uint16).reshape(colour[..., :1].shape)
    picture = Pixels(np.concatenate([colour, alpha], 2))
    assert_same_pixels(whole(mended(tmp_path, picture))[..., 3:], alpha)


@given(
    x=st.integers(0, 60), y=st.integers(0, 60),
    width=st.integers(16, 40), height=st.integers(16, 40), feather=st.integers(0, 64),
)  # fmt: skip
def test_a_mask_is_whole_inside_and_soft_only_where_there_is_a_neighbour(
    x: int, y: int, width: int, height: int, feather: int
) -> None:
    layer = Size(100, 100)
    mask = soft_mask(Box(x, y, width, height), feather, layer)[..., 0]
    assert mask.min() >= 0
    assert mask.max() <= 1
    assert mask.max() > 0.9
    assert (mask[:, 0].max() < mask.max()) == (feather > 0 and x > 0)
    assert (mask[-1].max() < mask.max()) == (feather > 0 and y + height < 100)


@pytest.mark.parametrize("box", [(90, 20, 48, 40), (0, 0, 8, 8), (-1, 0, 20, 20)])
def test_a_region_outside_the_layer_is_refused(tmp_path: Path, box: tuple[int, ...]) -> None:
    with pytest.raises(FieldRefusal, match="box"):
        touch_up(portrait(), TouchUp(box=box), tmp_path, tmp_path / "x.npy")  # type: ignore[arg-type]


def test_settings_are_read_back_as_written() -> None:
    from enamel.core.fields import to_json

    settings = TouchUp(box=BOX, refine=quick(seed=9))
    assert TouchUp.from_json(to_json(settings)) == settings


@pytest.mark.parametrize(("path", "least"), [(STATIONMASTER, 1), (PLATFORM, 9)])
def test_faces_of_the_demo_are_found(tmp_path: Path, path: Path, least: int) -> None:
    canvas = read_canvas(path, examine(path), tmp_path / "base.npy")
    faces = find_faces(canvas)
    assert len(faces) >= least
    for face in faces:
        assert Box.whole(canvas.size).contains(face.box)


def test_no_faces_in_a_wall(tmp_path: Path) -> None:
    assert find_faces(Pixels(whole(portrait())[:40, 70:])) == []
