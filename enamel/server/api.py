"""The API as a whole: one description, one form of refusal."""

import logging
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, Throttled, ValidationError
from ninja.parser import Parser

from enamel.accounts.api import LOOKING, READ
from enamel.accounts.schemas import FORMS, STANDS_FOR, Me, Problem
from enamel.batches import api as batches
from enamel.compare import api as compare
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.jsontext import read_json
from enamel.firings import api as firings
from enamel.library import api as library
from enamel.prints import api as prints
from enamel.storage.disk import NO_ROOM, is_out_of_room
from enamel.swatches import api as swatches

logger = logging.getLogger(__name__)

STATUS = {
    400: "What was sent can't be read.", 401: "No token, or one that is not known.",
    403: "The token is not good for this.", 404: "It is not there, or not yours.",
    422: "It can't be done as it was asked for.", 429: "Asked too often; Retry-After says for how long.",
    507: "The disk is full; nothing was kept.",
}  # fmt: skip


class Strict(Parser):
    """Reads JSON as `read_json` does."""

    def parse_body(self, request: HttpRequest) -> Any:
        if int(request.headers.get("Content-Length") or 0) > settings.DATA_UPLOAD_MAX_MEMORY_SIZE:
            raise HttpError(400, "What was sent is too long.")
        try:
            return read_json(request.body, most=settings.DATA_UPLOAD_MAX_MEMORY_SIZE)
        except Refusal as refusal:
            raise HttpError(400, str(refusal)) from None


class Service(NinjaAPI):
    """The API; its description names every refusal."""

    def get_openapi_schema(self, **given: Any) -> Any:
        schema = super().get_openapi_schema(**given)
        content = {"application/json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
        for path in schema["paths"].values():
            for operation in path.values():
                for code, words in STATUS.items():
                    operation["responses"][code] = {"description": words, "content": content}
        schemas = schema["components"]["schemas"]
        schemas |= {"Problem": Problem.model_json_schema()} | FORMS
        return _referring(schema)


def _referring(form: Any) -> Any:
    """Return a description in which marked places refer to core's schemas."""
    if isinstance(form, list):
        return [_referring(one) for one in form]
    if not isinstance(form, dict):
        return form
    if STANDS_FOR not in form:
        return {name: _referring(one) for name, one in form.items()}
    place = {"$ref": f"#/components/schemas/{form[STANDS_FOR]}"}
    if "default" not in form:
        return place
    left_out = {name: one for name, one in form.items() if name in ("description", "default")}
    return {"anyOf": [place, {"type": "null"}]} | left_out


api = Service(
    title="Enamel", version="2", docs_url=None, parser=Strict(), urls_namespace="api",
    description="Pieces in, schedules fired, results checked and taken away, by scripts.",
)  # fmt: skip
for router in (
    library.router, firings.schedule_router, firings.router, swatches.router, library.layer_router,
    compare.router, prints.router, batches.router,
):  # fmt: skip
    api.add_router("", router)


@api.get(
    "/me", response=Me, auth=READ, throttle=LOOKING, summary="Current account", tags=["Access"]
)
def me(request: HttpRequest) -> Me:
    """The artist whose token it is, and its scopes."""
    token: Any = request.auth  # type: ignore[attr-defined]
    return Me(name=token.owner.get_username(), scopes=token.scopes)


# saying no ------------------------------------------------------------------------------------


def _no(request: HttpRequest, status: int, error: str, field: str = "") -> HttpResponse:
    return api.create_response(request, {"error": error, "field": field}, status=status)


@api.exception_handler(Refusal)
def refused(request: HttpRequest, refusal: Refusal) -> HttpResponse:
    field = refusal.field if isinstance(refusal, FieldRefusal) else ""
    return _no(request, 422, str(refusal), field)


@api.exception_handler(ValidationError)
def misshapen(request: HttpRequest, error: ValidationError) -> HttpResponse:
    first = error.errors[0]
    place = ".".join(str(part) for part in first["loc"][1:] if part not in ("given", "wanted"))
    return _no(request, 422, f"{place}: {first['msg']}".removeprefix(": "), place)


@api.exception_handler(Http404)
def missing(request: HttpRequest, error: Http404) -> HttpResponse:
    return _no(request, 404, "It is not there, or not yours.")


@api.exception_handler(AuthenticationError)
def unknown(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
    answer = _no(request, 401, "This needs a token: send it as Authorization: Bearer TOKEN.")
    answer["WWW-Authenticate"] = "Bearer"
    return answer


@api.exception_handler(Throttled)
def throttled(request: HttpRequest, error: Throttled) -> HttpResponse:
    wait = max(1, round(error.wait or 1))
    answer = _no(request, 429, f"Asked too often; ask again in {wait} s.")
    answer["Retry-After"] = str(wait)
    return answer


@api.exception_handler(HttpError)
def answer_http_error(request: HttpRequest, error: HttpError) -> HttpResponse:
    return _no(request, error.status_code, str(error))


@api.exception_handler(Exception)
def broken(request: HttpRequest, error: Exception) -> HttpResponse:
    if is_out_of_room(error):
        return _no(request, 507, NO_ROOM)
    logger.error("%s %s", request.method, request.path, exc_info=error)
    return _no(request, 500, "Something went wrong inside Enamel; its log has the details.")
