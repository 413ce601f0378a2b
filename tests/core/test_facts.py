"""What files say of how their pictures were made: read from any names, written as IPTC has them."""

import json

import PIL.Image
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.intake.metadata import carried_text
from enamel.core.intake.provenance import Provenance, made, pairs_in
from enamel.core.intake.xmp import AI_EDITED, AI_MADE, packet, properties
from tests.pictures import DEMO

TEXTS = st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1, max_size=60).filter(
    lambda text: text.strip() == text and not text.startswith("http")
)


@pytest.mark.parametrize(
    "text",
    [
        "prompt: a stationmaster in oils\nnegative prompt: blurred\nseed: 42\nmodel: kiln-3",
        "a stationmaster in oils\nNegative prompt: blurred\nSeed: 42, Model: kiln-3",
        json.dumps({"prompt": "a stationmaster in oils", "negative_prompt": "blurred", "seed": 42,
                    "settings": {"model": "kiln-3"}}),
        "Positive_prompt = a stationmaster in oils\nAvoid: blurred\nnoise seed: 42\nCheckpoint: kiln-3",
    ],
)  # fmt: skip
def test_pairs_of_names_and_values_are_recognised(text: str) -> None:
    assert made({"Comment": text}) == Provenance(
        "a stationmaster in oils", "blurred", "42", "kiln-3"
    )


def test_a_value_may_go_on_over_lines() -> None:
    found = made({"any": "prompt: night mail\non the viaduct\nseed: 7"})
    assert (found.prompt, found.seed_number) == ("night mail\non the viaduct", 7)


@pytest.mark.parametrize("other", ["steps: 24", "clip layers: 2", "made at night"])
def test_a_seed_ends_with_its_line(other: str) -> None:
    found = made({"any": f"prompt: night mail\nseed: 41207\n{other}\nmodel: kiln-3"})
    assert (found.prompt, found.seed_number, found.model) == ("night mail", 41207, "kiln-3")


def test_another_setting_ends_the_words_but_a_colon_does_not() -> None:
    found = made({"any": "prompt: night mail\nlight: cold moon\nsteps: 24\nseed: 7"})
    assert found == Provenance("night mail\nlight: cold moon", seed="7")


def test_the_seeds_of_all_demo_pictures_are_numbers() -> None:
    for path in sorted(DEMO.glob("*.png")) + sorted(DEMO.glob("[!.]*.jpg")):
        if ".truth" not in path.name:
            with PIL.Image.open(path) as image:
                assert made(carried_text(image)).seed_number, path.name


def test_names_of_the_text_chunks_count_themselves() -> None:
    assert made({"prompt": "tea car", "seed": "19"}) == Provenance("tea car", seed="19")


def test_iptc_properties_count_first() -> None:
    xmp = packet(
        {
            "Iptc4xmpExt:AIPromptInformation": "signal lamp at dusk",
            "Iptc4xmpExt:AISystemUsed": "kiln",
            "Iptc4xmpExt:AISystemVersionUsed": "3",
        }
    ).decode()
    assert made({"prompt": "another", "XMP": xmp}) == Provenance(
        "signal lamp at dusk", model="kiln 3"
    )


@pytest.mark.parametrize(
    "text", ["", "just a caption", "{ not json", "{" * 5000, "12:30", "a: b: c"]
)
def test_where_nothing_is_recognised_nothing_is_invented(text: str) -> None:
    assert not made({"Software": text})
    assert pairs_in(text) in ([], [("a", "b: c")])


@given(text=st.text(max_size=300))
def test_no_text_breaks_the_reading(text: str) -> None:
    made({"XMP": text, "Comment": text})


@given(title=TEXTS, prompt=TEXTS)
def test_what_is_written_is_read_back(title: str, prompt: str) -> None:
    written = packet(
        {
            "dc:title": title,
            "Iptc4xmpExt:AIPromptInformation": prompt,
            "Iptc4xmpExt:DigitalSourceType": AI_EDITED,
            "xmp:CreatorTool": "",
        }
    )
    found = properties(written.decode())
    assert found["title"] == title
    assert found["AIPromptInformation"] == prompt
    assert found["DigitalSourceType"] == AI_EDITED != AI_MADE
    assert "CreatorTool" not in found


def test_packets_with_entities_of_their_own_are_not_opened() -> None:
    bomb = '<!DOCTYPE x [<!ENTITY a "aaaa">]><x>&a;</x>'
    assert properties(bomb) == {}
    assert properties("<not closed") == {}
