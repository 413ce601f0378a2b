"""Last answers of the external services: pages read them, workers refresh them."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Generic, TypeVar

from django.conf import settings
from django.utils import timezone
from pydantic import BaseModel, ValidationError

from enamel.orders.clients.answers import Account, PriceList, Terms, as_json
from enamel.orders.clients.client import ServiceClient, ServiceError
from enamel.orders.models import ServiceAnswer
from enamel.orders.models.services import OLD
from enamel.orders.queue import enqueue_question

Form = TypeVar("Form", bound=BaseModel)
PRICES, TERMS, ACCOUNT = "shop prices", "bureau terms", "bureau account"


def shop() -> ServiceClient:
    """Return a client of the print shop."""
    return ServiceClient(settings.PRINT_SHOP, "the print shop")


def bureau() -> ServiceClient:
    """Return a client of the remote renderer."""
    return ServiceClient(settings.BUREAU, "the bureau", settings.BUREAU_KEY)


@dataclass(frozen=True, slots=True)
class ServiceQuery:
    """A request that is repeated to keep its answer fresh."""

    client: Callable[[], ServiceClient]
    address: Callable[[], str]
    path: str
    form: type[BaseModel]


QUERIES = {
    PRICES: ServiceQuery(shop, lambda: settings.PRINT_SHOP, "/v1/price-list", PriceList),
    TERMS: ServiceQuery(bureau, lambda: settings.BUREAU, "/v1/terms", Terms),
    ACCOUNT: ServiceQuery(bureau, lambda: settings.BUREAU, "/v1/account", Account),
}


@dataclass(frozen=True, slots=True)
class LastAnswer(Generic[Form]):
    """A service's last answer, and its age."""

    answer: Form | None
    """None before the first answer of the service now configured."""
    answered: datetime | None = None
    error: str = ""
    """Why the last request had no answer; empty when it had."""
    asking: bool = False
    """Whether there has been no request yet."""

    @property
    def recent(self) -> bool:
        """Whether the answer came within the last minute."""
        return self.answered is not None and timezone.now() - self.answered < OLD


def last_answer(question: str, form: type[Form]) -> LastAnswer[Form]:
    """Return the last answer at once; have a worker refresh it when it is old."""
    kept = ServiceAnswer.objects.filter(question=question).first()
    if kept is not None and kept.address != QUERIES[question].address():
        kept = None
    if kept is None or kept.old:
        enqueue_question(question)
    if kept is None:
        return LastAnswer(None, asking=True)
    try:
        answer = None if kept.answer is None else form.model_validate(kept.answer)
    except ValidationError:  # stored by another version
        answer = None
    return LastAnswer(answer, kept.answered, kept.error)


def refresh(question: str) -> None:
    """Send a request to a service and store the answer. For workers."""
    asked = QUERIES[question]
    now = timezone.now()
    facts: dict[str, object] = {"address": asked.address()[:300], "asked": now, "error": ""}
    try:
        facts |= {
            "answer": as_json(asked.client().ask("GET", asked.path, asked.form)), "answered": now,
        }  # fmt: skip
    except ServiceError as error:
        facts["error"] = str(error)[:400]
        kept = ServiceAnswer.objects.filter(question=question).first()
        if kept is not None and kept.address != facts["address"]:
            facts |= {"answer": None, "answered": None}
    ServiceAnswer.objects.update_or_create(question=question, defaults=facts)
