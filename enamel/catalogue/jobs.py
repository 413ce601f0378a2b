"""Add uploaded models and try models, in workers."""

from pathlib import Path

from enamel.catalogue import services, trials
from enamel.catalogue.queue import enqueue_trials
from enamel.jobs.queueing import MAINTENANCE
from enamel.jobs.tasks import task
from enamel.uploads import jobs as uploads
from enamel.uploads.models import Upload
from enamel.uploads.services import path_of


@task(MAINTENANCE, "Trying a model")
def try_model(name: str) -> None:
    """Try a model on this machine: its speed, and what it makes of the demo pictures."""
    trials.carry_out(name)


def _add_uploaded_model(upload: Upload) -> None:
    """Test an uploaded model, or one in the workshop's folder, and add it."""
    details = dict(upload.details)
    path = Path(details.pop("waiting")) if "waiting" in details else path_of(upload)
    services.add_model(path, upload.owner, **details)
    uploads.end(upload, Upload.State.DONE)
    enqueue_trials()


uploads.register(Upload.Kind.MODEL, _add_uploaded_model)
