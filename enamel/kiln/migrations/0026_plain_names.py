from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("kiln", "0025_plain_words")]

    operations = [
        migrations.RenameField("firing", "put_away", "dismissed"),
        migrations.RenameField("batchitem", "foretold", "predicted"),
        migrations.RenameModel("HouseSchedule", "SchedulePreset"),
        migrations.RenameModel("HouseFinish", "FinishPreset"),
        migrations.RenameModel("HouseOutput", "OutputPreset"),
        migrations.RemoveConstraint("schedulepreset", "one_house_schedule_per_name"),
        migrations.RemoveConstraint("finishpreset", "one_house_finish_per_name"),
        migrations.RemoveConstraint("outputpreset", "one_house_output_per_name"),
        migrations.AddConstraint(
            "schedulepreset",
            models.UniqueConstraint(fields=("owner", "name"), name="one_schedule_preset_per_name"),
        ),
        migrations.AddConstraint(
            "finishpreset",
            models.UniqueConstraint(fields=("owner", "name"), name="one_finish_preset_per_name"),
        ),
        migrations.AddConstraint(
            "outputpreset",
            models.UniqueConstraint(fields=("owner", "name"), name="one_output_preset_per_name"),
        ),
        migrations.AlterField(
            "piece",
            "base_file",
            models.FileField(help_text="The file as it was imported.", upload_to="bases/"),
        ),
    ]
