"""Write, publish and delete print files, in workers."""

from uuid import UUID

from procrastinate.contrib.django import app

from enamel.jobs import sweeper
from enamel.jobs.queueing import MAINTENANCE
from enamel.jobs.tasks import task
from enamel.prints import services
from enamel.prints.models import PrintFile
from enamel.prints.queue import enqueue_print


@task(MAINTENANCE, "Writing a print file")
def write_print(print_id: str) -> None:
    """Write a print file that is waiting."""
    services.write(UUID(print_id))


sweeper.register(
    sweeper.JobKind("prints.write_print", "print_id", PrintFile.objects.open, enqueue_print)
)


@task(MAINTENANCE, "Copying a print file into the workshop's folder")
def publish(print_id: str) -> None:
    """Copy a written file into the workshop's folder, or note at the file why that failed."""
    made = PrintFile.objects.filter(pk=UUID(print_id), state=PrintFile.State.DONE).first()
    if made is not None:
        services.publish_and_note(made)


@app.periodic(cron="27 4 * * *")
@task(MAINTENANCE, "Deleting old print files")
def delete_outlived(timestamp: int) -> None:
    """Delete print files that were kept long enough. Once a day."""
    services.delete_outlived()
