"""Making a release: the draft's policy becomes an immutable document that viewers get at once."""

from django.db import transaction

from moorland.core.bundle.writing import content_hash
from moorland.core.insight.differences import ItemChange, differences
from moorland.server.directory.models import Account
from moorland.server.errors import Failure
from moorland.server.policies.models import Role
from moorland.server.releases.models import Release
from moorland.server.state import draft_policy, evaluator, live_release, policy_changed
from moorland.server.trail.models import record


def pending_changes() -> list[ItemChange]:
    """What the draft changes against the live release."""
    release = live_release()
    return differences(release.document if release else {}, draft_policy()[0])


def draft_hash() -> str:
    """The content hash of the draft's policy: what a reviewer has looked at."""
    return content_hash(draft_policy()[0])


@transaction.atomic
def publish(account: Account | None, note: str, reviewed_hash: str | None = None) -> Release:
    """Makes the draft live.

    Raises Failure: nothing to release, the draft changed since it was reviewed, or it cannot be evaluated.
    """
    document, role_ids = draft_policy()
    found = content_hash(document)
    live = live_release()
    if reviewed_hash is not None and reviewed_hash != found:
        raise Failure(409, "stale", "The draft changed while you were reviewing it. Look at the changes again, then release.")
    if live is not None and live.content_hash == found:
        raise Failure(409, "nothing_to_release", "The draft is the same as the live release; there is nothing to release.")
    evaluator("draft")
    changes = pending_changes()
    number = live.number + 1 if live else 1
    release = Release.objects.create(number=number, document=document, role_ids=role_ids, content_hash=found, note=note, created_by=account)
    Role.objects.filter(deleted=True).delete()
    policy_changed()
    record(
        account.login if account else "moorland",
        "release",
        f"release {number}",
        hash=found,
        changes=[f"{change.change} {change.kind} {change.name}" for change in changes],
    )
    return release
