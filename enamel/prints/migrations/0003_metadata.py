"""Presets name whether a file says how it was made `metadata`, which was `speaks`."""

from django.apps.registry import Apps
from django.db import migrations
from django.db.backends.base.schema import BaseDatabaseSchemaEditor


def rename(apps: Apps, schema_editor: BaseDatabaseSchemaEditor) -> None:
    presets = apps.get_model("prints", "OutputPreset")
    for preset in presets._default_manager.filter(form__has_key="speaks"):
        preset.form["metadata"] = preset.form.pop("speaks")
        preset.save(update_fields=["form"])


class Migration(migrations.Migration):
    dependencies = [("prints", "0002_extent")]
    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
