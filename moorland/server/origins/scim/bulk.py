"""Several operations of SCIM in one request (RFC 7644, 3.7): each is all or nothing, and told alone."""

import json
import re
from typing import Any

from django.http.response import HttpResponseBase
from pydantic import ValidationError
from rest_framework.request import Request
from scim2_models import Context, InvalidPathException, InvalidSyntaxException, InvalidValueException, PayloadTooLargeException, SCIMException

from moorland.server.errors import Failure
from moorland.server.origins.models import Entry
from moorland.server.origins.scim.provisioning import Provisioning, etag
from moorland.server.origins.scim.resources import MODELS, MOST_OPERATIONS, PATCHES
from moorland.server.origins.scim.views import WRITING, ScimView, error_of, sent

_PATH = re.compile(r"^/(Users|Groups)(?:/([^/]+))?$")


class BulkView(ScimView):
    """Whoever has a token of an origin: several operations, one after the other."""

    def post(self, request: Request) -> HttpResponseBase:
        try:
            body = json.loads(request.body)
            operations = body["Operations"]
            most = body.get("failOnErrors")
        except (ValueError, KeyError, TypeError):
            raise InvalidSyntaxException(detail="A bulk request has Operations.") from None
        if not isinstance(operations, list) or not all(isinstance(item, dict) for item in operations):
            raise InvalidSyntaxException(detail="Operations is a list of operations.")
        if len(operations) > MOST_OPERATIONS:
            raise PayloadTooLargeException(detail=f"A bulk request has at most {MOST_OPERATIONS} operations.")
        here, made, answers, errors = self.provisioning(request), dict[str, str](), list[dict[str, Any]](), 0
        with WRITING:
            for operation in operations:
                told = _carried_out(here, operation, made)
                answers.append(told)
                errors += "response" in told
                if isinstance(most, int) and errors >= most > 0:
                    break
        return sent({"schemas": ["urn:ietf:params:scim:api:messages:2.0:BulkResponse"], "Operations": answers})


def _carried_out(here: Provisioning, operation: dict[str, Any], made: dict[str, str]) -> dict[str, Any]:
    """One operation, and what came of it; `made` are the keys of what was made in this request, by its bulkId."""
    told: dict[str, Any] = {name: operation[name] for name in ("method", "bulkId", "version") if operation.get(name) is not None}
    try:
        method, entry, status = _done(here, operation, made)
    except (SCIMException, ValidationError, Failure) as wrong:
        error = error_of(wrong)
        return {**told, "status": str(error.status), "response": error.model_dump()}
    if entry is None:
        return {**told, "status": str(status)}
    if method == "POST":
        made[str(operation["bulkId"])] = entry.key
    place = f"{here.address}/{'Users' if entry.kind == 'person' else 'Groups'}/{entry.key}"
    return {**told, "location": place, "version": etag(entry), "status": str(status)}


def _done(here: Provisioning, operation: dict[str, Any], made: dict[str, str]) -> tuple[str, Entry | None, int]:
    method, path = str(operation.get("method", "")).upper(), str(operation.get("path", ""))
    for bulk, key in made.items():
        path = path.replace(f"bulkId:{bulk}", key)
    match = _PATH.match(path)
    if match is None:
        raise InvalidPathException(detail=f"{path} is neither /Users nor /Groups.")
    kind, key = ("person" if match[1] == "Users" else "group"), match[2]
    model, data = MODELS[kind], _resolved(operation.get("data"), made)
    expected = operation.get("version")
    if method == "POST" and key is None:
        if not operation.get("bulkId"):
            raise InvalidSyntaxException(detail="A POST in a bulk request has a bulkId.")
        return method, here.create(kind, model.model_validate(data, scim_ctx=Context.RESOURCE_CREATION_REQUEST)), 201
    if key is None:
        raise InvalidPathException(detail=f"{method} needs the key of a resource in its path.")
    match method:
        case "PUT":
            return method, here.replace(kind, key, model.model_validate(data, scim_ctx=Context.RESOURCE_REPLACEMENT_REQUEST), expected), 200
        case "PATCH":
            return method, here.patch(kind, key, PATCHES[kind].model_validate(data, scim_ctx=Context.RESOURCE_PATCH_REQUEST), expected), 200
        case "DELETE":
            here.delete(kind, key, expected)
            return method, None, 204
        case _:
            raise InvalidSyntaxException(detail=f"{method} is no method of an operation.")


def _resolved(value: Any, made: dict[str, str]) -> Any:
    """Data in which what was made in this request is named by its key. Raises InvalidValueException for what was not made."""
    if isinstance(value, str) and value.startswith("bulkId:"):
        if value.removeprefix("bulkId:") not in made:
            raise InvalidValueException(detail=f"Nothing was made under {value}.")
        return made[value.removeprefix("bulkId:")]
    if isinstance(value, list):
        return [_resolved(item, made) for item in value]
    if isinstance(value, dict):
        return {name: _resolved(item, made) for name, item in value.items()}
    return value
