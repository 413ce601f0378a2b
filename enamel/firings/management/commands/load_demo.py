"""Create the demo account with the six Kestrel Vale pieces and its schedule presets, and have the models
tried, unless done.
"""

import json
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.files import File
from django.core.management.base import BaseCommand

from enamel.accounts.signing import DEMO_NAME
from enamel.catalogue.trials import submit_trials
from enamel.core.schedule import Schedule
from enamel.firings.models import SchedulePreset
from enamel.library import layers as store
from enamel.library import services as library
from enamel.library.models import Piece

TITLES = {
    "signal-lamp.jpg": "The signal lamp",
    "tea-car.jpg": "In the tea car",
    "emblem.png": "Locomotive emblem",
    "platform.png": "The crowded platform",
    "night-mail.png": "Night mail on the viaduct",
    "stationmaster.png": "The stationmaster",
}


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        people = get_user_model()
        owner, made = people.objects.get_or_create(username=DEMO_NAME)
        if made:
            owner.set_unusable_password()
        owner.is_staff = True  # the demo account may switch and delete models
        owner.save()
        known = set(Piece.objects.filter(owner=owner).values_list("base_name", flat=True))
        for name, title in TITLES.items():
            if name in known:
                continue
            with (settings.DEMO_PICTURES / name).open("rb") as file:
                piece = library.import_picture(owner, File(file), name)
            piece.title = title
            piece.save(update_fields=["title"])
            store.prepare(piece.base)
        for kept in json.loads(settings.DEMO_PRESETS.read_text()):
            schedule = Schedule.from_json(kept["schedule"]).to_json()
            SchedulePreset.objects.get_or_create(
                owner=owner,
                name=kept["name"],
                defaults={"summary": kept["summary"], "schedule": schedule},
            )
        submit_trials()
