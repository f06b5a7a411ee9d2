"""Whatever is sent to any address, as administrator and as viewer: no error of the server, and no answer outside its schema."""

import json
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import response_schema_conformance

from moorland.server.wsgi import application
from tests.server.conftest import Session

#: Examples for each address and account; more by hand, with FUZZ=200.
EXAMPLES = int(os.environ.get("FUZZ", "2"))
DOCUMENT = json.loads((Path(__file__).parents[2] / "docs" / "openapi.json").read_text("utf-8"))

schema = schemathesis.openapi.from_dict(DOCUMENT)
schema.app = application
schema.config.update(base_url="http://localhost")
#: Thousands of requests at the edges of every schema besides; by hand, with EDGES=1.
schema.config.phases.coverage.enabled = "EDGES" in os.environ


def headers_of(session: Session) -> dict[str, str]:
    cookies = {name: morsel.value for name, morsel in session.client.cookies.items()}
    cookies.setdefault("moorland_csrf", "c" * 32)
    return {"Cookie": "; ".join(f"{name}={value}" for name, value in cookies.items()), "X-CSRF-Token": cookies["moorland_csrf"]}


@pytest.mark.parametrize("login", ["boss", "ann"])
@schema.parametrize()
@settings(
    max_examples=EXAMPLES,
    deadline=None,
    derandomize="FUZZ" not in os.environ,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow, HealthCheck.filter_too_much, HealthCheck.data_too_large],
)
def test_any_request_is_answered_within_the_schema(case: Any, login: str, as_user: Callable[[str | None], Session]) -> None:
    case.call_and_validate(headers=headers_of(as_user(login)), checks=[not_a_server_error, response_schema_conformance])
