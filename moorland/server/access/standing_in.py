"""Standing in: an account asks as another, and gets exactly the other's answers (accounts.md 10). Both names stand in the trail."""

from rest_framework.request import Request

from moorland.server.access.tokens import UsedToken
from moorland.server.directory.models import Account
from moorland.server.duties.permission import request_rights
from moorland.server.duties.rights import outside, rights_of
from moorland.server.errors import missing
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.viewing.looks import record_look

HEADER = "HTTP_MOORLAND_AS"


def asking_login(request: Request) -> str:
    """Whose answers are asked for: one's own, or those of whom `Moorland-As` names.

    Raises Failure: 404 for somebody outside of the scope, as for nobody; 403 where the other's duties are wider.
    """
    account, wanted = account_of(request), str(request.META.get(HEADER, "")).strip()
    if not wanted:
        if isinstance(request.auth, UsedToken) and "read" not in request.auth.scope.acts:
            raise outside("This token does not ask for its owner: it needs the scope read.")
        return account.login
    base, rights = evaluator("live"), request_rights(request)
    if wanted not in base.people.users or not rights.reaches("stand-in", person=base.viewer(wanted)):
        raise missing("user", wanted)
    other = Account.objects.get(login=wanted)
    own = rights_of(account)
    if any(not own.covers(held.duty.acts, held.duty.scope, base.people) for held in rights_of(other).held):
        raise outside(f"{wanted} has wider duties than you; nobody stands in for more than they may do themselves.")
    record_look(account, [wanted], "stands in", "live")
    return wanted


def reaches(request: Request, model: str | None) -> bool:
    """Whether what a request came with reaches a model; a session reaches all of them."""
    return not isinstance(request.auth, UsedToken) or request.auth.reaches_model(model)


def refuse_model(request: Request, model: str | None) -> None:
    """Raises Failure (404) where a token does not reach a model: it does not exist for it."""
    if not reaches(request, model):
        raise missing("model", model or "")
