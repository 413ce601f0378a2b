"""The models page: trying, adding, switching, deleting, and where new pieces start."""

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.catalogue import services as catalogue
from enamel.catalogue import trials
from enamel.catalogue.forms import SuitedForm
from enamel.catalogue.models import Model, Suited, Trial, offered
from enamel.catalogue.trials import submit_trials
from enamel.core.errors import Refusal
from enamel.core.intake.subject import SUITED_TO_FACES, Subject
from enamel.core.networks.cards import own_folder
from enamel.core.networks.intake import waiting
from enamel.core.networks.trial import TrialResults
from enamel.core.schedule import Coat, Refine, Schedule
from enamel.firings import services as firings
from enamel.firings.forms.coat import CoatForm
from enamel.library.models import Piece
from enamel.uploads.models import Upload
from enamel.uploads.services import path_of
from tests.core.test_onnx_upscalers import network
from tests.pages import words_of
from tests.workers import carry_out

PAGE = "/models/"


@pytest.fixture(autouse=True)
def empty_folder() -> Iterator[None]:
    yield
    folder = own_folder()
    assert folder is not None
    for path in folder.glob("*"):
        path.unlink()


def upload(client: Client, path: Path, **more: str) -> str:
    """The page once the kiln has tried the file."""
    file = SimpleUploadedFile(path.name, path.read_bytes())
    client.post(reverse("add-model"), {"file": file} | more)
    carry_out_all()
    return client.get(PAGE).content.decode()


def tried(name: str) -> Trial:
    """Return the trial of a model, carried out."""
    trial = Trial.objects.get(model__name=name)
    carry_out(trial)
    trial.refresh_from_db()
    return trial


def carry_out_all() -> None:
    for one in Upload.objects.open():
        carry_out(one)


def test_the_page_shows_every_card_and_has_the_untried_ones_tried(signed_in: Client) -> None:
    shown = signed_in.get(PAGE).content.decode()
    for model in Model.objects.available():
        assert model.card.facts["summary"].replace("'", "&#x27;") in shown
    assert "being measured" in shown
    wanted = [trial.model.name for trial in Trial.objects.open()]
    assert sorted(wanted) == sorted(model.name for model in Model.objects.available())
    signed_in.get(PAGE)
    assert Trial.objects.count() == len(wanted)
    assert ProcrastinateJob.objects.filter(task_name="catalogue.trial").count() == len(wanted)


def test_a_trial_measures_and_makes_crops(signed_in: Client, tmp_path: Path) -> None:
    upload(signed_in, network(tmp_path / "soft.onnx"))
    trial = tried("soft")
    assert trial.rate is not None
    assert trial.rate > 0
    assert trial.crops.count() == 3
    assert Trial.objects.rates() == {"soft": trial.rate}
    answer = signed_in.get(reverse("model-crop", args=["soft", 0]))
    assert answer.headers["Content-Type"] == "image/webp"
    assert answer.content[8:12] == b"WEBP"
    assert "MP/s" in signed_in.get(PAGE).content.decode()


def test_a_refiner_is_tried_too(db: None) -> None:
    submit_trials()
    assert tried(offered().refiners[0]).crops.count() == 3


def test_another_file_of_a_model_is_tried_anew(db: None) -> None:
    submit_trials()
    trial = Trial.objects.get(model__name="brisk")
    Trial.objects.filter(pk=trial.pk).update(sha256="0" * 64, state=Trial.State.DONE)
    submit_trials()
    assert [one.open for one in Trial.objects.filter(model__name="brisk")] == [True]


def test_a_model_that_can_not_be_tried_says_why_and_is_not_tried_again(
    signed_in: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refuse(*given: object) -> None:
        raise Refusal("It wants more memory than there is.")

    submit_trials()
    monkeypatch.setattr(trials, "tried", refuse)
    assert tried("brisk").state == Trial.State.FAILED
    assert "It could not be tried: It wants more memory" in words_of(signed_in.get(PAGE))
    assert not Trial.objects.open().filter(model__name="brisk").exists()


def test_an_upscaler_is_imported_and_offered(signed_in: Client, tmp_path: Path) -> None:
    shown = upload(signed_in, network(tmp_path / "My Soft.onnx"), summary="Soft skies.")
    assert "added as my-soft" in shown
    assert "Soft skies." in shown
    assert "my-soft" in offered().upscalers
    assert Model.objects.get(name="my-soft").added_by is not None


def test_what_can_not_be_run_is_refused_and_what_was_typed_stays(
    signed_in: Client, tmp_path: Path
) -> None:
    file = SimpleUploadedFile("a.onnx", network(tmp_path / "a.onnx").read_bytes())
    given = {"file": file, "name": "Glaze!", "summary": "For skies."}
    answer = signed_in.post(reverse("add-model"), given)
    shown = answer.content.decode()
    assert answer.status_code == 422
    assert "small letters" in shown
    assert "For skies." in shown
    assert not Upload.objects.exists()
    broken = tmp_path / "broken.onnx"
    broken.write_bytes(b"no graph")
    assert "not an ONNX file" in upload(signed_in, broken, name="glaze")
    assert "glaze" not in offered().upscalers
    refused = Upload.objects.get()
    assert not path_of(refused).exists()
    signed_in.post(reverse("dismiss-upload", args=[refused.pk]))
    assert not Upload.objects.exists()
    assert (
        "Choose an ONNX file, or something from a folder, first"
        in signed_in.post(reverse("add-model")).content.decode()
    )


def test_a_file_from_the_folder_is_added(signed_in: Client) -> None:
    folder = own_folder()
    assert folder is not None
    folder.mkdir(exist_ok=True)
    network(folder / "found.onnx")
    assert "found.onnx" in signed_in.get(PAGE).content.decode()
    signed_in.post(reverse("add-model"), {"waiting": "found.onnx"})
    carry_out_all()
    assert waiting() == []
    assert "found" in offered().upscalers


def test_switched_off_is_not_offered_but_keeps_working(
    signed_in: Client, piece: Piece, tmp_path: Path
) -> None:
    upload(signed_in, network(tmp_path / "soft.onnx"))
    signed_in.post(reverse("switch-model", args=["soft"]))
    assert "soft" not in offered().upscalers
    form = CoatForm.showing(Coat(factor=2.0, upscaler="soft"), piece.base.size, piece.print_plan)
    assert form.is_valid(), form.errors
    assert firings.predict_schedule(piece.base, piece.schedule).seconds > 0
    signed_in.post(reverse("switch-model", args=["soft"]))
    assert "soft" in offered().upscalers


def test_the_last_refiner_stays_on(administrator: User) -> None:
    models = [model for model in Model.objects.available() if model.card.kind == "refiner"]
    for model in models[1:]:
        catalogue.switch(model, administrator, on=False)
    with pytest.raises(Refusal, match="only refiner"):
        catalogue.switch(models[0], administrator, on=False)
    assert offered().refiners == [models[0].name]


def test_what_everybody_works_with_is_changed_by_administrators_alone(
    signed_in: Client, artist: User, administrator: User, tmp_path: Path
) -> None:
    shipped = offered().upscalers[-1]
    signed_in.post(reverse("switch-model", args=[shipped]))
    assert shipped in offered().upscalers
    page = signed_in.get(PAGE).content.decode()
    assert f"Switch off {shipped}" not in page
    assert "Only an administrator" in page
    chosen = {bound.html_name: bound.initial for bound in SuitedForm()}
    signed_in.post(reverse("suited"), chosen | {"drawing-upscaler": "nearest"})
    assert not Suited.objects.exists()
    # nor is a model deleted by others when its owner is gone
    upload(signed_in, network(tmp_path / "soft.onnx"))
    Model.objects.filter(name="soft").update(added_by=None)
    signed_in.post(reverse("remove-model", args=["soft"]))
    assert "soft" in offered().upscalers
    other = Client()
    other.force_login(administrator)
    other.post(reverse("switch-model", args=[shipped]))
    assert shipped not in offered().upscalers
    other.post(reverse("remove-model", args=["soft"]))
    assert "soft" not in offered().upscalers


def test_only_ones_own_models_are_deleted(
    signed_in: Client, stranger: User, tmp_path: Path
) -> None:
    upload(signed_in, network(tmp_path / "soft.onnx"))
    shipped = offered().refiners[0]
    shown = signed_in.post(reverse("remove-model", args=[shipped]), follow=True).content.decode()
    assert "ships with Enamel" in shown
    other = Client()
    other.force_login(stranger)
    other.post(reverse("remove-model", args=["soft"]))
    assert "soft" in offered().upscalers
    signed_in.post(reverse("remove-model", args=["soft"]))
    assert "soft" not in offered().upscalers
    assert not Model.objects.filter(name="soft").exists()


def test_new_pieces_start_with_what_suits_them(
    signed_in: Client, piece: Piece, artist: User
) -> None:
    User.objects.filter(pk=artist.pk).update(is_staff=True)
    chosen = {f"{subject}-upscaler": "lanczos" for subject in Subject}
    chosen |= {f"{subject}-refiner": "grisaille" for subject in Subject}
    signed_in.post(reverse("suited"), chosen | {"drawing-upscaler": "nearest"})
    assert Suited.to(Subject.DRAWING) == ("nearest", "grisaille")
    assert piece.schedule.coats[0].upscaler == "lanczos"
    facts = reverse("facts", args=[piece.pk])
    signed_in.post(facts, {"title": piece.title, "subject": "drawing"})
    piece.refresh_from_db()
    assert piece.schedule.coats[0].upscaler == "nearest"
    assert signed_in.post(facts, {"title": "x", "subject": "unheard of"}).status_code == 422
    piece.refresh_from_db()
    assert piece.subject == "drawing"


def test_faces_start_with_the_refiner_made_for_them(signed_in: Client, piece: Piece) -> None:
    def offered_first(*faces: list[int]) -> str:
        sent = {"faces": json.dumps(faces)}
        signed_in.post(reverse("correct-faces", args=[piece.base.pk]), sent)
        page = signed_in.get(f"{piece.get_absolute_url()}?task=touch-up")
        return str(page.context["form"]["model"].value())

    def to_faces(subject: Subject) -> str:
        return Suited.to(subject, faces=True)[1]

    assert offered_first([10, 10, 20, 24, 0]) == SUITED_TO_FACES
    assert offered_first() == Suited.to(Subject(piece.subject))[1] != SUITED_TO_FACES
    assert to_faces(Subject.DRAWING) == SUITED_TO_FACES
    Suited.objects.create(subject=Subject.DRAWING, upscaler="lanczos", refiner="grisaille")
    assert to_faces(Subject.DRAWING) == "grisaille"
    Model.objects.create(name="camaieu", on=False)
    assert to_faces(Subject.PAINTED) == SUITED_TO_FACES  # what is off was nobody's choice
    Model.objects.update(on=True)
    Model.objects.update_or_create(name=SUITED_TO_FACES, defaults={"on": False})
    assert to_faces(Subject.PAINTED) == "camaieu"


def test_time_of_a_trained_upscaler_is_counted(
    piece: Piece, signed_in: Client, tmp_path: Path
) -> None:
    upload(signed_in, network(tmp_path / "soft.onnx", factor=4))
    plain = Coat(factor=2.0, refine=Refine(strength=0))
    by_hand = firings.predict_schedule(piece.base, Schedule((plain,))).seconds
    trained = Schedule((replace(plain, upscaler="soft"),))
    assert firings.predict_schedule(piece.base, trained).seconds > by_hand


def test_a_model_that_is_deleted_while_it_is_tried_leaves_nothing(
    db: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    submit_trials()
    trial = Trial.objects.get(model__name="brisk")

    def measured(name: str, places: object) -> TrialResults:
        Model.objects.filter(name=name).delete()
        return TrialResults(1.0, (b"crop",) * 3)

    monkeypatch.setattr(trials, "tried", measured)
    carry_out(trial)
    assert not Trial.objects.filter(pk=trial.pk).exists()
