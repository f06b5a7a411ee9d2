"""The way to SCIM: what it needs is read when somebody first comes, because it takes a second that no other start should wait for."""

import importlib
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.urls import Resolver404, URLResolver
from django.urls.resolvers import RegexPattern
from django.views.decorators.csrf import csrf_exempt

_addresses = URLResolver(RegexPattern(r""), "moorland.server.origins.scim.urls")


@csrf_exempt
def scim(request: HttpRequest, rest: str) -> HttpResponseBase:
    """Whoever has a token of an origin: the addresses of SCIM; each looks at the token itself. No cookie of a session opens them."""
    try:
        found = _addresses.resolve(rest)
    except Resolver404:
        views: Any = importlib.import_module("moorland.server.origins.scim.views")
        missing: HttpResponse = views.told(views.NotFoundException(detail="There is nothing at this address."))
        return missing
    answer: HttpResponseBase = found.func(request, *found.args, **found.kwargs)
    return answer
