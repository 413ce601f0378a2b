"""What a batch does with each picture: rules by kind, words, faces, a finish."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.errors import FieldRefusal
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.faces.detection import Face
from enamel.core.finishing.recipe import Finish, Grain
from enamel.core.geometry import Box, Size
from enamel.core.intake.provenance import Provenance
from enamel.core.intake.subject import Subject
from enamel.core.pipeline.touchup import TouchUp
from enamel.core.pipeline.treatment import ForKind, RequestedFile, Treatment
from enamel.core.schedule import Coat, Refine, Schedule

OWN = Schedule((Coat(factor=3.0, refine=None),))
GENTLE = Schedule((Coat(factor=2.0, refine=Refine(strength=0.15)),))
SIGN = Schedule((Coat(factor=4.0, upscaler="cloisonne", refine=Refine(model="champleve")),))
MADE = Provenance(prompt="a stationmaster", negative_prompt="fog", seed="41")
FACE = Face(Box(40, 30, 60, 80), 90.0, 4.0)


def test_a_kind_with_a_rule_gets_its_coats_and_the_others_the_usual_ones() -> None:
    treatment = Treatment(GENTLE, (ForKind(Subject.DRAWING, SIGN),), words=False)
    assert treatment.schedule_for(Subject.DRAWING, OWN, MADE) == SIGN
    assert treatment.schedule_for(Subject.PHOTO, OWN, MADE) == GENTLE
    assert Treatment().schedule_for(Subject.PHOTO, OWN, MADE) == OWN
    assert Treatment(GENTLE, coats=False, faces=True).schedule_for(Subject.PHOTO, OWN, MADE) is None


def test_coats_without_words_take_the_pictures_own_and_others_keep_theirs() -> None:
    worded = Schedule((*GENTLE.coats, Coat(factor=2.0, refine=Refine(prompt="brick", seed=3))))
    chosen = Treatment(worded).schedule_for(Subject.PHOTO, OWN, MADE)
    assert chosen is not None
    first, second = (coat.refine for coat in chosen.coats)
    assert first is not None
    assert (first.prompt, first.negative_prompt, first.seed) == ("a stationmaster", "fog", 41)
    assert second == worded.coats[1].refine
    plain = Treatment(GENTLE).schedule_for(Subject.PHOTO, OWN, Provenance(seed="9" * 19))
    assert plain == GENTLE  # such a seed is none of Enamel's


@given(factor=st.sampled_from([1.5, 2.0, 4.0]))
def test_faces_are_refined_where_they_are_on_what_the_coats_made(factor: float) -> None:
    schedule = Schedule((Coat(factor=factor, refine=None),))
    finish = Finish(grain=Grain(on=True))
    steps = Treatment(schedule, faces=True, strength=0.3, finish=finish).steps(
        schedule, Size(200, 160), [FACE], "camaieu"
    )
    coat, touch_up, last = steps
    assert coat == schedule.coats[0]
    assert isinstance(touch_up, TouchUp)
    assert touch_up.refine.model == "camaieu"
    (patch,) = touch_up.patches
    assert patch.strength == 0.3
    size = Size(200, 160).scaled(factor)
    touch_up.within(size)
    covered = touch_up.placed(patch, size).mask.bounds
    assert covered.contains(FACE.box.scaled(factor))
    assert last == finish


def test_without_faces_nothing_is_refined() -> None:
    treatment = Treatment(GENTLE, faces=True)
    assert treatment.steps(GENTLE, Size(200, 160), [], "camaieu") == list(GENTLE.coats)
    assert Treatment(coats=False, faces=True).steps(None, Size(9, 9), [], "camaieu") == []


def test_a_treatment_that_does_nothing_is_refused() -> None:
    with pytest.raises(FieldRefusal, match="nothing would be done"):
        Treatment(coats=False)


def test_it_is_kept_and_read_back_the_same() -> None:
    file = RequestedFile(PrintSettings(Output(FileFormat.PNG)), True, "{title}")
    treatment = Treatment(
        GENTLE, (ForKind(Subject.DRAWING, SIGN),), faces=True, finish=Finish(), files=(file,)
    )
    assert Treatment.from_json(treatment.to_json()) == treatment
    with pytest.raises(FieldRefusal, match="strength"):
        Treatment.from_json({"strength": 2})
