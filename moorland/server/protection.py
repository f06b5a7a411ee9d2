"""Who may call what, and the headers every answer carries."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from django.http import HttpRequest, HttpResponse, JsonResponse
from rest_framework.authentication import SessionAuthentication
from rest_framework.permissions import BasePermission
from rest_framework.request import Request

from moorland.server.requests import account_of

if TYPE_CHECKING:
    from rest_framework.views import APIView


class SessionSignIn(SessionAuthentication):
    """Sessions with CSRF protection; without one the answer is 401."""

    def authenticate_header(self, request: Request) -> str:
        return "Session"


class IsSignedIn(BasePermission):
    """Any enabled account, for its own view of the live release."""

    def has_permission(self, request: Request, view: "APIView") -> bool:
        return bool(request.user and request.user.is_authenticated and request.user.enabled)


class IsAdministrator(IsSignedIn):
    """An enabled account that administers the workspace."""

    def has_permission(self, request: Request, view: "APIView") -> bool:
        return super().has_permission(request, view) and account_of(request).is_administrator


def csrf_failure(request: HttpRequest, reason: str = "") -> JsonResponse:
    """A form sent without the token of this session."""
    return JsonResponse({"error": {"code": "csrf", "message": "This page is out of date. Reload it and try again.", "problems": []}}, status=403)


def locked_out(request: HttpRequest, *_: object) -> JsonResponse:
    """Too many wrong passwords for one login from one address."""
    message = "Too many attempts. Wait a quarter of an hour, then try again."
    return JsonResponse({"error": {"code": "throttled", "message": message, "problems": []}}, status=429)


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
