"""The one permission class: each address says what each of its methods needs; what says nothing is refused (accounts.md 4)."""

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from rest_framework.permissions import BasePermission
from rest_framework.request import Request

from moorland.core.bundle.duties import ActName
from moorland.server.directory.models import Account
from moorland.server.duties.rights import Rights, rights_of
from moorland.server.requests import account_of

if TYPE_CHECKING:
    from rest_framework.views import APIView


@dataclass(frozen=True)
class Need:
    """What a method needs: any one of some acts, in some scope or over everything. Without acts `who` says who may call it."""

    acts: tuple[ActName, ...] = ()
    whole: bool = False
    who: str = "duty"

    def met_by(self, rights: Rights) -> bool:
        """Whether an account with these rights may call it; within what is then looked at by what carries it out."""
        if self.who == "duty" and not self.acts:
            return bool(rights.held)
        return self.who == "signed in" or any(rights.whole(act) if self.whole else act in rights.acts for act in self.acts)


#: Anybody, signed in or not.
ANYBODY = Need(who="anybody")
#: Anybody signed in, for what is their own.
SIGNED_IN = Need(who="signed in")
#: Whoever has any duty: what is told tells nothing of people or data.
ANY_DUTY = Need()


def within(*acts: ActName) -> Need:
    """One of the acts, in some scope: what carries it out looks at the scope."""
    return Need(acts)


def over_everything(*acts: ActName) -> Need:
    """One of the acts, over everything."""
    return Need(acts, whole=True)


class HasDuty(BasePermission):
    """Reads what an address needs; an address or method that says nothing is refused."""

    def has_permission(self, request: Request, view: "APIView") -> bool:
        needs: dict[str, Need] = getattr(view, "needs", {})
        need = needs.get("GET" if request.method == "HEAD" else str(request.method))
        if need is None:
            return False
        if need.who == "anybody":
            return True
        account: Any = request.user
        if not isinstance(account, Account) or not account.is_authenticated or not account.enabled:
            return False
        return need.met_by(request_rights(request))


def request_rights(request: Request) -> Rights:
    """The rights of whoever asks, read once for a request."""
    known: Rights | None = getattr(request, "_rights", None)
    if known is None:
        known = rights_of(account_of(request))
        request._rights = known  # type: ignore[attr-defined]
    return known


class IsKeeper(BasePermission):
    """Whoever may do everything: the description of all addresses."""

    def has_permission(self, request: Request, view: "APIView") -> bool:
        account: Any = request.user
        return isinstance(account, Account) and account.enabled and request_rights(request).keeps_all
