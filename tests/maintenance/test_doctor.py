"""`enamel doctor` says what is wrong, and its bundle can be sent."""

import json
import logging
import logging.config
import zipfile
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest
from django.core.management import call_command
from django.db import OperationalError
from django.test import Client

from enamel import cli
from enamel.cli import installation
from enamel.firings import services as firings
from enamel.jobs.models import Worker
from enamel.library.models import Piece
from enamel.maintenance import doctor
from enamel.maintenance.doctor import Level, examine
from tests.schedules import coat
from tests.workers import record_heartbeat

pytestmark = pytest.mark.django_db


def words(what: str, level: Level) -> str:
    """What the examinations of that name found at a level."""
    found = examine()
    return "; ".join(one.words for one in found if (one.what, one.level) == (what, level))


def test_it_says_which_queues_nobody_serves() -> None:
    record_heartbeat("firings", "swatches")
    assert words("workers", Level.WRONG) == "no worker serves maintenance"
    assert "1 workers serve firings" in words("workers", Level.FINE)


def test_a_database_that_is_away_is_a_finding(monkeypatch: pytest.MonkeyPatch) -> None:
    def away() -> None:
        raise OperationalError("connection refused")

    monkeypatch.setattr(doctor.connection, "cursor", away)
    assert "does not answer: connection refused" in words("database", Level.WRONG)
    assert words("disk", Level.WRONG) == ""


def test_a_full_disk_is_wrong_and_one_nearly_full_a_warning(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(doctor, "LOW_DISK_BYTES", 1e18)
    assert "GB free for pictures" in words("disk", Level.WARNING)
    monkeypatch.setattr(doctor, "LEAST_ROOM_BYTES", 1e18)
    assert "GB free for pictures" in words("disk", Level.WRONG)


def test_secrets_that_others_can_read_are_named(settings: Any, tmp_path: Path) -> None:
    settings.VAR = tmp_path
    (tmp_path / "secrets").mkdir(mode=0o700)
    secret = tmp_path / "secrets" / "django"
    secret.write_text("x")
    secret.chmod(0o644)
    assert f"chmod go= {secret}" in words("secrets", Level.WRONG)
    secret.chmod(0o600)
    assert words("secrets", Level.WRONG) == ""


def test_a_shipped_model_that_was_altered_is_named(monkeypatch: pytest.MonkeyPatch) -> None:
    assert words("models", Level.WRONG) == ""
    monkeypatch.setattr(doctor, "shipped_hashes", lambda: {"grisaille.onnx": "0" * 64})
    assert "grisaille is not as it was shipped" in words("models", Level.WRONG)


def test_a_clock_that_is_wrong_is_reported(monkeypatch: pytest.MonkeyPatch) -> None:
    assert words("clock", Level.WRONG) == ""
    now = doctor.timezone.now
    monkeypatch.setattr(doctor.timezone, "now", lambda: now() + 20 * doctor.CLOCK)
    assert "apart from the database's clock" in words("clock", Level.WRONG)


def test_the_bundle_holds_no_prompts_and_no_secrets(
    piece: Piece,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    piece.title = "Copper kettle at dusk"
    piece.save()
    monkeypatch.setenv("ENAMEL_BUREAU_KEY", "a-key-nobody-may-see")
    record_heartbeat("firings", "swatches", "maintenance")
    bundle = tmp_path / "enamel.zip"
    with suppress(SystemExit):  # what is wrong on the machine of the tests does not count here
        call_command("doctor", "--json", "--bundle", str(bundle))
    rows = json.loads(capsys.readouterr().out.split("Written to")[0])
    assert {"level", "what", "words"} == set(rows[0])
    with zipfile.ZipFile(bundle) as archive:
        assert {"findings.txt", "packages.txt", "settings.json"} <= set(archive.namelist())
        held = b"".join(archive.read(name) for name in archive.namelist())
    assert b"a-key-nobody-may-see" not in held
    assert b"Copper kettle" not in held
    assert b"Django 5.2" in held


def test_whatever_watches_the_server_learns_whether_it_is_well(
    client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    answer = client.get("/healthz")
    assert (answer.status_code, answer.json()) == (200, {"database": True})

    def away() -> None:
        raise OperationalError("connection refused")

    monkeypatch.setattr("enamel.maintenance.views.connection.cursor", away)
    answer = client.get("/healthz")
    assert (answer.status_code, answer.json()) == (503, {"database": False})


def test_figures_are_there_where_they_are_switched_on(
    client: Client, piece: Piece, settings: Any
) -> None:
    assert client.get("/metrics").status_code == 404
    settings.METRICS = True
    firings.enqueue_schedule(piece.base, coat())
    record_heartbeat("firings")
    Worker.objects.update(rate=1.5)
    shown = client.get("/metrics").content.decode()
    assert 'enamel_jobs{kind="firing",state="waiting"} 1.0' in shown
    assert 'enamel_job_oldest_seconds{kind="firing",state="waiting"}' in shown
    assert 'enamel_workers{queue="firings"} 1.0' in shown
    assert 'enamel_workers{queue="swatches"} 0.0' in shown
    assert 'enamel_worker_megapixels_per_second{host="tower",process="4711"} 1.5' in shown
    assert 'enamel_disk_free_bytes{folder="pictures"}' in shown
    assert piece.title not in shown


def test_a_log_line_may_be_json(settings: Any) -> None:
    formatters = logging.config.DictConfigurator({"version": 1}).configure_formatter
    line = formatters(settings.LOG_FORMATS["json"]).format(
        logging.LogRecord("enamel.kiln", logging.INFO, "", 0, "firing %s", ("one",), None)
    )
    assert json.loads(line)["message"] == "firing one"
    assert json.loads(line)["levelname"] == "INFO"


def test_the_command_hands_its_words_on(monkeypatch: pytest.MonkeyPatch) -> None:
    ran: list[list[str]] = []

    class Ended:
        returncode = 3

    def run(command: list[str], **given: Any) -> Ended:
        ran.append(command[1:])
        return Ended()

    monkeypatch.setattr(installation.subprocess, "run", run)
    with pytest.raises(SystemExit) as ended:
        cli.main(["verify", "--json", "--backup", "/mnt/backup"])
    assert ended.value.code == 3
    assert ran == [["-m", "django", "verify", "--json", "--backup", "/mnt/backup"]]
