"""Frame tickets: what a token is exchanged for. They come in a header, never a cookie, and end when the token would (channels.md 15.2)."""

from dataclasses import dataclass

from django.core import signing
from django.utils import timezone
from pydantic import ValidationError
from rest_framework.authentication import BaseAuthentication
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from moorland.core.bundle.shape import Name, Shape
from moorland.server.outside.claims import Claims, Vouched, text_of
from moorland.server.outside.models import Issuer
from moorland.server.outside.shapes import IssuerText

HEADER = "HTTP_MOORLAND_TICKET"
_SALT = "moorland outside viewers"


class _Written(Shape):
    issuer: str
    version: int
    page: Name
    claims: Claims
    until: int


@dataclass(frozen=True)
class Ticket:
    """Somebody vouched for, before one page."""

    text: IssuerText
    claims: Claims
    page: str

    @property
    def issuer_name(self) -> str:
        """Who vouches for them."""
        return self.text.name


def ticket_for(vouched: Vouched, page: str) -> str:
    """A ticket for one page, as good as the token was."""
    written = _Written(issuer=vouched.issuer.name, version=vouched.issuer.version, page=page, claims=vouched.claims, until=vouched.until)
    return signing.dumps(written.model_dump(mode="json"), salt=_SALT, compress=True)


class TicketSignIn(BaseAuthentication):
    """`Moorland-Ticket`: no account, no session; a ticket ends with its token, and when its issuer is changed."""

    def authenticate(self, request: Request) -> tuple[None, Ticket]:
        try:
            written = _Written.model_validate(signing.loads(str(request.META.get(HEADER, "")), salt=_SALT))
        except (signing.BadSignature, ValidationError):
            raise AuthenticationFailed from None
        issuer = Issuer.objects.filter(name=written.issuer, version=written.version, enabled=True).first()
        if issuer is None or written.until <= timezone.now().timestamp():
            raise AuthenticationFailed
        return None, Ticket(text_of(issuer), written.claims, written.page)

    def authenticate_header(self, request: Request) -> str:
        return "Ticket"
