"""What somebody keeps of their own account: told, and changed by themselves (accounts.md 8)."""

from django.http import HttpRequest

from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.holders import held_by
from moorland.core.insight.impacts import ViewerImpact
from moorland.core.people import Viewer
from moorland.server.access.models import AccessToken, OpenSession, SecondFactor
from moorland.server.access.rules import rules_of
from moorland.server.access.sessions import sessions_of
from moorland.server.access.shapes import OwnAccount, OwnAttribute, OwnChange, OwnRole, SessionEntry, TokenEntry
from moorland.server.access.tokens import TokenScope
from moorland.server.changes import expect_version, recorded
from moorland.server.directory.act_shapes import PeopleChange
from moorland.server.directory.acts import change_people
from moorland.server.directory.models import Account
from moorland.server.directory.secret_values import opened
from moorland.server.directory.service import still_evaluates, tried_by_oneself
from moorland.server.directory.session_store import hashed_key
from moorland.server.duties.rights import outside
from moorland.server.duties.views import account_rights
from moorland.server.errors import from_document
from moorland.server.evaluating import evaluator


def own_account(account: Account, request: HttpRequest) -> OwnAccount:
    """Everything somebody keeps of their own account, and what they hold."""
    base = evaluator("live")
    viewer = base.viewer(account.login)
    factor = SecondFactor.objects.filter(account=account, confirmed=True).first()
    return OwnAccount(
        login=account.login,
        name=account.name,
        email=account.email,
        organization=account.organization.label or account.organization.name if account.organization else None,
        version=account.version,
        attributes=_attributes(base, account),
        roles=_roles(base, viewer),
        rights=account_rights(account),
        sessions=[_session(item, request) for item in sessions_of(account)],
        tokens=[token_entry(item) for item in AccessToken.objects.filter(account=account).select_related("account")],
        second_factor=factor is not None,
        second_factor_rule=rules_of(account).second_factor,
        recovery_left=len(factor.recovery) if factor is not None else 0,
        keeps_password=account.keeps_password,
    )


def token_entry(token: AccessToken) -> TokenEntry:
    """A token as it is listed."""
    return TokenEntry(
        id=token.pk,
        login=token.account.login,
        name=token.name,
        scope=from_document(TokenScope, token.scope),
        created_at=token.created_at.isoformat(timespec="seconds"),
        expires_at=token.expires_at.isoformat(timespec="seconds") if token.expires_at else None,
        last_used_at=token.last_used_at.isoformat(timespec="seconds") if token.last_used_at else None,
    )


def changed_by_oneself(account: Account, asked: OwnChange, only_try: bool) -> list[ViewerImpact]:
    """Changes one's own name, mail and the attributes one may edit, told what it does before. Raises Failure."""
    expect_version(account, asked.version, "your account")
    definitions = evaluator("live").people.definitions
    for name in asked.attributes:
        definition = definitions.get(name)
        if definition is None or definition.editable_by != "person" or definition.shown_to != "everyone":
            raise outside(f"{definition.title if definition and definition.shown_to != 'nobody' else name} is not yours to change.")
    change = PeopleChange(logins=[account.login], versions={account.login: asked.version}, name=asked.name, email=asked.email, attributes=asked.attributes)
    found = tried_by_oneself(lambda: change_people(change, account), account)
    if not only_try:
        with recorded(account, "change own account", account.login, "people") as entry:
            change_people(change, account)
            still_evaluates()
            entry.details["changed"] = sorted({*asked.attributes, *(key for key in ("name", "email") if getattr(asked, key) is not None)})
    return found


def _attributes(base: Evaluator, account: Account) -> list[OwnAttribute]:
    hidden = opened(account.sealed)
    return [
        OwnAttribute(
            definition=definition.model_copy(update={"default": None}),
            value=account.attributes.get(definition.name),
            editable=definition.editable_by == "person",
        )
        for definition in base.bundle.attributes
        if definition.shown_to == "everyone" and definition.name not in hidden
    ]


def _roles(base: Evaluator, viewer: Viewer) -> list[OwnRole]:
    told = []
    for name, held in viewer.held.items():
        ends = [assignment.until if assignment is not None else None for assignment, _ in held.paths]
        until = None if None in ends else max(end for end in ends if end is not None)
        role = base.roles[name].role
        ways = [words for words, (assignment, _) in zip(held_by(base, viewer, name), held.paths, strict=True) if assignment is None or assignment.when is None]
        told.append(OwnRole(label=role.title, kind=role.kind, held_by=ways or ["by a condition"], until=until.isoformat() if until else None))
    return told


def _session(item: OpenSession, request: HttpRequest) -> SessionEntry:
    return SessionEntry(
        id=item.pk,
        began_at=item.began_at.isoformat(timespec="seconds"),
        seen_at=item.seen_at.isoformat(timespec="seconds"),
        address=item.address,
        agent=item.agent,
        own=item.key_hash == hashed_key(request.session.session_key or ""),
    )
