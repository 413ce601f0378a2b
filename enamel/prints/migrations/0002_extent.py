"""Presets name what a file contains `extent`, which was `lies`."""

from django.apps.registry import Apps
from django.db import migrations
from django.db.backends.base.schema import BaseDatabaseSchemaEditor


def rename(apps: Apps, schema_editor: BaseDatabaseSchemaEditor) -> None:
    presets = apps.get_model("prints", "OutputPreset")
    for preset in presets._default_manager.filter(form__has_key="lies"):
        preset.form["extent"] = preset.form.pop("lies")
        preset.save(update_fields=["form"])


class Migration(migrations.Migration):
    dependencies = [("prints", "0001_version_1_0")]
    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
