"""The print shop's stand-in: what it takes and refuses, busy, broken lines, its API as it is described."""

import hashlib
import json
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx
import jsonschema
import numpy as np
import pikepdf
import PIL.Image
import pytest

from devservices.shop.inspection import inspect
from devservices.shop.papers import PriceList
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.export.placed import laid
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.printing.layout import Fit, PrintPlan
from enamel.core.printing.sizing import Bleed, PrintTarget
from tests.pictures import STATIONMASTER, part, whole
from tests.shop import opened

PAPERS = PriceList.read()
API = json.loads(
    (Path(__file__).parents[2] / "docs" / "reference" / "print-shop.openapi.json").read_text()
)
POINTS = 72 / 25.4


@pytest.fixture(scope="module")
def canvas(tmp_path_factory: pytest.TempPathFactory) -> Canvas:
    made = Canvas.create(tmp_path_factory.mktemp("layer") / "layer.npy", Box(0, 0, 560, 400), 3)
    made.write(made.region, whole(part(STATIONMASTER, Box(100, 200, 560, 400))))
    return made


def written(
    canvas: Canvas, folder: Path, file: FileFormat, *, bleed: float = 3, **output: Any
) -> Path:
    """A print of some 60 × 40 mm at about 215 ppi."""
    plan = PrintPlan(PrintTarget(60, 40, 215, Bleed(*(bleed,) * 4)), Fit.FILL)
    settings = PrintSettings(Output(file, **output), plan)
    placed, ppi, _ = laid(settings, canvas.size)
    path = folder / f"print{file.suffix}"
    export(
        canvas, path, ppi=ppi, output=settings.output, placed=placed, says={"dc:title": "Kestrel"}
    )
    return path


def wanted(path: Path, paper: str = "satin", **change: Any) -> dict[str, Any]:
    digest = hashlib.sha256(path.read_bytes()).hexdigest()
    form = {
        "name": path.name,
        "bytes": path.stat().st_size,
        "sha256": digest,
        "paper": paper,
        "copies": 2,
    }
    return form | change


def answered(
    client: httpx.Client, path: Path, paper: str = "satin", key: str = "k"
) -> dict[str, Any]:
    """An order carried all the way to the shop's answer."""
    order = client.post(
        "/v1/orders", json=wanted(path, paper), headers={"Idempotency-Key": key}
    ).json()
    client.put(f"/v1/orders/{order['number']}/file", content=path.read_bytes()).raise_for_status()
    return settled(client, order["number"])


def settled(client: httpx.Client, number: str) -> dict[str, Any]:
    for _ in range(200):
        order_now: dict[str, Any] = client.get(f"/v1/orders/{number}").json()
        if order_now["state"] in ("accepted", "refused"):
            return order_now
        time.sleep(0.05)
    raise AssertionError(order_now)


def fits(name: str, form: object) -> None:
    jsonschema.validate(
        form, {**API["components"]["schemas"][name], "components": API["components"]}
    )


# the counter ----------------------------------------------------------------------------------


def test_a_good_file_is_accepted_priced_and_proofed(canvas: Canvas, tmp_path: Path) -> None:
    path = written(canvas, tmp_path, FileFormat.PDF, profile="coated")
    with opened(tmp_path) as (client, _):
        fits("PriceList", client.get("/v1/price-list").json())
        order_now = answered(client, path)
        fits("Order", order_now)
        assert (order_now["state"], order_now["reasons"]) == ("accepted", [])
        satin = PAPERS.paper("satin")
        assert satin is not None
        cents = PAPERS.cents(satin, *order_now["facts"]["trim_mm"], 2)
        assert order_now["price"] == {"cents": pytest.approx(cents, abs=1), "currency": "EUR"}
        assert order_now["facts"]["trim_mm"] == pytest.approx([60, 40], abs=0.6)
        assert order_now["facts"]["output_intent"].startswith("Coated paper")
        assert "sha256" not in order_now
        proof = client.get(f"/v1/orders/{order_now['number']}/proof")
        assert proof.headers["Content-Type"] == "image/png"
        (tmp_path / "proof.png").write_bytes(proof.content)
        with PIL.Image.open(tmp_path / "proof.png") as picture:
            assert picture.width / picture.height == pytest.approx(66 / 46, abs=0.03)


def test_the_same_key_is_the_same_order_and_what_is_wrong_is_reported(
    tmp_path: Path, canvas: Canvas
) -> None:
    path = written(canvas, tmp_path, FileFormat.TIFF)
    with opened(tmp_path) as (client, _):
        orders = [client.post("/v1/orders", json=wanted(path), headers={"Idempotency-Key": key})
                  for key in ("a", "a", "b")]  # fmt: skip
        assert [one.status_code for one in orders] == [201, 201, 201]
        numbers = [one.json()["number"] for one in orders]
        assert numbers[0] == numbers[1] != numbers[2]
        for change, words in (
            ({"paper": "glass"}, "we print on matte"), ({"copies": 0}, "copies"), ({"bytes": 0}, "bytes"),
            ({"bytes": 10**10}, "4 GB"), ({"sha256": "x"}, "sha256"), ({"name": ""}, "name"),
        ):  # fmt: skip
            answer = client.post("/v1/orders", json=wanted(path) | change)
            assert answer.status_code == 422, change
            fits("Reason", answer.json())
            assert words in answer.json()["reason"]
        assert client.post("/v1/orders", content=b"[1").status_code == 400
        assert client.post("/v1/orders", json=[1]).status_code == 400
        for path_asked in (
            "/v1/orders/none",
            "/v1/orders/../../x",
            "/",
            f"/v1/orders/{numbers[0]}/proof",
        ):
            assert client.get(path_asked).status_code == 404


def test_a_file_resumes_where_the_line_broke_and_a_wrong_one_is_refused(
    tmp_path: Path, canvas: Canvas
) -> None:
    path = written(canvas, tmp_path, FileFormat.TIFF)
    data, half = path.read_bytes(), path.stat().st_size // 2
    with opened(tmp_path, break_after=half) as (client, _):
        number = client.post("/v1/orders", json=wanted(path)).json()["number"]
        with pytest.raises(httpx.HTTPError):
            client.put(f"/v1/orders/{number}/file", content=data)
        here = client.get(f"/v1/orders/{number}").json()
        assert here["state"] == "awaiting-file"
        start = here["received"]
        assert half <= start <= len(data)
        again = client.put(f"/v1/orders/{number}/file", content=data)
        assert (again.status_code, again.json()["reason"]) == (409, f"Go on at byte {start}.")
        if start < len(data):
            span = {"Content-Range": f"bytes {start}-{len(data) - 1}/{len(data)}"}
            client.put(
                f"/v1/orders/{number}/file", content=data[start:], headers=span
            ).raise_for_status()
            assert settled(client, number)["state"] == "accepted"
        other = client.post("/v1/orders", json=wanted(path, sha256="0" * 64)).json()["number"]
        with pytest.raises(httpx.HTTPError):
            client.put(f"/v1/orders/{other}/file", content=data)
        start = client.get(f"/v1/orders/{other}").json()["received"]
        if start < len(data):
            span = {"Content-Range": f"bytes {start}-{len(data) - 1}/{len(data)}"}
            wrong = client.put(f"/v1/orders/{other}/file", content=data[start:], headers=span)
            assert wrong.status_code == 422
            assert client.get(f"/v1/orders/{other}").json()["received"] == 0


def test_a_full_queue_asks_to_come_back(tmp_path: Path, canvas: Canvas) -> None:
    path = written(canvas, tmp_path, FileFormat.TIFF)
    with opened(tmp_path, most_waiting=1, slow=1.0) as (client, _):
        first = client.post("/v1/orders", json=wanted(path)).json()["number"]
        client.put(f"/v1/orders/{first}/file", content=path.read_bytes()).raise_for_status()
        busy = client.post("/v1/orders", json=wanted(path))
        assert (busy.status_code, busy.headers["Retry-After"]) == (503, "2")
        assert settled(client, first)["state"] == "accepted"
        assert client.post("/v1/orders", json=wanted(path)).status_code == 201


def test_orders_outlive_the_shop(tmp_path: Path, canvas: Canvas) -> None:
    path = written(canvas, tmp_path, FileFormat.TIFF)
    with opened(tmp_path, slow=30.0) as (client, _):
        number = client.post("/v1/orders", json=wanted(path)).json()["number"]
        client.put(f"/v1/orders/{number}/file", content=path.read_bytes()).raise_for_status()
    with opened(tmp_path) as (client, _):
        assert settled(client, number)["state"] == "accepted"


# what is looked at ----------------------------------------------------------------------------


def reasons(path: Path, paper: str = "satin") -> str:
    chosen = PAPERS.paper(paper)
    assert chosen is not None
    return " ".join(inspect(path, chosen).reasons)


@pytest.mark.parametrize(
    ("file", "output"),
    [
        (FileFormat.PDF, {"profile": "coated"}), (FileFormat.PDF, {"profile": "coated", "quality": 100}),
        (FileFormat.PDF, {"marks": True}), (FileFormat.PDF, {"profile": "grey"}),
        (FileFormat.TIFF, {"profile": "coated"}), (FileFormat.TIFF, {"bits": 16}),
        (FileFormat.JPEG, {"profile": "wide-rgb"}), (FileFormat.PNG, {}),
    ],
)  # fmt: skip
def test_what_enamel_writes_for_print_has_nothing_against_it(
    canvas: Canvas, tmp_path: Path, file: FileFormat, output: dict[str, Any]
) -> None:
    path = written(canvas, tmp_path, file, **output)
    assert reasons(path) == ""
    satin = PAPERS.paper("satin")
    assert satin is not None
    found = inspect(path, satin)
    # the colours it sees are the picture's
    assert found.picture is not None
    seen = np.asarray(found.picture.convert("L").resize((66, 46))).astype(float)
    if output.get("profile") != "grey":
        with PIL.Image.open(STATIONMASTER) as image:
            own = image.convert("L").crop((100, 200, 660, 600))
            own = own.crop((0, 5, 560, 395)).resize((66, 46))
        assert np.abs(seen - np.asarray(own)).mean() < 12


def changed(path: Path, change: Callable[[pikepdf.Pdf, pikepdf.Page], None]) -> Path:
    into = path.with_name("changed.pdf")
    with pikepdf.open(path) as pdf:
        change(pdf, pdf.pages[0])
        pdf.save(into)
    return into


def font(pdf: pikepdf.Pdf, page: pikepdf.Page) -> None:
    face = pikepdf.Dictionary(Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1,
                              BaseFont=pikepdf.Name.Helvetica)  # fmt: skip
    page.Resources.Font = pikepdf.Dictionary(F0=face)


def clear(pdf: pikepdf.Pdf, page: pikepdf.Page) -> None:
    page.Resources.ExtGState = pikepdf.Dictionary(G0=pikepdf.Dictionary(ca=0.5))


def boxless(pdf: pikepdf.Pdf, page: pikepdf.Page) -> None:
    del page.TrimBox


def without_profile(pdf: pikepdf.Pdf, page: pikepdf.Page) -> None:
    page.Resources.XObject.Im0.ColorSpace = pikepdf.Name.DeviceRGB


@pytest.mark.parametrize(
    ("change", "words"),
    [(font, "font /F0 is not in the file"), (clear, "holds transparency"), (boxless, "no TrimBox"),
     (without_profile, "no profile and there is no output intent")],
)  # fmt: skip
def test_a_pdf_is_refused_with_its_reason(
    canvas: Canvas, tmp_path: Path, change: Callable[[pikepdf.Pdf, pikepdf.Page], None], words: str
) -> None:
    assert words in reasons(changed(written(canvas, tmp_path, FileFormat.PDF), change))


def test_bleed_resolution_ink_and_profiles_are_asked_for(canvas: Canvas, tmp_path: Path) -> None:
    narrow = written(canvas, tmp_path, FileFormat.PDF, bleed=1)
    assert "1.0 mm of bleed; on Satin 260 g/m² we need 3 mm" in reasons(narrow)
    coarse = tmp_path / "coarse.tif"
    export(canvas, coarse, ppi=72)
    assert "it has 72 ppi; on Satin 260 g/m² we need 200 ppi" in reasons(coarse)
    bare = tmp_path / "bare.png"
    PIL.Image.new("RGB", (400, 300), "teal").save(bare)
    assert "no colour profile" in reasons(bare)
    assert "does not say its resolution" in reasons(bare)
    clear_one = tmp_path / "clear.png"
    PIL.Image.new("RGBA", (400, 300), (0, 90, 90, 120)).save(clear_one, dpi=(300, 300))
    assert "transparency" in reasons(clear_one)
    (tmp_path / "x.pdf").write_bytes(b"%PDF-1.6\nnothing")
    assert "can't be read" in reasons(tmp_path / "x.pdf")
    dark = Canvas.create(tmp_path / "dark.npy", Box(0, 0, 400, 300), 3)  # black all over
    inky = tmp_path / "inky.tif"
    export(dark, inky, ppi=300, output=Output(profile="coated", black_point=True))
    assert "of ink on one place; Matte 200 g/m² takes 260 %" in reasons(inky, "matte")
    assert reasons(inky, "satin") == ""
    wide = tmp_path / "wide.tif"
    export(dark, wide, ppi=1)
    assert "wider than Satin" not in reasons(dark.path, "satin")
    assert "comes: 1100 mm" in reasons(wide)
