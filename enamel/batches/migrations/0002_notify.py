"""Notify pages of changes."""

from django.db import migrations

from enamel.jobs.triggers import notify


class Migration(migrations.Migration):
    dependencies = [("batches", "0001_initial")]

    operations = [
        notify("batches_batch", "NEW.owner_id"),
        notify("batches_batchitem", "(SELECT owner_id FROM batches_batch WHERE id = NEW.batch_id)"),
    ]
