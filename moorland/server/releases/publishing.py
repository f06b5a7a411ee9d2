"""Making a release: the draft's policy becomes an immutable document that viewers get at once."""

from collections.abc import Callable

from moorland.core.bundle.writing import content_hash
from moorland.core.insight.differences import ItemChange, differences
from moorland.server.changes import recorded
from moorland.server.directory.models import Account
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator
from moorland.server.policies.models import Role
from moorland.server.releases.bundles import draft_policy, live_release
from moorland.server.releases.models import Release


def pending_changes() -> list[ItemChange]:
    """What the draft changes against the live release."""
    release = live_release()
    return differences(release.document if release else {}, draft_policy()[0])


def draft_hash() -> str:
    """The content hash of the draft's policy: what a reviewer has looked at."""
    return content_hash(draft_policy()[0])


def publish(account: Account | None, note: str, reviewed_hash: str | None = None, broken: Callable[[], list[str]] = list, override: str = "") -> Release:
    """Makes the draft live.

    `broken` tells the promises that stand against it; a reason overrides them. Raises Failure: nothing to release, the draft changed since it
    was reviewed, it cannot be evaluated, or a promise is broken.
    """
    with recorded(account or "moorland", "release", "release", "policy") as change:
        document, role_ids = draft_policy()
        found = content_hash(document)
        live = live_release()
        if reviewed_hash is not None and reviewed_hash != found:
            raise Failure(409, "stale", "The draft changed while you were reviewing it. Look at the changes again, then release.")
        if live is not None and live.content_hash == found:
            raise Failure(409, "nothing_to_release", "The draft is the same as the live release; there is nothing to release.")
        evaluator("draft")
        stopped = broken()
        if stopped and not override.strip():
            many = f"{stopped[0]} is" if len(stopped) == 1 else f"{len(stopped)} promises are"
            raise Failure(409, "promises_broken", f"{many} not kept by the draft. Mend it, or say why it is released all the same.")
        number = live.number + 1 if live else 1
        change.subject = f"release {number}"
        change.details = {"hash": found, "changes": [f"{item.change} {item.kind} {item.name}" for item in pending_changes()]}
        if stopped:
            change.details |= {"broken promises": stopped, "released all the same because": override.strip()}
        release = Release.objects.create(number=number, document=document, role_ids=role_ids, content_hash=found, note=note, created_by=account)
        Role.objects.filter(deleted=True).delete()
    return release
