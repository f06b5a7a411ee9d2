"""Duties given without anybody asking: a first keeper, and what a bundle says."""

from moorland.core.bundle.duties import SETS, Duty
from moorland.core.bundle.writing import to_plain
from moorland.server.directory.models import Account, Group
from moorland.server.duties.models import GivenDuty


def give(duty: Duty, by: str) -> GivenDuty:
    """Stores a duty; whoever calls has judged it."""
    document = to_plain(duty)
    return GivenDuty.objects.create(
        account=Account.objects.get(login=duty.user) if duty.user is not None else None,
        group=Group.objects.get(name=duty.group) if duty.group is not None else None,
        acts=document["acts"],
        within=document["within"],
        first_day=duty.from_,
        last_day=duty.until,
        reason=duty.reason or "",
        given_by=by,
    )


def give_set(account: Account, name: str, by: str) -> GivenDuty:
    """Gives a ready-made set over everything to an account."""
    ready = next(item for item in SETS if item.name == name)
    return give(Duty(user=account.login, acts=list(ready.acts), within="everything"), by)
