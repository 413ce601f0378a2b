"""Keeps a small installation of this version, for `test_updates` of later ones.

::

    cd tests/maintenance
    ENAMEL_KEEP=installations/VERSION python -m pytest -n0 keep_installation.py
"""

import json
import os
from hashlib import sha256
from pathlib import Path

import pytest
from django.contrib.auth.models import User

from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.fields import to_json
from enamel.core.finishing.recipe import Finish
from enamel.finishing.models import FinishPreset
from enamel.firings import services as firings
from enamel.firings.models import Firing, SchedulePreset
from enamel.library import layers as store
from enamel.library.models import Layer, Piece
from enamel.maintenance.backups import Backup
from enamel.prints import services as prints
from enamel.prints.forms import PrintFileForm
from enamel.prints.models import OutputPreset, PrintFile
from tests.pictures import whole
from tests.schedules import coat
from tests.workers import carry_out

pytestmark = pytest.mark.django_db(transaction=True)


def pixels_hash(layer: Layer) -> str:
    with store.canvas_of(layer) as canvas:
        return sha256(whole(canvas).tobytes()).hexdigest()


@pytest.mark.skipif("ENAMEL_KEEP" not in os.environ, reason="says where with ENAMEL_KEEP")
def test_an_installation_is_kept(artist: User, piece: Piece) -> None:
    """A piece with a coat, a print file, presets, and work that has just begun."""
    folder = Path(os.environ["ENAMEL_KEEP"])
    done = firings.enqueue_schedule(piece.base, coat())
    carry_out(done)
    done.refresh_from_db()
    assert done.state == Firing.State.DONE, done.error
    layer = piece.layers.get(kind=Layer.Kind.COAT)
    made = prints.order(layer, PrintSettings(Output(FileFormat.PNG)))
    carry_out(made)
    SchedulePreset.objects.create(
        owner=artist, name="gentle", schedule=coat(strength=0.2).to_json()
    )
    FinishPreset.objects.create(owner=artist, name="plain", recipe=to_json(Finish()))
    OutputPreset.objects.create(owner=artist, name="proof", form=PrintFileForm.starting())
    waiting = firings.enqueue_schedule(piece.base, coat(seed=6))
    Backup(folder).make(derived=False)
    made.refresh_from_db()
    assert made.state == PrintFile.State.DONE
    expected = {
        "layers": {str(one.pk): pixels_hash(one) for one in piece.layers.all()},
        "print": str(made.pk),
        "waiting": str(waiting.pk),
    }
    (folder / "expected.json").write_text(json.dumps(expected, indent=1) + "\n")
