"""What the keeper of the machine does for an account without signing in; every act is in the trail."""

from datetime import timedelta

from moorland.core.bundle.duties import SETS
from moorland.server.changes import recorded
from moorland.server.directory.act_shapes import InvitationAnswer
from moorland.server.directory.acts import refuse_taken
from moorland.server.directory.invitations import invite
from moorland.server.directory.models import Account, Organization
from moorland.server.duties.giving import give_set
from moorland.server.duties.models import GivenDuty
from moorland.server.duties.rights import duty_of, rights_of
from moorland.server.errors import Failure, missing

#: A link printed on a terminal is followed at once.
VALID_FOR = timedelta(hours=1)


def linked(login: str, by: str) -> InvitationAnswer:
    """A one-time link for an account. Raises Failure where it is not there or cannot sign in."""
    account = Account.objects.by_identity(login)
    if account is None:
        raise missing("account", login)
    with recorded(by, "invite", account.login):
        return invite(account, VALID_FOR)


def appointed(login: str, by: str) -> str:
    """Lets an account keep the workspace, made where it is missing and enabled where it is not; what was done, in a sentence."""
    account = Account.objects.by_identity(login)
    with recorded(by, "appoint", login.strip(), "people") as change:
        if account is None:
            refuse_taken(login.strip(), None)
            root = Organization.objects.filter(parent=None).first()
            account = Account.objects.create_account(login.strip(), login.strip(), None, organization=root)
            give_set(account, "keeper", by)
            change.details["made"] = True
            return f"The account {account.login} is made, and keeps the workspace. Give it a password with --link."
        account.enabled, account.kind = True, "person"
        account.moved()
        if not rights_of(account).keeps_all:
            give_set(account, "keeper", by)
    return f"{account.login} keeps the workspace."


def listed() -> list[str]:
    """Every duty in a line: who, which acts, within what, until when."""
    lines = []
    for given_duty in GivenDuty.objects.select_related("account", "group"):
        duty = duty_of(given_duty)
        until = f", until {duty.until}" if duty.until is not None else ""
        within = "everything" if duty.within == "everything" else duty.within.model_dump_json(exclude_none=True)
        lines.append(f"{duty.user or f'group {duty.group}'}: {', '.join(duty.acts)}; within {within}{until}")
    return lines


def given(login: str, ready: str, by: str) -> str:
    """Gives a ready-made set over everything; what was done, in a sentence. Raises Failure."""
    account = Account.objects.by_identity(login)
    if account is None:
        raise missing("account", login)
    named = next((item for item in SETS if item.name == ready), None)
    if named is None:
        raise Failure(422, "invalid", f"There is no set {ready}. There are {', '.join(item.name for item in SETS)}.")
    with recorded(by, "give duty", account.login, "people") as change:
        change.details["set"] = named.name
        give_set(account, named.name, by)
    return f"{account.login} has the duties of {named.label} over everything."


def taken(login: str, by: str) -> str:
    """Takes every duty that was given to an account itself. Raises Failure where nobody would be left to keep the workspace."""
    account = Account.objects.by_identity(login)
    if account is None:
        raise missing("account", login)
    with recorded(by, "take duty", account.login, "people") as change:
        change.details["taken"] = GivenDuty.objects.filter(account=account).delete()[0]
    return f"{account.login} has no duty of their own any more."
