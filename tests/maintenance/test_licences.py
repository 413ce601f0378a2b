"""The bill of materials, and the page of licences."""

import json

from django.test import Client
from django.urls import reverse

from enamel.maintenance.licences import FILE, parts
from tools.bill_of_materials import bill_of_materials


def test_the_bill_of_materials_is_what_is_installed_and_shipped() -> None:
    assert FILE.read_text() == bill_of_materials(), "run python -m tools.bill_of_materials"
    assert json.loads(FILE.read_text())["specVersion"] == "1.6"


def test_every_part_has_a_licence_and_none_is_for_development() -> None:
    found = {part.name: part for group in parts().values() for part in group}
    assert all(part.licence not in ("", "UNKNOWN") for part in found.values())
    assert {"django", "openvino", "openseadragon", "grisaille", "coated.icc"} <= set(found)
    assert not {"pytest", "mypy", "selenium"} & set(found)


def test_the_page_lists_them_and_hands_out_the_file(signed_in: Client) -> None:
    text = signed_in.get(reverse("licences")).content.decode()
    assert "openseadragon" in text
    assert "OFL-1.1" in text
    answer = signed_in.get(reverse("bill-of-materials"))
    assert b"".join(answer.streaming_content) == FILE.read_bytes()  # type: ignore[attr-defined]
