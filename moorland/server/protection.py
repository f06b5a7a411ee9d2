"""Sessions, and the headers every answer carries."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse, JsonResponse
from rest_framework.authentication import SessionAuthentication
from rest_framework.request import Request

from moorland.server.access.rules import too_many_attempts


class SessionSignIn(SessionAuthentication):
    """Sessions with CSRF protection; without one the answer is 401."""

    def authenticate_header(self, request: Request) -> str:
        return "Session"


def csrf_failure(request: HttpRequest, reason: str = "") -> JsonResponse:
    """A form sent without the token of this session."""
    return JsonResponse({"error": {"code": "csrf", "message": "This page is out of date. Reload it and try again.", "problems": []}}, status=403)


def locked_out(request: HttpRequest, *_: object) -> JsonResponse:
    """Too many wrong passwords for one login from one address."""
    return JsonResponse({"error": {"code": "throttled", "message": too_many_attempts(), "problems": []}}, status=429)


class ContentSecurityMiddleware:
    """On every answer, files too: only this server's own scripts and styles run, nobody frames it; API answers are never cached."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response.headers.setdefault(
            "Content-Security-Policy",
            "default-src 'self'; script-src 'self'; object-src 'none'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'; base-uri 'self'; form-action 'self'",
        )
        if request.path.startswith("/api/"):
            response.headers["Cache-Control"] = "no-store"
        return response
