"""Delete expired sessions, in workers."""

from procrastinate.contrib.django import app

from enamel.accounts.sessions import SessionStore
from enamel.jobs.queueing import MAINTENANCE
from enamel.jobs.tasks import task


@app.periodic(cron="7 4 * * *")
@task(MAINTENANCE, "Deleting expired sessions")
def delete_expired_sessions(timestamp: int) -> None:
    """Delete sessions that have expired. Once a day."""
    SessionStore.clear_expired()
