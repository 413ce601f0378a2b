"""Pages for touch-ups and inlays: what is sent, what comes of it, what is refused."""

import json
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from enamel.core.fields import to_json
from enamel.core.masks import Mask
from enamel.core.masks.steps import Ellipse, Rectangle
from enamel.core.pipeline.inlay import Inlay
from enamel.core.pipeline.touchup import TouchUp
from enamel.core.tiling.words import about_the_face
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library import faces
from enamel.library.models import Layer, Piece, SavedMask
from enamel.touchups import services as touchups
from enamel.touchups.forms.touch_up import TouchUpForm
from enamel.touchups.models import Candidate, TouchUpDraft
from tests.pages import words_of
from tests.workers import carry_out

pytestmark = pytest.mark.django_db


def mask_of(piece: Piece, *steps: Any) -> str:
    given = steps or (Ellipse(50.0, 40.0, 20.0, 18.0),)
    return json.dumps(to_json(Mask(piece.base.size, given)))


def fields(piece: Piece, **changes: object) -> dict[str, object]:
    """What a browser would send for the current touch-up, with some fields changed."""
    values = TouchUpForm.starting("grisaille") | {
        "mask": mask_of(piece),
        "working": 128,
        "steps": 2,
    }
    return {name: value for name, value in (values | changes).items() if value is not None}


def carried_out(firing: Firing) -> Layer:
    assert carry_out(firing)
    firing.refresh_from_db()
    assert firing.result is not None, firing.error
    return firing.result


def send(client: Client, address: str, /, *args: Any, **given: object) -> Any:
    return client.post(reverse(address, args=args), given)


def test_candidates_are_asked_for_with_every_strength_and_seed(
    signed_in: Client, piece: Piece
) -> None:
    given = fields(piece, strengths="0.3, 0.5", seeds=2, seed=7)
    answer = signed_in.post(reverse("mend", args=[piece.base.pk]), given)
    shown = TouchUpDraft.objects.get()
    assert answer.url == reverse("touch-up-draft", args=[shown.pk])
    tries = [(one.patch["strength"], one.patch["seed"]) for one in shown.candidates.all()]
    assert tries == [(0.3, 7), (0.3, 8), (0.5, 7), (0.5, 8)]
    page = signed_in.get(answer.url).content.decode()
    assert page.count("data-candidate=") == 4
    assert "0 of 4 made" in page


def test_what_it_takes_and_where_it_goes_strange_is_reported_beforehand(
    signed_in: Client, piece: Piece
) -> None:
    address = reverse("mend-cost", args=[piece.base.pk])
    text = " ".join(signed_in.post(address, fields(piece)).content.decode().split())
    assert "3</span> candidates" in text
    assert "times as large" in text
    strange = signed_in.post(address, fields(piece, strengths="0.9", context=0.1)).content.decode()
    assert "becomes someone else" in strange
    assert "give it 0.25 or more" in strange
    nothing = signed_in.post(address, fields(piece, mask="")).content.decode()
    assert "Paint over what is to be mended" in nothing


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"mask": ""}, "Draw what is to be mended"),
        ({"mask": "{"}, "Draw it again"),
        ({"mask": '{"size": [9, 9], "steps": [{"kind": "blob"}]}'}, "must be one of stroke"),
        ({"strengths": "high"}, "Give up to 6 numbers from 0 to 1"),
        ({"strengths": "2"}, "Give up to 6 numbers from 0 to 1"),
        ({"seeds": 99}, "less than or equal to 8"),
        ({"working": 3}, "greater than or equal to 128"),
    ],
)
def test_what_can_t_be_used_is_reported_and_nothing_is_lost(
    signed_in: Client, piece: Piece, changes: dict[str, object], says: str
) -> None:
    given = fields(piece, prompt="a kind face", **changes)
    answer = signed_in.post(reverse("mend", args=[piece.base.pk]), given)
    assert answer.status_code == 422
    page = answer.content.decode()
    assert says in page
    assert "a kind face" in page
    assert not TouchUpDraft.objects.exists()


def test_a_mask_beside_the_picture_is_refused(signed_in: Client, piece: Piece) -> None:
    beside = mask_of(piece, Rectangle(9000.0, 0.0, 40.0, 40.0))
    answer = signed_in.post(reverse("mend", args=[piece.base.pk]), fields(piece, mask=beside))
    assert answer.status_code == 422
    assert "covers nothing of this picture" in answer.content.decode()


def test_every_face_is_refined_at_a_size_that_suits_it(signed_in: Client, piece: Piece) -> None:
    answer = send(
        signed_in, "correct-faces", piece.base.pk, faces="[[10,10,20,24,0],[50,20,40,48,9]]"
    )
    assert answer.status_code == 200
    listed = words_of(answer)
    assert listed.count("data-mask-face") == 2
    assert "Reset outline" in listed
    given = fields(piece, mask="", do="everyone", seeds=1)
    signed_in.post(reverse("mend", args=[piece.base.pk]), given)
    shown = TouchUpDraft.objects.get()
    small, large = (one.patch for one in shown.candidates.order_by("patch__mask__steps__0__across"))
    factors = [224 / 24, 224 / 48]
    for patch, factor in zip((small, large), factors, strict=True):
        head = patch["mask"]["steps"][0]
        longest = 2 * max(head["across"], head["down"]) * 2
        assert patch["working"] == pytest.approx(longest * factor, rel=0.02)
    assert sorted(shown.names) == ["Face 1", "Face 2"]
    send(signed_in, "correct-faces", piece.base.pk, **{"as-found": ""})
    piece.refresh_from_db()
    assert piece.faces_kept is None


@pytest.mark.parametrize("sent", ["[[1,2]]", "nonsense", "[[1,2,3,4,NaN]]", "7"])
def test_faces_that_can_t_be_read_change_nothing(
    signed_in: Client, piece: Piece, sent: str
) -> None:
    answer = signed_in.post(
        reverse("correct-faces", args=[piece.base.pk]),
        {"faces": sent},
        HTTP_ACCEPT="application/json",
    )
    assert answer.status_code >= 400
    piece.refresh_from_db()
    assert piece.faces_kept is None


def test_masks_are_measured_kept_renamed_and_deleted(signed_in: Client, piece: Piece) -> None:
    faces.correct_faces(piece.base, [one.face for one in faces.listed(piece.base)] or [])
    kept = send(signed_in, "keep-mask", piece.pk, name="the cap", mask=mask_of(piece)).json()
    mask = signed_in.get(reverse("kept-mask", args=[kept["number"]])).json()["mask"]
    assert mask == json.loads(mask_of(piece))
    assert send(signed_in, "change-mask", kept["number"], name="the hat").json() == {
        "name": "the hat"
    }
    page = signed_in.get(piece.get_absolute_url(), {"task": "touch-up"}).content.decode()
    assert ">the hat</option>" in page
    coat = signed_in.get(piece.get_absolute_url(), {"task": "coat"}).context["form"]
    assert ("the hat", "the hat") in coat.fields["protect"].choices
    send(signed_in, "change-mask", kept["number"], **{"delete": ""})
    assert not SavedMask.objects.exists()
    address = reverse("measured-mask", args=[piece.base.pk])
    headers = {"HTTP_ACCEPT": "application/json"}
    assert signed_in.post(address, {"measure": "found"}, **headers).status_code >= 400
    assert signed_in.post(address, {"measure": "nothing known"}, **headers).status_code == 404
    refused = signed_in.post(address, {"measure": "sharper", "over": "gone"}, **headers)
    assert "Choose the picture" in refused.json()["words"]


def test_a_coat_keeps_what_it_protects_and_the_words_for_a_kept_mask(
    signed_in: Client, piece: Piece
) -> None:
    send(signed_in, "keep-mask", piece.pk, name="the cap", mask=mask_of(piece))
    form = signed_in.get(piece.get_absolute_url(), {"task": "coat"}).context["form"]
    sent = {name: form[name].value() for name in form.fields if form[name].value() is not None}
    sent |= {
        "protect": "the cap",
        "protect_left": "0.25",
        "regions": "the cap: wool",
        "coat": "0",
        "do": "save",
    }
    assert signed_in.post(reverse("schedule", args=[piece.pk]), sent).status_code == 302
    piece.refresh_from_db()
    refine = piece.schedule.coats[0].refine
    assert refine is not None
    assert refine.protect is not None
    assert refine.protect.left == 0.25
    assert refine.protect.mask == refine.regions[0].mask
    again = signed_in.get(piece.get_absolute_url(), {"task": "coat"}).context["form"]
    assert again["protect"].value() == "the cap"
    assert again["regions"].value() == "the cap: wool"
    SavedMask.objects.all().delete()
    kept = signed_in.get(piece.get_absolute_url(), {"task": "coat"}).context["form"]
    assert kept["protect"].value() == "a mask no longer kept"


def test_candidates_are_judged_painted_and_laid(signed_in: Client, piece: Piece) -> None:
    signed_in.post(reverse("mend", args=[piece.base.pk]), fields(piece, seeds=2))
    shown = TouchUpDraft.objects.get()
    one, other = shown.candidates.all()
    carry_out(one)
    news = signed_in.get(reverse("touch-up-draft-state", args=[shown.pk])).json()["candidates"]
    assert [entry["state"] for entry in news] == ["done", "waiting"]
    assert signed_in.get(news[0]["url"]).content[:4] == b"RIFF"
    assert signed_in.get(reverse("candidate-picture", args=[other.pk])).status_code == 404
    assert signed_in.get(reverse("place-before", args=[shown.pk, 0])).content[:4] == b"RIFF"
    assert signed_in.get(reverse("place-before", args=[shown.pk, 5])).status_code == 404
    verdicts = send(signed_in, "judge-candidate", one.pk, verdict="accepted").json()["candidates"]
    assert [entry["verdict"] for entry in verdicts] == ["accepted", ""]
    assert (
        send(signed_in, "judge-candidate", one.pk, verdict="accepted").json()["candidates"][0][
            "verdict"
        ]
        == ""
    )
    painted = send(signed_in, "paint-candidate", one.pk, over=mask_of(piece)).json()["candidates"][
        0
    ]
    assert painted == {"number": one.pk, "verdict": "accepted", "painted": True}
    assert send(signed_in, "apply-touch-up", shown.pk).url == piece.get_absolute_url()
    firing = Firing.objects.get()
    settings = TouchUp.from_json(firing.frozen)
    assert settings.patches[0].over == Mask.from_json(json.loads(mask_of(piece)))
    send(signed_in, "more-candidates", shown.pk, strength="0.2", seed="77")
    assert shown.candidates.count() == 3
    refused = send(signed_in, "more-candidates", shown.pk, strength="much", seed="1")
    assert refused.status_code in (302, 400, 422)
    assert shown.candidates.count() == 3
    send(signed_in, "stop-touch-up", shown.pk)
    assert shown.candidates.filter(state=Candidate.State.STOPPED).count() == 2
    send(signed_in, "delete-touch-up-draft", shown.pk)
    assert not TouchUpDraft.objects.exists()


def test_inlays_are_previewed_refused_and_fired(signed_in: Client, piece: Piece) -> None:
    base = piece.base
    given = [{"source": base.sha256, "opacity": 0.5}]
    preview = send(
        signed_in, "inlay-preview", base.pk, inlays=json.dumps(given), window="10 10 40 30"
    )
    assert preview.content[:4] == b"\x89PNG"
    assert (
        send(signed_in, "lay-inlays", base.pk, inlays=json.dumps(given)).url
        == piece.get_absolute_url()
    )
    assert Firing.objects.get().work == Firing.Work.INLAY
    for wrong, says in (
        ("[]", "choose a picture first"),
        ("[7]", "must be an object"),
        ("{", "no JSON"),
        (json.dumps([{"source": base.sha256, "opacity": 7}]), "opacity"),
        (
            json.dumps([{"source": base.sha256, "mask": {"size": [9, 9], "steps": []}}]),
            "covers nothing",
        ),
    ):
        Firing.objects.update(state=Firing.State.DONE)
        answer = send(signed_in, "lay-inlays", base.pk, inlays=wrong)
        assert answer.status_code == 422, wrong
        assert says in answer.content.decode().replace("&#x27;", "'"), wrong


def test_an_earlier_touch_up_is_opened_to_be_changed(signed_in: Client, piece: Piece) -> None:
    signed_in.post(reverse("mend", args=[piece.base.pk]), fields(piece, seeds=1, seed=5))
    shown = TouchUpDraft.objects.get()
    candidate = shown.candidates.get()
    carry_out(candidate)
    touchups.judge(candidate, "accepted")
    layer = carried_out(touchups.lay(shown))
    picked = {"task": "touch-up", "layer": str(piece.base.pk), "change": str(layer.pk)}
    page = signed_in.get(piece.get_absolute_url(), picked)
    assert page.context["form"]["seed"].value() == 5
    assert json.loads(page.context["form"]["mask"].value()) == json.loads(mask_of(piece))
    given = fields(piece, seeds=1, seed=6, change=str(layer.pk))
    signed_in.post(reverse("mend", args=[piece.base.pk]), given)
    changed = TouchUpDraft.objects.order_by("-created")[0]
    assert changed.replaces == layer

    # what was made after it is offered to be done again
    inlaid = Inlay(piece.base.sha256, opacity=0.5)
    carried_out(firings.enqueue_inlays(layer, [inlaid]))
    candidate = changed.candidates.get()
    carry_out(candidate)
    touchups.judge(candidate, "accepted")
    fresh = carried_out(touchups.lay(changed))
    picked = {"task": "touch-up", "layer": str(fresh.pk)}
    page = " ".join(signed_in.get(piece.get_absolute_url(), picked).content.decode().split())
    assert "after which 1 layer was made" in page
    assert send(signed_in, "do-again", fresh.pk).url == piece.get_absolute_url()
    again = carried_out(Firing.objects.order_by("-created")[0])
    assert (again.kind, again.parent) == ("inlay", fresh)


def test_words_about_clothes_are_left_out_of_a_face() -> None:
    words = "an old stationmaster, brass buttons on a blue coat, kind eyes, standing, white beard"
    assert about_the_face(words) == "an old stationmaster, kind eyes, white beard"
    assert about_the_face("") == ""


def test_a_file_that_can_t_be_laid_is_refused_in_words(signed_in: Client, piece: Piece) -> None:
    address = reverse("lay-file", args=[piece.base.pk])
    headers = {"HTTP_ACCEPT": "application/json"}
    assert "Choose a picture" in signed_in.post(address, **headers).json()["words"]  # type: ignore[arg-type]
    text = SimpleUploadedFile("words.png", b"no picture")
    answer = signed_in.post(address, {"file": text}, **headers)  # type: ignore[arg-type]
    assert answer.status_code == 422
    assert "not a picture" in answer.json()["words"]
    with piece.base_file.open("rb") as file:
        same = SimpleUploadedFile("same.png", file.read())
    laid = signed_in.post(address, {"file": same}, **headers).json()  # type: ignore[arg-type]
    assert "Blink it before you keep it" in laid["words"]
    page = signed_in.get(piece.get_absolute_url(), {"task": "inlay"}).content.decode()
    assert "File · same.png" in page
