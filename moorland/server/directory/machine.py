"""What the keeper of the machine does for an account without signing in; both acts are in the trail."""

from datetime import timedelta

from moorland.server.changes import recorded
from moorland.server.directory.act_shapes import InvitationAnswer
from moorland.server.directory.acts import refuse_taken
from moorland.server.directory.invitations import invite
from moorland.server.directory.models import Account, Organization
from moorland.server.duties.giving import give_set
from moorland.server.duties.rights import rights_of
from moorland.server.errors import missing

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
