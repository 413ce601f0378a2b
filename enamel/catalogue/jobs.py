"""Add uploaded models and try models, in workers."""

from pathlib import Path

from enamel.catalogue import services
from enamel.catalogue.models import Trial
from enamel.catalogue.trials import submit_trials, try_model
from enamel.jobs.running import Stopping, carries_out
from enamel.uploads import jobs as uploads
from enamel.uploads.models import Upload
from enamel.uploads.services import path_of


@carries_out(Trial)
def carry_out_trial(trial: Trial, stopping: Stopping) -> None:
    """Try a model on this machine: its speed, and what it makes of the demo pictures."""
    try_model(trial)


def _add_uploaded_model(upload: Upload) -> None:
    """Test an uploaded model, or one in the workshop's folder, and add it."""
    details = dict(upload.details)
    path = Path(details.pop("waiting")) if "waiting" in details else path_of(upload)
    services.add_model(path, upload.owner, **details)
    upload.finish()
    submit_trials()


uploads.register(Upload.Kind.MODEL, _add_uploaded_model)
