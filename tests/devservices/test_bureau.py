"""The bureau's stand-in: its API as described, what it refuses, one charge, going on after a restart."""

import hashlib
import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import jsonschema
import numpy as np
import PIL.Image
import pytest

from devservices.bureau.ledger import Ledger, TooLittle
from devservices.bureau.service import Service
from devservices.bureau.terms import Terms
from enamel.core.errors import Stopped
from tests.bureau import opened

API = json.loads(
    (Path(__file__).parents[2] / "docs" / "reference" / "bureau.openapi.json").read_text()
)
COAT = {"factor": 1.5}


def fits(name: str, form: object) -> None:
    jsonschema.validate(
        form, {**API["components"]["schemas"][name], "components": API["components"]}
    )


@pytest.fixture
def picture(tmp_path: Path) -> bytes:
    path = tmp_path / "layer.png"
    noise = np.random.default_rng(3).integers(0, 255, (40, 48, 3), np.uint8)
    PIL.Image.fromarray(noise).save(path)
    return path.read_bytes()


def offered(client: httpx.Client, **change: Any) -> Any:
    return client.post("/v1/offers", json={"width": 48, "height": 40, "coat": COAT} | change)


def wanted(client: httpx.Client, data: bytes, **change: Any) -> dict[str, Any]:
    file = {"bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}
    form = {"offer": offered(client).json()["number"], "coat": COAT, "files": {"layer": file}}
    return form | change


def ordered(client: httpx.Client, form: dict[str, Any], key: str = "k") -> httpx.Response:
    return client.post("/v1/orders", json=form, headers={"Idempotency-Key": key})


def settled(client: httpx.Client, number: str) -> dict[str, Any]:
    for _ in range(400):
        order_now: dict[str, Any] = client.get(f"/v1/orders/{number}").json()
        if order_now["state"] in ("done", "failed", "cancelled"):
            return order_now
        time.sleep(0.02)
    raise AssertionError(order_now)


def test_the_whole_way_as_it_is_described(tmp_path: Path, picture: bytes) -> None:
    with opened(tmp_path) as (client, server):
        terms = client.get("/v1/terms").json()
        fits("Terms", terms)
        assert {"grisaille", "lanczos"} <= {model["name"] for model in terms["models"]}
        offer = offered(client)
        assert offer.status_code == 201
        fits("Offer", offer.json())
        assert (offer.json()["width"], offer.json()["height"]) == (72, 60)
        order = ordered(client, wanted(client, picture)).json()
        fits("Order", order)
        assert order["charged_cents"] == order["cents"] == offer.json()["cents"]
        at = f"/v1/orders/{order['number']}"
        assert client.get(f"{at}/result").status_code == 409
        fits("Order", client.put(f"{at}/files/layer", content=picture).json())
        order_now = settled(client, order["number"])
        fits("Order", order_now)
        assert order_now["state"] == "done"
        whole = client.get(f"{at}/result")
        assert hashlib.sha256(whole.content).hexdigest() == order_now["result"]["sha256"]
        rest = client.get(f"{at}/result", headers={"Range": "bytes=100-"})
        assert (rest.status_code, rest.content) == (206, whole.content[100:])
        account = client.get("/v1/account").json()
        fits("Account", account)
        assert account["balance_cents"] == 5000 - order["cents"]
        # done: taking it back changes nothing
        assert client.delete(at).json()["state"] == "done"
        assert len(server.service.ledger.shown()["charges"]) == 1


@pytest.mark.parametrize(
    ("change", "code"),
    [({"width": 1}, "size"), ({"height": "x"}, "size"), ({"coat": {"factor": 99}}, "coat"),
     ({"coat": None}, "coat"), ({"coat": {"upscaler": "emery"}}, "model-unknown"),
     ({"coat": {"refine": {"model": "own"}}}, "model-unknown"),
     ({"coat": {"mix": {"upscaler": "emery"}}}, "model-unknown"),
     ({"coat": {"factor": 16}, "width": 900, "height": 900}, "too-large")],
)  # fmt: skip
def test_what_it_does_not_do_has_a_reason_and_a_code(
    tmp_path: Path, change: dict[str, Any], code: str
) -> None:
    with opened(tmp_path) as (client, _):
        answer = offered(client, **change)
        assert answer.status_code == 422
        fits("Reason", answer.json())
        assert answer.json()["code"] == code


def test_orders_that_are_not_taken(tmp_path: Path, picture: bytes) -> None:
    with opened(tmp_path, terms=Terms(offer_seconds=60)) as (client, server):
        good = wanted(client, picture)
        for change, status, code in (
            ({"offer": "none"}, 422, "offer"), ({"offer": 3}, 422, "offer"),
            ({"coat": {"factor": 2}}, 422, "coat"), ({"files": {}}, 422, "files"),
            ({"files": {"layer": {"bytes": 0, "sha256": "0" * 64}}}, 422, "files"),
            ({"files": {"layer": {"bytes": 9, "sha256": "x"}}}, 422, "files"),
        ):  # fmt: skip
            answer = ordered(client, good | change)
            assert (answer.status_code, answer.json()["code"]) == (status, code), change
        assert client.post("/v1/orders", json=good).json()["code"] == "key"
        assert client.post("/v1/orders", content=b"[1").status_code == 400
        assert client.post("/v1/offers", json=[1]).status_code == 400
        for path in ("/v1/orders/none", "/v1/orders/../../x", "/", "/v1/orders/00/result"):
            assert client.get(path).status_code == 404
        assert client.get("/v1/terms", headers={"Authorization": "Bearer x"}).status_code == 401
        assert server.service.ledger.shown()["charges"] == []
    with opened(tmp_path / "late", terms=Terms(offer_seconds=-1)) as (client, _):
        answer = ordered(client, wanted(client, picture))
        assert (answer.status_code, answer.json()["code"]) == (410, "expired")


def test_a_wrong_file_is_refused_and_a_wrong_place_too(tmp_path: Path, picture: bytes) -> None:
    with opened(tmp_path) as (client, _):
        number = ordered(client, wanted(client, picture)).json()["number"]
        at = f"/v1/orders/{number}/files/layer"
        spoilt = picture[:-1] + bytes([picture[-1] ^ 1])
        assert client.put(at, content=spoilt).status_code == 422
        assert client.get(f"/v1/orders/{number}").json()["files"]["layer"]["received"] == 0
        part = {"Content-Range": f"bytes 0-9/{len(picture)}"}
        assert client.put(at, content=picture[:10], headers=part).status_code == 200
        again = client.put(at, content=picture[:10], headers=part)
        assert (again.status_code, again.json()["reason"]) == (409, "Go on at byte 10.")
        assert client.put(f"/v1/orders/{number}/files/base", content=b"1").status_code == 409


def test_the_same_key_is_charged_once_even_after_a_crash_in_between(tmp_path: Path) -> None:
    ledger = Ledger(tmp_path / "account.json", 100)
    ledger.charge("a", 60)
    ledger.charge("a", 60)
    assert ledger.shown()["balance_cents"] == 40
    with pytest.raises(TooLittle):
        ledger.charge("b", 41)
    ledger.settle("a", "returned")
    ledger.settle("a", "taken")  # settled is settled
    assert (ledger.shown()["balance_cents"], ledger.charged("a")) == (100, 0)
    assert Ledger(tmp_path / "account.json", 5).shown()["balance_cents"] == 100


@pytest.fixture
def closing() -> Iterator[list[bool]]:
    shut: list[bool] = []
    yield shut
    shut.append(True)


def test_it_resumes_after_it_was_closed_in_the_middle(
    tmp_path: Path, picture: bytes, closing: list[bool]
) -> None:
    def hangs(*given: Any) -> None:
        while not closing:
            time.sleep(0.01)
        raise Stopped

    with opened(tmp_path, render=hangs) as (client, _):
        number = ordered(client, wanted(client, picture)).json()["number"]
        client.put(f"/v1/orders/{number}/files/layer", content=picture)
    again = Service(tmp_path / "bureau")
    for _ in range(400):
        order = again.order(number)
        assert order is not None
        if order["state"] == "done":
            break
        time.sleep(0.02)
    assert order["state"] == "done"
    assert again.result(number).exists()
    again.terms = Terms(kept_days=-1)
    Service(tmp_path / "bureau", terms=Terms(kept_days=-1))
    assert not again.result(number).exists()
    assert again.order(number) is not None
