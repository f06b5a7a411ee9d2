"""Making a release: the draft's policy, or chosen changes of it, become an immutable document that viewers get at once."""

from collections.abc import Callable

from moorland.core.insight.differences import ItemChange
from moorland.server.changes import recorded
from moorland.server.directory.models import Account
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator
from moorland.server.policies.models import Role
from moorland.server.releases.bundles import live_release
from moorland.server.releases.choosing import Content, content_of, evaluator_of_content
from moorland.server.releases.models import AskedRelease, Release


def pending_changes() -> list[ItemChange]:
    """What the draft changes against the live release."""
    return content_of(None).changes


def publish(
    account: Account | None,
    note: str,
    content: Content | None = None,
    reviewed_hash: str | None = None,
    broken: Callable[[], list[str]] = list,
    override: str = "",
    asked: AskedRelease | None = None,
) -> Release:
    """Makes the draft, or a content made of chosen changes of it, live; `asked` is what another person asked for, approved herewith.

    `broken` tells the promises that stand against it; a reason overrides them. Raises Failure: nothing to release, the content changed since it
    was reviewed, it cannot be evaluated, or a promise is broken.
    """
    with recorded(account or "moorland", "release", "release", "policy") as change:
        made = content if content is not None else content_of(None)
        live = live_release()
        if reviewed_hash is not None and reviewed_hash != made.hash:
            raise Failure(409, "stale", "The draft changed while you were reviewing it. Look at the changes again, then release.")
        if live is not None and live.content_hash == made.hash:
            raise Failure(409, "nothing_to_release", "The draft is the same as the live release; there is nothing to release.")
        if live is None:
            evaluator("draft")
        else:
            evaluator_of_content(made)
        stopped = broken()
        if stopped and not override.strip():
            many = f"{stopped[0]} is" if len(stopped) == 1 else f"{len(stopped)} promises are"
            raise Failure(409, "promises_broken", f"{many} not kept by the draft. Mend it, or say why it is released all the same.")
        number = live.number + 1 if live else 1
        change.subject = f"release {number}"
        change.details = {"hash": made.hash, "changes": [f"{item.change} {item.kind} {item.name}" for item in made.changes]}
        if stopped:
            change.details |= {"broken promises": stopped, "released all the same because": override.strip()}
        if asked is not None:
            change.details["asked for by"] = asked.asked_by
        release = Release.objects.create(
            number=number,
            document=made.document,
            role_ids=made.role_ids,
            content_hash=made.hash,
            note=note,
            created_by=account,
            asked_by=asked.asked_by if asked is not None else "",
        )
        Role.objects.filter(deleted=True).exclude(pk__in=made.role_ids.values()).delete()
        AskedRelease.objects.all().delete()
    return release
