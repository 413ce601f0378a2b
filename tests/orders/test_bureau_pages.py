"""Offers and coats at the bureau on their pages."""

from typing import Any

import pytest
from django.conf import settings as site
from django.core.files.base import ContentFile
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from enamel.core.schedule import Coat, Refine
from enamel.library.models import Piece
from enamel.orders.bureau import services as asking
from enamel.orders.clients import last_answers
from enamel.orders.models import SentCoat
from tests.bureau import Open
from tests.workers import take_turn

State = SentCoat.State


def page(client: Client, sent: SentCoat) -> str:
    answer = client.get(reverse("sent-coat", args=[sent.pk]))
    assert answer.status_code == 200
    return " ".join(answer.content.decode().split())


def does(client: Client, sent: SentCoat, wanted: str) -> Any:
    answer = client.post(
        reverse("change-sent-coat", args=[sent.pk]), {"do": wanted},
        headers={"Referer": f"http://testserver{reverse('sent-coat', args=[sent.pk])}"},
    )  # fmt: skip
    if SentCoat.objects.filter(pk=sent.pk).exists():
        sent.refresh_from_db()
    return answer


def offered(sent: SentCoat) -> SentCoat:
    """A coat once a worker has asked for its offer."""
    assert take_turn(sent) is None
    sent.refresh_from_db()
    return sent


@pytest.fixture
def sent(bureau_of: Open, piece: Piece) -> SentCoat:
    bureau_of()
    words = Refine(steps=1, prompt="brass <b>", blend=0.5)
    return offered(asking.ask_for_offer(piece.base, Coat(factor=2, refine=words)))


def test_an_offer_says_price_time_and_what_leaves(signed_in: Client, sent: SentCoat) -> None:
    text = page(signed_in, sent)
    assert f"Send it out for {sent.cents / 100:.2f} EUR" in text
    assert "Here it takes about" in text
    assert "“brass &lt;b&gt;”" in text
    assert "this layer, <span class" in text
    assert ", and the base" in text
    assert "deletes pictures after 7 days" in text
    assert "20.00" in text


def test_what_the_buttons_do(signed_in: Client, sent: SentCoat) -> None:
    assert does(signed_in, sent, "nothing").status_code == 404
    SentCoat.objects.filter(pk=sent.pk).update(expires=timezone.now())
    assert "Ask for another offer" in page(signed_in, sent)
    fresh_page = does(signed_in, sent, "ask-again")
    fresh = SentCoat.objects.get()
    assert fresh.pk != sent.pk
    assert "Waiting for an offer" in page(signed_in, fresh)
    offered(fresh)
    assert fresh_page.url == reverse("sent-coat", args=[fresh.pk])
    does(signed_in, fresh, "order")
    assert fresh.state == State.WAITING
    news = signed_in.get(reverse("sent-coat-state", args=[fresh.pk])).json()
    assert news == {"open": True, "progress": 0, "state": "waiting", "words": "Waiting to be sent"}
    assert fresh.piece.title in signed_in.get(reverse("kiln")).content.decode()
    does(signed_in, fresh, "cancel")
    assert fresh.state == State.CANCELLING
    assert "Cancel the order" not in page(signed_in, fresh)
    assert take_turn(fresh) is None
    fresh.refresh_from_db()
    assert fresh.state == State.LEFT
    does(signed_in, fresh, "leave")
    assert "Coats sent out" in signed_in.get(reverse("bureau")).content.decode()


def test_what_came_back_changed_is_shown_beside_what_left(
    signed_in: Client, sent: SentCoat
) -> None:
    assert signed_in.get(reverse("sent-coat-came-back", args=[sent.pk])).status_code == 404
    sent.preview.save("x.webp", ContentFile(b"picture"))
    sent.state, sent.error, sent.charged_cents = State.DOUBTED, "Its shapes are not those.", 40
    sent.compared = {"colour": 0.2, "similarity": 0.4, "displacement": 1.0}
    sent.ordered = timezone.now()
    sent.save()
    text = page(signed_in, sent)
    assert "Its shapes are not those." in text
    assert "Keep it all the same" in text
    assert 'alt="What came back"' in text
    shown = signed_in.get(reverse("sent-coat-came-back", args=[sent.pk]))
    assert b"".join(shown.streaming_content) == b"picture"  # type: ignore[attr-defined]
    does(signed_in, sent, "leave")
    assert (sent.state, bool(sent.preview)) == (State.LEFT, False)
    assert "0.40 EUR" in " ".join(signed_in.get(reverse("bureau")).content.decode().split())


def test_the_limit_is_changed_or_refused_in_words(signed_in: Client, sent: SentCoat) -> None:
    for given, kept in (("12.50", 1250), ("much", 1250), ("-1", 1250), ("1e9", 1250)):
        signed_in.post(
            reverse("bureau-limit"), {"limit": given, "next": "/bureau/"},
            headers={"Referer": "http://testserver/bureau/"},
        )  # fmt: skip
        assert asking.account(sent.piece.owner_id).limit_cents == kept
    text = signed_in.get(reverse("bureau")).content.decode()
    assert "The limit stays as it was." in text


def test_a_bureau_that_is_gone_is_shown_in_the_panel(
    signed_in: Client, piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(site, "BUREAU", "http://127.0.0.1:9")
    shown = signed_in.get(piece.get_absolute_url(), {"task": "coat"})
    form = shown.context["form"]
    given = {name: value for name, value in form.data.items() if value is not None}
    answer = signed_in.post(
        reverse("send-out", args=[piece.pk]),
        given | {"coat": 0, "layer": str(piece.base.pk)},
    )
    sent = offered(SentCoat.objects.get())
    assert answer["Location"] == reverse("sent-coat", args=[sent.pk])
    assert "The bureau does not answer. So there is no offer." in page(signed_in, sent)
    last_answers.refresh(last_answers.ACCOUNT)
    assert "does not answer" in signed_in.get(reverse("bureau")).content.decode()
