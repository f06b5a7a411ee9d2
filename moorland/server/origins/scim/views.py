"""The addresses of SCIM 2.0 (RFC 7644), below /scim/v2; whoever comes has a token of one origin."""

import json
import threading
from typing import Any

from django.core.exceptions import RequestDataTooBig
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from drf_spectacular.utils import extend_schema
from pydantic import ValidationError
from rest_framework.authentication import BaseAuthentication
from rest_framework.exceptions import AuthenticationFailed, MethodNotAllowed, NotAuthenticated, PermissionDenied
from rest_framework.request import Request
from rest_framework.views import APIView
from scim2_models import (
    Context,
    Error,
    ForbiddenException,
    InvalidSyntaxException,
    NotFoundException,
    PayloadTooLargeException,
    ResourceType,
    Schema,
    SCIMException,
    ServiceProviderConfig,
)

from moorland.server.duties.permission import PROVISIONING, Need
from moorland.server.errors import Failure
from moorland.server.origins.models import Entry, Origin
from moorland.server.origins.scim.provisioning import Provisioning, etag
from moorland.server.origins.scim.resources import CONFIG, LISTS, MODELS, PARAMETERS, PATCHES, PROVIDER, SEARCHES
from moorland.server.origins.tokens import origin_of

#: One change at a time: what is read to be patched is what is then written.
WRITING = threading.RLock()
Kind = str


class ProvisioningClient:
    """Nobody with an account: whoever has a token of an origin."""

    def __init__(self, origin: Origin) -> None:
        self.origin = origin
        self.provisions = origin.name
        self.is_authenticated = True


class ProvisioningSignIn(BaseAuthentication):
    """Reads the token of a provisioning client."""

    def authenticate(self, request: Request) -> tuple[Any, ProvisioningClient] | None:
        written = request.META.get("HTTP_AUTHORIZATION", "")
        if not written:
            return None
        origin = origin_of(written)
        if origin is None:
            raise AuthenticationFailed("This token is not good here.")
        client = ProvisioningClient(origin)
        return client, client

    def authenticate_header(self, request: Request) -> str:
        return 'Bearer realm="Moorland"'


@extend_schema(exclude=True)
class ScimView(APIView):
    """Whoever has a token of an origin: what every address of SCIM has in common."""

    authentication_classes = [ProvisioningSignIn]
    needs: dict[str, Need] = dict.fromkeys(("GET", "POST", "PUT", "PATCH", "DELETE"), PROVISIONING)

    def dispatch(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        with PROVIDER:
            return super().dispatch(request, *args, **kwargs)

    def provisioning(self, request: Request) -> Provisioning:
        """The users and groups the client comes for."""
        client = request.auth
        assert isinstance(client, ProvisioningClient)
        return Provisioning(client.origin, request.build_absolute_uri("/scim/v2"))

    def handle_exception(self, exc: Exception) -> Any:
        return told(exc)

    def http_method_not_allowed(self, request: Any, *args: Any, **kwargs: Any) -> Any:
        return told(MethodNotAllowed(str(request.method)))


def sent(document: dict[str, Any], status: int = 200, entry: Entry | None = None) -> HttpResponse:
    """A document as an answer."""
    response = HttpResponse(json.dumps(document), status=status, content_type="application/scim+json; charset=utf-8")
    if entry is not None:
        response["ETag"] = etag(entry)
        response["Location"] = document.get("meta", {}).get("location", "")
    return response


def told(exc: Exception) -> HttpResponse:
    """An error as RFC 7644 writes it: a sentence, with its status and keyword."""
    error = error_of(exc)
    response = sent(error.model_dump(), error.status or 500)
    if error.status == 401:
        response["WWW-Authenticate"] = 'Bearer realm="Moorland"'
    if error.status == 503:
        response["Retry-After"] = "600"
    return response


def error_of(exc: Exception) -> Error:
    """What is said of an error."""
    match exc:
        case SCIMException():
            return exc.to_error()
        case ValidationError():
            return Error.from_validation_errors(exc)[0]
        case Failure():
            return Error(status=exc.status if exc.status != 422 else 400, detail=exc.message)
        case NotAuthenticated() | AuthenticationFailed():
            return Error(status=401, detail="Send a token of this origin as Authorization: Bearer.")
        case MethodNotAllowed():
            return Error(status=405, detail="This address does not take that method.")
        case PermissionDenied():
            return Error(status=403, detail="This token does not reach that.")
        case RequestDataTooBig():
            return PayloadTooLargeException(detail="The request is too large. Send it in pieces.").to_error()
        case UnicodeError() | RecursionError():
            return InvalidSyntaxException(detail="The request is no text, or nested too deep.").to_error()
        case _:
            raise exc


class Resources(ScimView):
    """Users or groups: those that fit a filter, page by page; make one."""

    kind: Kind = "person"

    def get(self, request: Request) -> HttpResponseBase:
        return found(self.provisioning(request), self.kind, _asked(request, self.kind))

    def post(self, request: Request) -> HttpResponseBase:
        here, model = self.provisioning(request), MODELS[self.kind]
        resource = model.model_validate_json(request.body, scim_ctx=Context.RESOURCE_CREATION_REQUEST)
        with WRITING:
            entry = here.create(self.kind, resource)
        return one(here, entry, _parameters(request, self.kind), Context.RESOURCE_CREATION_RESPONSE, 201)


class OneResource(ScimView):
    """A user or a group: as it is; said anew; some of it changed; taken away."""

    kind: Kind = "person"

    def get(self, request: Request, key: str) -> HttpResponseBase:
        here = self.provisioning(request)
        entry = here.entry(self.kind, key)
        if request.META.get("HTTP_IF_NONE_MATCH") in (etag(entry), "*"):
            unchanged = HttpResponse(status=304)
            unchanged["ETag"] = etag(entry)
            return unchanged
        return one(here, entry, _parameters(request, self.kind), Context.RESOURCE_QUERY_RESPONSE)

    def put(self, request: Request, key: str) -> HttpResponseBase:
        here = self.provisioning(request)
        resource = MODELS[self.kind].model_validate_json(request.body, scim_ctx=Context.RESOURCE_REPLACEMENT_REQUEST)
        with WRITING:
            entry = here.replace(self.kind, key, resource, request.META.get("HTTP_IF_MATCH"))
        return one(here, entry, _parameters(request, self.kind), Context.RESOURCE_REPLACEMENT_RESPONSE)

    def patch(self, request: Request, key: str) -> HttpResponseBase:
        here = self.provisioning(request)
        patch = PATCHES[self.kind].model_validate_json(request.body, scim_ctx=Context.RESOURCE_PATCH_REQUEST)
        with WRITING:
            entry = here.patch(self.kind, key, patch, request.META.get("HTTP_IF_MATCH"))
        return one(here, entry, _parameters(request, self.kind), Context.RESOURCE_PATCH_RESPONSE)

    def delete(self, request: Request, key: str) -> HttpResponseBase:
        with WRITING:
            self.provisioning(request).delete(self.kind, key, request.META.get("HTTP_IF_MATCH"))
        return HttpResponse(status=204)


class Search(ScimView):
    """Users, groups, or both, that fit a filter that is sent and does not stand in an address."""

    kind: Kind = "person"

    def post(self, request: Request) -> HttpResponseBase:
        asked = SEARCHES[self.kind].model_validate_json(request.body, scim_ctx=Context.SEARCH_REQUEST)
        return found(self.provisioning(request), self.kind, asked)


class Discovery(ScimView):
    """What this service is: its capabilities, resource types and schemas."""

    what: str = "config"

    def get(self, request: Request, key: str | None = None) -> HttpResponseBase:
        if "filter" in request.GET:
            raise ForbiddenException(detail="These are not filtered.")
        here = self.provisioning(request)
        if self.what == "config":
            place = f"{here.address}/ServiceProviderConfig"
            described = CONFIG.model_dump(scim_ctx=Context.RESOURCE_QUERY_RESPONSE)
            return sent({**described, "meta": {"resourceType": "ServiceProviderConfig", "location": place}})
        every = [_described(here, item) for item in (PROVIDER.resource_types if self.what == "ResourceTypes" else PROVIDER.schemas)]
        if key is None:
            listed = {
                "schemas": ["urn:ietf:params:scim:api:messages:2.0:ListResponse"],
                "totalResults": len(every),
                "startIndex": 1,
                "itemsPerPage": len(every),
            }
            return sent({**listed, "Resources": every})
        chosen = next((item for item in every if key in (item.get("id"), item.get("name"))), None)
        if chosen is None:
            raise NotFoundException(detail=f"There is no {key} among {self.what}.")
        return sent(chosen)


def _described(here: Provisioning, item: ResourceType | Schema | ServiceProviderConfig) -> dict[str, Any]:
    kind = "ResourceType" if isinstance(item, ResourceType) else "Schema"
    described = item.model_dump(scim_ctx=Context.RESOURCE_QUERY_RESPONSE)
    return {**described, "meta": {"resourceType": kind, "location": f"{here.address}/{kind}s/{described['id']}"}}


def _asked(request: Request, kind: Kind) -> Any:
    asked: Any = SEARCHES[kind].model_validate(request.GET.dict(), scim_ctx=Context.SEARCH_REQUEST)
    return asked


def _parameters(request: Request, kind: Kind) -> Any:
    named = {name: value for name, value in request.GET.dict().items() if name.lower() in ("attributes", "excludedattributes")}
    parameters: Any = PARAMETERS[kind].model_validate(named)
    return parameters


def one(here: Provisioning, entry: Entry, parameters: Any, context: Context, status: int = 200) -> HttpResponse:
    """One resource as an answer."""
    return sent(here.resource(entry).model_dump(scim_ctx=context, response_parameters=parameters), status, entry)


def found(here: Provisioning, kind: Kind, asked: Any) -> HttpResponse:
    """A page of resources as an answer."""
    total, page = here.found(kind, asked)
    listed: Any = LISTS[kind](total_results=total, start_index=(asked.start_index_0 or 0) + 1, items_per_page=len(page), resources=page)
    return sent(listed.model_dump(scim_ctx=Context.RESOURCE_QUERY_RESPONSE, response_parameters=asked))
