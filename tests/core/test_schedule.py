"""Schedules as files: what is read is what was written, and errors name the field."""

import json
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.diffusion.samplers import Sampler
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.geometry import Size
from enamel.core.pipeline.sheets import Axis, cells
from enamel.core.schedule import Coat, Mode, Refine, Schedule, content_key, schedule_schema

PUBLISHED = Path(__file__).parents[2] / "docs" / "reference" / "schedule.schema.json"
EXAMPLE: dict[str, Any] = {
    "coats": [
        {
            "factor": 2,
            "upscaler": "lanczos",
            "refine": {
                "model": "grisaille",
                "strength": 0.3,
                "steps": 8,
                "sampler": "euler",
                "seed": 7,
                "guidance": 1.0,
                "hold": 0.5,
                "tile": [512, 512],
                "overlap": 64,
                "order": "rows",
                "mode": "joint",
            },
        },
        {"size": [3000, 2000], "refine": None},
    ]
}


def test_the_published_schema_is_that_of_the_code() -> None:
    assert json.loads(PUBLISHED.read_text()) == schedule_schema()


def test_the_example_of_the_docs_is_read() -> None:
    jsonschema.validate(EXAMPLE, schedule_schema())
    schedule = Schedule.from_json(EXAMPLE)
    assert schedule.coats[0].refine is not None
    assert schedule.coats[0].refine.tile == (512, 512)
    assert schedule.sizes(Size(768, 1024)) == [Size(1536, 2048), Size(3000, 2000)]


def test_settings_of_version_1_are_read_by_their_earlier_names() -> None:
    schedule = Schedule.from_json({"coats": [{"refine": {"give_back": 0.4, "grit": 0.02}}]})
    assert schedule.coats[0].refine == Refine(restore=0.4, extra_noise=0.02)
    assert Axis.read("give_back", "0.2, 0.4") == Axis("restore", (0.2, 0.4))
    kept = Axis("give_back", (0.2, 0.4))  # as sheets have it that were made then
    made = cells(schedule.coats[0], [kept])
    assert [cell.coat.refine.restore for cell in made if cell.coat.refine] == [0.2, 0.4]


refines = st.builds(
    Refine,
    strength=st.floats(0, 1),
    steps=st.integers(1, 50),
    sampler=st.sampled_from(Sampler),
    seed=st.integers(0, 2**63 - 1),
    hold=st.floats(0, 1),
    tile=st.tuples(st.integers(64, 1024), st.integers(64, 1024)),
    overlap=st.integers(0, 32),
    mode=st.sampled_from(Mode),
)
coats = st.builds(Coat, factor=st.floats(0.5, 4), refine=st.none() | refines)


VALID = jsonschema.Draft202012Validator(schedule_schema())


@given(schedule=st.builds(Schedule, st.lists(coats, min_size=1, max_size=3).map(tuple)))
def test_what_is_written_is_valid_and_read_back_the_same(schedule: Schedule) -> None:
    written = json.loads(json.dumps(schedule.to_json()))
    VALID.validate(written)
    assert Schedule.from_json(written) == schedule


def changed(path: list[Any], value: Any) -> dict[str, Any]:
    copy: dict[str, Any] = json.loads(json.dumps(EXAMPLE))
    place: Any = copy
    for step in path[:-1]:
        place = place[step]
    place[path[-1]] = value
    return copy


@pytest.mark.parametrize(
    ("path", "value", "field"),
    [
        (["coats", 0, "refine", "strength"], 1.5, "coats[0].refine.strength"),
        (["coats", 0, "refine", "strength"], "much", "coats[0].refine.strength"),
        (["coats", 0, "refine", "steps"], 0, "coats[0].refine.steps"),
        (["coats", 0, "refine", "steps"], 2.5, "coats[0].refine.steps"),
        (["coats", 0, "refine", "sampler"], "best", "coats[0].refine.sampler"),
        (["coats", 0, "refine", "tile"], [512], "coats[0].refine.tile"),
        (["coats", 0, "refine", "overlap"], 300, "coats[0].refine.overlap"),
        (["coats", 0, "refine", "colour"], 1, "coats[0].refine.colour"),
        (["coats", 1, "size"], [3000, 0], "coats[1].size"),
        (["coats", 1, "factor"], 2, "coats[1].size"),
        (["coats"], [], "coats"),
        (["coats"], "two", "coats"),
    ],
)
def test_what_is_wrong_is_named(path: list[Any], value: Any, field: str) -> None:
    with pytest.raises(FieldRefusal) as refused:
        Schedule.from_json(changed(path, value))
    assert refused.value.field == field
    assert refused.value.message


def test_a_result_too_long_for_any_reader_is_refused() -> None:
    with pytest.raises(Refusal, match="longest side"):
        Coat(factor=16).size_from(Size(9000, 100))


def test_an_address_changes_with_anything_that_determines_the_pixels() -> None:
    refine = Refine(seed=1)
    same = content_key("parent", refine)
    assert content_key("parent", Refine(seed=1)) == same
    assert content_key("other", refine) != same
    assert content_key("parent", Refine(seed=2)) != same
