"""Installations of earlier versions, updated: everything opens, and waiting work goes on.

`keep_installation` keeps one of a version before it is released.
"""

import json
from pathlib import Path
from typing import Any
from uuid import UUID

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from enamel.core.schedule import Schedule
from enamel.finishing.models import FinishPreset
from enamel.firings.models import Firing, SchedulePreset
from enamel.library.models import Layer, Piece
from enamel.maintenance.backups import Backup
from enamel.maintenance.restoring import restore
from enamel.maintenance.verifying import verify
from enamel.prints.forms import PrintFileForm
from enamel.prints.models import OutputPreset
from tests.maintenance.keep_installation import pixels_hash
from tests.workers import carry_out

pytestmark = pytest.mark.django_db(transaction=True)
INSTALLATIONS = sorted(Path(__file__).with_name("installations").iterdir())


@pytest.fixture(params=INSTALLATIONS, ids=lambda folder: folder.name)
def expected(request: pytest.FixtureRequest) -> dict[str, Any]:
    """What an updated installation has to hold."""
    backup = Backup(request.param)
    restore(backup)
    assert verify(backup) == []
    kept: dict[str, Any] = json.loads((request.param / "expected.json").read_text())
    return kept


def test_an_installation_of_an_earlier_version_is_whole_and_goes_on(
    expected: dict[str, Any], client: Client
) -> None:
    layers = {str(one.pk): pixels_hash(one) for one in Layer.objects.all()}
    assert layers == expected["layers"]
    artist = User.objects.get()
    assert artist.check_password("verdigris-27")
    client.force_login(artist)
    piece = Piece.objects.get()
    tasks = ("", "?task=print", "?task=file", "?task=base")
    pages = [piece.get_absolute_url() + task for task in tasks]
    pages += [reverse(name) for name in ("pieces", "kiln", "print-files", "preferences", "disk")]
    for page in [*pages, reverse("compare", args=[piece.pk])]:
        assert client.get(page).status_code == 200, page
    downloaded = client.get(reverse("print-file", args=[UUID(expected["print"])]))
    assert b"".join(downloaded.streaming_content).startswith(b"\x89PNG")  # type: ignore[attr-defined]

    assert Schedule.from_json(SchedulePreset.objects.get().schedule).coats[0].refine
    assert FinishPreset.objects.get().as_finish()
    form = PrintFileForm(OutputPreset.objects.get().form)
    assert form.is_valid(), form.errors
    assert form.cleaned_data["metadata"] is True
    assert form.cleaned_data["extent"] == "print"

    waiting = Firing.objects.get(pk=expected["waiting"])
    carry_out(waiting)
    waiting.refresh_from_db()
    assert waiting.state == Firing.State.DONE, waiting.error
    assert piece.layers.count() == len(layers) + 1
