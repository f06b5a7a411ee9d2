"""Every request has an id, and is counted and timed by the address it matched; nothing of it tells who asked or about whom."""

import logging
import re
import time
import uuid
from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse
from prometheus_client import Counter, Histogram

#: The id of the request that is answered, for whatever is logged meanwhile.
request_id: ContextVar[str] = ContextVar("request_id", default="")
_SOUND = re.compile(r"[A-Za-z0-9._-]{1,64}")
_log = logging.getLogger("moorland.requests")

REQUESTS = Counter("moorland_requests", "Requests answered, by method, address and status.", ["method", "address", "status"])
SECONDS = Histogram(
    "moorland_request_seconds", "Seconds until an answer, by address.", ["address"], buckets=(0.01, 0.03, 0.1, 0.3, 1, 3, 10, 30, 120)
)  # fmt: skip


class RequestsSeen:
    """Gives each request an id (its own, or the one a proxy gave it), tells it in the answer, and counts."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        given = request.headers.get("X-Request-Id", "")
        named = given if _SOUND.fullmatch(given) else uuid.uuid4().hex
        token, began = request_id.set(named), time.monotonic()
        try:
            response = self.get_response(request)
            response.headers["X-Request-Id"] = named
            self._told(request, response, time.monotonic() - began)
            return response
        finally:
            request_id.reset(token)

    def _told(self, request: HttpRequest, response: HttpResponse, seconds: float) -> None:
        address = address_of(request)
        REQUESTS.labels(_METHODS.get(request.method or "", "other"), address, str(response.status_code)).inc()
        SECONDS.labels(address).observe(seconds)
        told = {"method": request.method, "address": address, "status": response.status_code, "milliseconds": round(seconds * 1000)}
        _log.info("%(method)s %(address)s %(status)s in %(milliseconds)s ms", told, extra={"told": told})


#: Methods that are counted by their names; whatever else is sent is one more.
_METHODS = {name: name for name in ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS")}


def address_of(request: HttpRequest) -> str:
    """The pattern of the address a request matched: the address itself may hold names of people. Files of the interface are one."""
    match = request.resolver_match
    if match is None or (match.url_name is None and match.route.startswith("^")):
        return "interface"
    return f"/{match.route}"
