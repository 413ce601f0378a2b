"""A worker of the kiln that finds faces quickly: `python -m tests.kiln QUEUE…`."""

import os
import sys

import django
from django.core.management import call_command

if __name__ == "__main__":
    os.environ["DJANGO_SETTINGS_MODULE"] = "enamel.server.settings"
    django.setup()
    from tests.faces import find_faces_quickly

    find_faces_quickly(setattr)
    call_command("kiln", *sys.argv[1:])
