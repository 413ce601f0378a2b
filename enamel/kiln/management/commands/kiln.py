"""Runs a worker of the kiln until it is told to stop."""

import asyncio
import contextlib
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from procrastinate import App
from procrastinate.contrib.django import app

from enamel.kiln.tasks import CHORES, FIRINGS, SWATCHES

HEARTBEAT_SECONDS = 2.0
STALLED_SECONDS = 10.0
"""A worker silent for so long is taken for dead, and its jobs are given to others."""


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "queues", nargs="*", default=[FIRINGS, SWATCHES, CHORES], metavar="QUEUE",
            help=f"{FIRINGS}, {SWATCHES}, {CHORES}, or several; all when left out",
        )  # fmt: skip

    def handle(self, *args: Any, queues: list[str], **options: Any) -> None:
        with contextlib.suppress(asyncio.CancelledError):
            asyncio.run(work(queues))


async def work(queues: list[str]) -> None:
    """Take jobs from the queues, and jobs of dead workers too."""
    connector = app.connector.get_worker_connector()  # type: ignore[attr-defined]
    with app.replace_connector(connector) as served:
        async with served.open_async():
            rescue = asyncio.create_task(rescue_jobs(served))
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


async def rescue_jobs(served: App) -> None:
    """Put the jobs of dead workers back in the queue, every few seconds."""
    while True:
        for job in await served.job_manager.get_stalled_jobs(
            seconds_since_heartbeat=STALLED_SECONDS
        ):
            await served.job_manager.retry_job(job)
        await asyncio.sleep(HEARTBEAT_SECONDS)
