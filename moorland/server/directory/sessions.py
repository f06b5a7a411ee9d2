"""What somebody is told of their session."""

from django.conf import settings
from django.http import HttpRequest

from moorland.core.bundle.duties import ACTS
from moorland.server.directory.demo import DEMO_PASSWORD, demo_sign_ins
from moorland.server.directory.models import Account
from moorland.server.directory.shapes import Provider, SessionAnswer, SignedIn
from moorland.server.duties.rights import rights_of
from moorland.server.origins.models import Origin
from moorland.server.releases.models import Workspace


def session_answer(account: Account | None, request: HttpRequest | None = None) -> SessionAnswer:
    """Who is signed in, if anybody, and what the sign-in screen has to know."""
    space = Workspace.objects.first()
    return SessionAnswer(
        manual=settings.MANUAL_ROOT is not None,
        workspace=space.name if space else "Moorland",
        ready=space is not None,
        account=_signed_in(account) if account else None,
        demo=demo_sign_ins() if settings.DEMO else [],
        demo_password=DEMO_PASSWORD if settings.DEMO else None,
        mail=bool(settings.MAIL_IS_SET_UP),
        providers=providers() if account is None else [],
        refused=request.session.pop("sign-in refused", None) if request is not None and account is None else None,
        first=request.session.get("limited") if request is not None and account is not None else None,
    )


def providers() -> list[Provider]:
    """The providers that people may sign in by."""
    found = Origin.objects.filter(kind="oidc", enabled=True).values_list("name", "document")
    return [Provider(name=name, label=document.get("label") or name) for name, document in found]


def _signed_in(account: Account) -> SignedIn:
    rights = rights_of(account)
    everywhere = [act for act in ACTS if rights.whole(act)]
    return SignedIn(login=account.login, name=account.name, acts=[act for act in ACTS if act in rights.acts], everywhere=everywhere)
