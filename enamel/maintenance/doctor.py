"""Examine an installation: versions, disk, database, models, workers, ports, permissions, clock."""

import json
import os
import platform
import shutil
import urllib.request
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import timedelta
from enum import StrEnum
from importlib.metadata import distributions
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor
from django.utils import timezone

from enamel.core import ENGINE_VERSION, sandbox
from enamel.core.errors import Refusal
from enamel.core.files import whole_file
from enamel.core.networks.cards import cards, shipped_hashes
from enamel.jobs.models import Job, Worker
from enamel.jobs.queueing import QUEUES
from enamel.storage.disk import LEAST_ROOM_BYTES

LOW_DISK_BYTES = 5e9
CLOCK = timedelta(seconds=5)
"""Most that this machine's clock may differ from the database's."""
WAITS_LONG = timedelta(hours=6)
LOG_BYTES = 200_000
"""From the end of each log file, in a bundle."""
ANSWER_SECONDS = 5
SECRET = ("SECRET", "PASSWORD", "KEY", "TOKEN")


class Level(StrEnum):
    FINE = "fine"
    WARNING = "warning"
    WRONG = "wrong"


@dataclass(frozen=True, slots=True)
class Finding:
    """The result of one examination."""

    level: Level
    what: str
    words: str


def examine() -> list[Finding]:
    """Return the findings of all examinations. An examination that fails is a finding, too."""
    found: list[Finding] = []
    for what, look in EXAMINATIONS.items():
        try:
            found += [Finding(level, what, words) for level, words in look()]
        except DatabaseError as error:
            found.append(Finding(Level.WRONG, what, f"the database does not answer: {error}"))
        except Exception as error:
            found.append(Finding(Level.WRONG, what, f"{type(error).__name__}: {error}"))
    return found


Results = Iterator[tuple[Level, str]]


def _versions() -> Results:
    yield (
        Level.FINE,
        f"engine {ENGINE_VERSION}, Python {platform.python_version()}, {platform.platform()}, "
        f"{os.cpu_count()} processors",
    )


def _disk() -> Results:
    for words, folder in (
        ("pictures", settings.MEDIA_ROOT), ("work", settings.KILN_WORK), ("var", settings.VAR),
    ):  # fmt: skip
        place = Path(folder)
        while not place.exists():
            place = place.parent
        if not os.access(place, os.W_OK):
            yield Level.WRONG, f"{words} in {folder} can't be written"
            continue
        free = shutil.disk_usage(place).free
        level = Level.FINE if free > LOW_DISK_BYTES else Level.WARNING
        yield (
            Level.WRONG if free < LEAST_ROOM_BYTES else level,
            f"{free / 1e9:.1f} GB free for {words} in {folder}",
        )


def _sandbox() -> Results:
    if sandbox.available():
        yield Level.FINE, "foreign pictures and models are read without network and other files"
    else:
        yield (
            Level.WARNING,
            "bubblewrap is missing or not allowed here, so foreign pictures and models are read with limits "
            "on time and memory alone; install Debian's package bubblewrap",
        )


def _database() -> Results:
    with connection.cursor() as cursor:
        cursor.execute("SHOW server_version")
        yield Level.FINE, f"PostgreSQL {cursor.fetchone()[0]}"
    executor = MigrationExecutor(connection)
    missing = executor.migration_plan(executor.loader.graph.leaf_nodes())
    if missing:
        yield Level.WRONG, f"{len(missing)} migrations were not run; bin/start runs them"


def _clock() -> Results:
    with connection.cursor() as cursor:
        cursor.execute("SELECT now()")
        apart = abs(timezone.now() - cursor.fetchone()[0])
    words = f"{apart.total_seconds():.1f} s apart from the database's clock"
    yield (Level.FINE if apart < CLOCK else Level.WRONG), words


def _models() -> Results:
    known, shipped = cards(), shipped_hashes()
    for card in known:
        if card.sha256 != shipped.get(card.file.name, card.sha256):
            yield Level.WRONG, f"{card.name} is not as it was shipped; install Enamel again"
        try:
            card.verify(card.digest)
        except (Refusal, OSError) as error:
            yield Level.WRONG, f"{card.name}: {error}"
    yield Level.FINE, f"{len(known)} models were read"


def _workers() -> Results:
    for queue in QUEUES:
        count = Worker.objects.serving(queue).count()
        words = f"{count} workers serve {queue}" if count else f"no worker serves {queue}"
        yield (Level.FINE if count else Level.WRONG), words


def _jobs() -> Results:
    before = timezone.now() - WAITS_LONG
    for kind in Job.kinds():
        manager: Any = kind._default_manager
        waiting = manager.filter(state=kind.State.WAITING, created__lt=before).count()
        if waiting:
            hours = WAITS_LONG.total_seconds() / 3600
            yield (
                Level.WARNING,
                f"{kind.LABEL}: {waiting} have waited for more than {hours:.0f} hours",
            )
        failed = manager.filter(state=kind.State.FAILED, ended__gt=before).count()
        if failed:
            yield Level.WARNING, f"{kind.LABEL}: {failed} failed lately"


def _web() -> Results:
    port = settings.VAR / "run" / "web.port"
    if not port.exists():
        yield Level.WARNING, "the web server was not started here"
        return
    address = f"http://127.0.0.1:{port.read_text().strip()}/healthz"
    try:
        with urllib.request.urlopen(address, timeout=ANSWER_SECONDS) as answer:
            yield Level.FINE, f"{address} answers {answer.status}"
    except OSError as error:
        yield Level.WRONG, f"{address} does not answer: {error}"


def _secrets() -> Results:
    folder = settings.VAR / "secrets"
    if not folder.exists():
        yield Level.WARNING, f"{folder} is not there; bin/setup makes it"
        return
    for path in (folder, *sorted(folder.iterdir())):
        if path.stat().st_mode & 0o077:
            yield (
                Level.WRONG,
                f"{path} can be read by other users of this machine: chmod go= {path}",
            )
    yield Level.FINE, f"{folder} was looked at"


EXAMINATIONS: dict[str, Callable[[], Results]] = {
    "versions": _versions, "disk": _disk, "sandbox": _sandbox, "database": _database,
    "clock": _clock, "models": _models,
    "workers": _workers, "jobs": _jobs, "web server": _web, "secrets": _secrets,
}  # fmt: skip


def write_bundle(path: Path, findings: list[Finding]) -> None:
    """Write a ZIP file with findings, versions of all packages, settings without secrets, and logs."""
    with whole_file(path) as partial, zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as bundle:
        words = "\n".join(f"{one.level} {one.what}: {one.words}" for one in findings)
        bundle.writestr("findings.txt", words)
        packages = sorted(f"{one.metadata['Name']} {one.version}" for one in distributions())
        bundle.writestr("packages.txt", "\n".join(packages))
        bundle.writestr("settings.json", json.dumps(_settings(), indent=2, default=str))
        for log in sorted((settings.VAR / "log").glob("*.log")):
            with log.open("rb") as file:
                file.seek(max(0, log.stat().st_size - LOG_BYTES))
                bundle.writestr(f"log/{log.name}", file.read())


def _settings() -> dict[str, Any]:
    """Return the settings that come from the environment or differ by installation, without secrets."""
    names = [name for name in os.environ if name.startswith("ENAMEL_")]
    return {
        name: "…" if any(word in name for word in SECRET) else os.environ[name]
        for name in sorted(names)
    }
