"""The section's geometry."""

from dataclasses import dataclass, field
from uuid import UUID, uuid4

from hypothesis import given
from hypothesis import strategies as st

from enamel.workspace.section import WIDTH, section


@dataclass
class Plate:
    width: int
    height: int
    parent_id: UUID | None = None
    kind: str = "coat"
    mended_at: float = 0.5
    pk: UUID = field(default_factory=uuid4)


@st.composite
def trees(draw: st.DrawFn) -> list[Plate]:
    plates = [Plate(512, 512, kind="base")]
    for _ in range(draw(st.integers(0, 12))):
        parent = draw(st.sampled_from(plates))
        factor = draw(st.sampled_from([1, 2]))
        kind = "coat" if factor == 2 else "touch-up"
        plates.append(Plate(parent.width * factor, parent.height * factor, parent.pk, kind))
    return plates


@given(plates=trees())
def test_bands_lie_on_their_parents_inside_the_drawing_and_apart(plates: list[Plate]) -> None:
    drawing = section(plates, plates[-1].pk)
    bands = {band.layer.pk: band for band in drawing.bands}
    assert len(bands) == len(plates)
    for band in drawing.bands:
        assert band.x >= -1e-6
        assert band.x + band.width <= WIDTH + 1e-6
        assert -1e-6 <= band.y <= drawing.height
        if band.layer.parent_id:
            below = bands[band.layer.parent_id]
            assert band.y + band.height <= below.y
            assert below.x - 1e-6 <= band.x
            assert band.x + band.width <= below.x + below.width + 1e-6
    for one in drawing.bands:
        for other in drawing.bands:
            apart = (
                one.x + one.width <= other.x + 1e-6
                or other.x + other.width <= one.x + 1e-6
                or one.y + one.height <= other.y + 1e-6
                or other.y + other.height <= one.y + 1e-6
            )
            assert one is other or apart


def test_more_pixels_make_a_thicker_band_and_the_way_to_the_base_is_marked() -> None:
    base = Plate(512, 512, kind="base")
    first = Plate(2048, 2048, base.pk)
    second = Plate(4096, 4096, first.pk)
    aside = Plate(2048, 2048, base.pk)
    drawing = section([base, first, second, aside], second.pk)
    heights = {band.layer.pk: band.height for band in drawing.bands}
    assert heights[base.pk] < heights[first.pk] < heights[second.pk]
    assert [band.on_path for band in drawing.bands] == [True, True, True, False]
    assert [band.layer.pk for band in drawing.bands if band.chosen] == [second.pk]
