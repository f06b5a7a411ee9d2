"""The one permission class: each address says what each of its methods needs; what says nothing is refused (accounts.md 4)."""

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol, runtime_checkable

from rest_framework.exceptions import NotAuthenticated
from rest_framework.permissions import BasePermission
from rest_framework.request import Request

from moorland.core.bundle.duties import ActName
from moorland.server.access.sessions import in_use
from moorland.server.directory.models import Account
from moorland.server.duties.rights import Rights, rights_of
from moorland.server.errors import Failure
from moorland.server.requests import account_of

if TYPE_CHECKING:
    from rest_framework.views import APIView


@runtime_checkable
class Narrowing(Protocol):
    """What a request came with in place of a session: it may do less than the account."""

    def narrowed(self, rights: Rights) -> Rights:
        """The rights of the account, as far as it reaches."""


@runtime_checkable
class VouchedFor(Protocol):
    """What a frame came with: somebody an issuer vouches for, who has no account."""

    @property
    def issuer_name(self) -> str:
        """Who vouches for them."""


@runtime_checkable
class Provisions(Protocol):
    """What a client came with that provisions people of an origin: nobody with an account."""

    @property
    def provisions(self) -> str:
        """The origin."""


@dataclass(frozen=True)
class Need:
    """What a method needs: any one of some acts, in some scope or over everything. Without acts `who` says who may call it."""

    acts: tuple[ActName, ...] = ()
    whole: bool = False
    who: str = "duty"
    at_a_screen: bool = False

    def met_by(self, rights: Rights) -> bool:
        """Whether an account with these rights may call it; within what is then looked at by what carries it out."""
        if self.who == "duty" and not self.acts:
            return bool(rights.held)
        if self.who == "keeper":
            return rights.keeps_all
        return self.who in ("signed in", "session") or any(rights.whole(act) if self.whole else act in rights.acts for act in self.acts)


#: Anybody, signed in or not.
ANYBODY = Need(who="anybody")
#: Anybody signed in at a screen, for their own account: no token does this.
OWN_SESSION = Need(who="session")
#: Anybody signed in, for what is their own.
SIGNED_IN = Need(who="signed in")
#: Whoever an issuer vouches for, in a frame; nobody with an account.
OUTSIDE = Need(who="outside")
#: Whoever has a token of an origin, to provision its people; nobody with an account.
PROVISIONING = Need(who="provisions")
#: Whoever may do everything, at a screen.
KEEPER = Need(who="keeper", at_a_screen=True)
#: Whoever has any duty: what is told tells nothing of people or data.
ANY_DUTY = Need()


def within(*acts: ActName) -> Need:
    """One of the acts, in some scope: what carries it out looks at the scope."""
    return Need(acts)


def at_a_screen(*acts: ActName) -> Need:
    """The same for what is kept for a screen: no token does this."""
    return Need(acts, at_a_screen=True)


def over_everything(*acts: ActName) -> Need:
    """One of the acts, over everything."""
    return Need(acts, whole=True)


#: Whoever has to do with models, roles or pages: these are told as far as the account may know them.
READERS = within("roles", "map", "look-shapes", "release", "checks", "pages", "models")
#: Whoever has to do with people.
LOOKERS = within("look-shapes", "people", "map")


class HasDuty(BasePermission):
    """Reads what an address needs; an address or method that says nothing is refused."""

    def has_permission(self, request: Request, view: "APIView") -> bool:
        needs: dict[str, Need] = getattr(view, "needs", {})
        need = needs.get("GET" if request.method == "HEAD" else str(request.method))
        if need is None:
            return False
        if need.who == "anybody":
            return True
        if need.who == "outside":
            return isinstance(request.auth, VouchedFor)
        if need.who == "provisions":
            return isinstance(request.auth, Provisions)
        account: Any = request.user
        if not isinstance(account, Account) or not account.is_authenticated or not account.good_today():
            return False
        if request.auth is not None and (need.who == "session" or need.at_a_screen):
            return False
        if request.auth is None:
            if not in_use(request._request):
                raise NotAuthenticated
            _refuse_limited(request, view)
        if request.META.get("HTTP_MOORLAND_AS") and not getattr(view, "stands_in", False):
            return False
        return need.met_by(request_rights(request))


def _refuse_limited(request: Request, view: "APIView") -> None:
    """Raises Failure (403) where something has to be done first in this session: a new password, or a second factor."""
    limited = request._request.session.get("limited")
    if limited is not None and not getattr(view, "while_limited", False):
        message = "Set a new password first." if limited == "password" else "Set your second factor up first."
        raise Failure(403, f"first_{limited}", message)


def request_rights(request: Request) -> Rights:
    """The rights of whoever asks, read once for a request."""
    known: Rights | None = getattr(request, "_rights", None)
    if known is None:
        known = rights_of(account_of(request))
        if isinstance(request.auth, Narrowing):
            known = request.auth.narrowed(known)
        request._rights = known  # type: ignore[attr-defined]
    return known


class IsKeeper(BasePermission):
    """Whoever may do everything: the description of all addresses."""

    def has_permission(self, request: Request, view: "APIView") -> bool:
        account: Any = request.user
        return isinstance(account, Account) and account.enabled and request_rights(request).keeps_all
