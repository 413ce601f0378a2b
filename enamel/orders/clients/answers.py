"""Types of the external services' answers. Any other answer is "not understood"."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

Cents = Annotated[int, Field(strict=True, ge=0, le=10_000_000)]
Bytes = Annotated[int, Field(strict=True, ge=0, le=4 * 10**9)]
Place = Annotated[int, Field(strict=True, ge=0, le=10**6)]
Fraction = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Name = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^\x00/?#]+$")]
Words = Annotated[str, Field(max_length=300, pattern=r"^[^\x00]*$")]
Currency = Annotated[str, Field(pattern=r"^[A-Z]{3}$")]
Sha256 = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]


class Answer(BaseModel):
    """An answer of a service. Unknown fields are ignored, so that services can add some."""

    model_config = ConfigDict(frozen=True, extra="ignore")


# the print shop -------------------------------------------------------------------------------


class PricedPaper(Answer):
    name: Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[^\x00]+$")]
    title: Words
    cents_per_m2: Cents
    least_ppi: Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)]


class PriceList(Answer):
    """The shop's papers and prices."""

    currency: Currency
    papers: Annotated[list[PricedPaper], Field(max_length=100)]


class Price(Answer):
    cents: Cents
    currency: Currency


Fact = Words | Annotated[float, Field(allow_inf_nan=False, ge=-1e12, le=1e12)] | bool | None
Facts = dict[
    Annotated[str, Field(max_length=40)], Fact | Annotated[list[Fact], Field(max_length=100)]
]


class ShopOrderAnswer(Answer):
    """An order at the shop."""

    number: Name
    state: Literal["awaiting-file", "queued", "checking", "accepted", "refused"]
    received: Bytes = 0
    place: Place = 0
    reasons: Annotated[list[Words], Field(max_length=20)] = []
    facts: Annotated[Facts, Field(max_length=40)] = {}
    price: Price | None = None


# the remote renderer --------------------------------------------------------------------------


class KnownModel(Answer):
    name: Annotated[str, Field(max_length=80)]
    sha256: Annotated[str, Field(max_length=64)]


class Terms(Answer):
    """The bureau's terms."""

    name: Annotated[str, Field(min_length=1, max_length=80)] = "the bureau"
    renderer: Words = ""
    currency: Currency = "EUR"
    kept_days: Annotated[int, Field(ge=0, le=36_500)] = 0
    models: Annotated[list[KnownModel], Field(max_length=1000)] = []


class Account(Answer):
    """The balance of the account at the bureau."""

    balance_cents: Annotated[int, Field(strict=True, ge=-(10**9), le=10**9)]
    currency: Currency


class Offer(Answer):
    """Price and time of a coat."""

    number: Name
    cents: Cents
    currency: Currency
    seconds: Annotated[float, Field(ge=0, le=10**7, allow_inf_nan=False)]
    expires_in: Annotated[float, Field(ge=0, le=10**7, allow_inf_nan=False)]


class FileState(Answer):
    bytes: Bytes
    received: Bytes


class Result(Answer):
    """The file to be downloaded."""

    bytes: Annotated[int, Field(strict=True, gt=0, le=4 * 10**9)]
    sha256: Sha256


class RenderOrderAnswer(Answer):
    """An order at the bureau."""

    number: Name
    state: Literal["awaiting-files", "queued", "rendering", "done", "failed", "cancelled"]
    progress: Fraction = 0
    place: Place = 0
    cents: Cents
    charged_cents: Cents
    files: Annotated[dict[str, FileState], Field(max_length=4)] = {}
    reason: Words = ""
    result: Result | None = None


def as_json(answer: BaseModel) -> dict[str, Any]:
    """Return an answer as it is stored in the database."""
    return answer.model_dump(mode="json")
