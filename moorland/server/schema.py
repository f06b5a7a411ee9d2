"""What drf-spectacular cannot see by itself: how sessions are described in the OpenAPI schema."""

from typing import Any

from drf_spectacular.extensions import OpenApiAuthenticationExtension


class SessionScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """The session cookie."""

    target_class = "moorland.server.protection.SessionSignIn"
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        """An API key in a cookie, in OpenAPI's words."""
        return {"type": "apiKey", "in": "cookie", "name": "moorland_session"}


class TokenScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """A token of an account, sent as a bearer."""

    target_class = "moorland.server.access.tokens.TokenSignIn"
    name = "token"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        """A bearer token, in OpenAPI's words."""
        return {"type": "http", "scheme": "bearer"}


class TicketScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """A frame ticket, in a header."""

    target_class = "moorland.server.outside.tickets.TicketSignIn"
    name = "ticket"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        """An API key in a header, in OpenAPI's words."""
        return {"type": "apiKey", "in": "header", "name": "Moorland-Ticket"}
