"""The API against its own description: requests made from it, answers held to it."""

from typing import Any

import pytest
import schemathesis
from django.contrib.auth.models import User
from django.core.wsgi import get_wsgi_application
from hypothesis import HealthCheck, settings
from schemathesis import checks

from enamel.accounts.models import Scope, Token
from enamel.library.models import Piece

pytestmark = pytest.mark.django_db(transaction=True)
HELD_TO = [
    checks.not_a_server_error,
    checks.status_code_conformance,
    checks.content_type_conformance,
    checks.response_schema_conformance,
]


@pytest.fixture
def described(artist: User, piece: Piece, stranger: User) -> Any:
    """The description, asked for by somebody who has a piece; its ids are among what is tried."""
    _, text = Token.objects.issue(artist, "test", Scope.values)
    schema = schemathesis.openapi.from_wsgi("/api/v2/openapi.json", get_wsgi_application())
    schema.config.phases.coverage.enabled = False
    schema.config.update(headers={"Authorization": f"Bearer {text}"})
    return schema


schema = schemathesis.pytest.from_fixture("described")


@schema.parametrize()
@settings(max_examples=8, deadline=None, suppress_health_check=list(HealthCheck), derandomize=True)
def test_answers_are_as_described(case: Any, piece: Piece) -> None:
    for name in case.path_parameters or {}:
        if name == "piece_id":
            case.path_parameters[name] = str(piece.pk)
        elif name == "layer_id":
            case.path_parameters[name] = str(piece.base.pk)
    case.call_and_validate(checks=HELD_TO)
