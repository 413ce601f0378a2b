"""Runs a worker of the kiln until it is stopped."""

import asyncio
import logging
import time
from contextlib import suppress
from typing import Any

from asgiref.sync import sync_to_async
from django.core.management.base import BaseCommand, CommandParser
from django.db import close_old_connections
from procrastinate import App
from procrastinate.contrib.django import app

from enamel.core.checkpoints import loading
from enamel.core.memory import give_back_freed
from enamel.core.networks.runtimes import release_unused
from enamel.jobs import heartbeats, sweeper
from enamel.jobs.queueing import QUEUES
from enamel.storage import scratch

HEARTBEAT_SECONDS = 2.0
AGAIN_SECONDS = 3.0
"""Pause before a worker that lost the database tries again."""
IDLE_SECONDS = 60.0
"""A worker without work for so long releases its networks."""
STALLED_SECONDS = 10.0
"""A worker without a heartbeat for so long counts as dead, and its jobs go to others."""

logger = logging.getLogger(__name__)


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "queues", nargs="*", default=[*QUEUES], metavar="QUEUE",
            help=f"{', '.join(QUEUES)}, or several; all when left out",
        )  # fmt: skip

    def handle(self, *args: Any, queues: list[str], **options: Any) -> None:
        scratch.sweep()
        while True:
            try:
                with suppress(asyncio.CancelledError):
                    asyncio.run(work(queues))
                heartbeats.sign_off()
                return
            except Exception:  # the database may restart, be full or be elsewhere for a while
                logger.exception("the kiln lost its database; it tries again")
                close_old_connections()
                time.sleep(AGAIN_SECONDS)


async def work(queues: list[str]) -> None:
    """Take jobs from the queues, and jobs of dead workers too."""
    connector = app.connector.get_worker_connector()  # type: ignore[attr-defined]
    with app.replace_connector(connector) as served:
        async with served.open_async():
            rescue = asyncio.create_task(rescue_jobs(served, queues))
            try:
                await served.run_worker_async(
                    queues=queues,
                    concurrency=1,
                    fetch_job_polling_interval=2.0,
                    shutdown_graceful_timeout=0.1,
                    update_heartbeat_interval=HEARTBEAT_SECONDS,
                    stalled_worker_timeout=STALLED_SECONDS,
                    delete_jobs="successful",
                )
            finally:
                rescue.cancel()


async def rescue_jobs(served: App, queues: list[str]) -> None:
    """Every few seconds, send a heartbeat, put the jobs of dead workers and lost jobs back in their
    queues, and have batches fed.

    Several workers do so at once and may meet at one job; what fails is tried again next time.
    """
    while True:
        try:
            for job in await served.job_manager.get_stalled_jobs(
                seconds_since_heartbeat=STALLED_SECONDS
            ):
                await served.job_manager.retry_job(job)
            await sync_to_async(heartbeats.send_heartbeat)(queues)
            if release_unused(IDLE_SECONDS) or loading.release(IDLE_SECONDS):
                give_back_freed()
            await sync_to_async(sweeper.sweep)()
            await sync_to_async(sweeper.run_checks)(queues)
        except Exception:
            logger.exception("jobs of dead workers could not be looked for; this is tried again")
            await sync_to_async(close_old_connections)()
        await asyncio.sleep(HEARTBEAT_SECONDS)
