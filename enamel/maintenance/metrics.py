"""Figures of an installation for Prometheus: jobs, workers, disk. No titles, no prompts, no names."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db.models import Count, Min
from django.utils import timezone
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.registry import Collector

from enamel.jobs.models import Job, Worker
from enamel.jobs.queueing import QUEUES
from enamel.storage.disk import free_bytes


class Figures(Collector):
    """Collects the figures from the database at each request."""

    def collect(self) -> Iterator[Metric]:
        yield from _jobs()
        yield from _workers()
        free = GaugeMetricFamily("enamel_disk_free_bytes", "Room on the disk.", labels=["folder"])
        for name, folder in (("pictures", settings.MEDIA_ROOT), ("work", settings.KILN_WORK)):
            free.add_metric([name], free_bytes(Path(folder)))
        yield free


def _jobs() -> Iterator[Metric]:
    count = GaugeMetricFamily("enamel_jobs", "Jobs by kind and state.", labels=["kind", "state"])
    oldest = GaugeMetricFamily(
        "enamel_job_oldest_seconds", "Age of the oldest job in a state.", labels=["kind", "state"]
    )
    now = timezone.now()
    for kind in Job.kinds():
        manager: Any = kind._default_manager
        rows = manager.order_by().values("state").annotate(jobs=Count("pk"), first=Min("created"))
        for row in rows:
            labels = [kind._meta.model_name or "", row["state"]]
            count.add_metric(labels, row["jobs"])
            if row["state"] in kind.OPEN:
                oldest.add_metric(labels, (now - row["first"]).total_seconds())
    yield count
    yield oldest


def _workers() -> Iterator[Metric]:
    alive = GaugeMetricFamily("enamel_workers", "Workers alive, by queue.", labels=["queue"])
    for queue in QUEUES:
        alive.add_metric([queue], Worker.objects.serving(queue).count())
    yield alive
    speed = GaugeMetricFamily(
        "enamel_worker_megapixels_per_second", "What a worker's networks saw a second, last.",
        labels=["host", "process"],
    )  # fmt: skip
    for worker in Worker.objects.alive().filter(rate__isnull=False):
        speed.add_metric([worker.host, str(worker.process)], worker.rate or 0.0)
    yield speed
