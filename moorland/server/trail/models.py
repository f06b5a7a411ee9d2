"""Trail entries, each sealed with a key over its number, its content and the entry before it; the head says how many there are."""

import hashlib
import hmac
import os
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models, transaction
from django.utils import timezone

from moorland.core.bundle.writing import canonical_json


class Entry(models.Model):
    """One act or look. `details` never holds a secret or a cell of data; `number` counts from 1 without a gap."""

    number = models.PositiveBigIntegerField(unique=True)
    at = models.DateTimeField(db_index=True)
    actor = models.CharField(max_length=200, db_index=True)
    action = models.CharField(max_length=40, db_index=True)
    subject = models.CharField(max_length=400)
    details = models.JSONField(default=dict)
    seal = models.CharField(max_length=64)

    class Meta:
        ordering = ["-number"]

    def content(self) -> dict[str, Any]:
        """What the seal covers."""
        return {"at": self.at.isoformat(), "actor": self.actor, "action": self.action, "subject": self.subject, "details": self.details}


class Summary(models.Model):
    """What stands for entries that were removed after their time: how many of what, up to which number, sealed like an entry.

    `last_seal` is the seal of the last of them: the entries that are left follow on it.
    """

    number = models.PositiveBigIntegerField(unique=True)
    last_seal = models.CharField(max_length=64)
    first_at = models.DateTimeField()
    last_at = models.DateTimeField()
    counts = models.JSONField()
    seal = models.CharField(max_length=64)

    class Meta:
        ordering = ["-number"]

    def content(self) -> dict[str, Any]:
        """What the seal covers."""
        return {"last_seal": self.last_seal, "first_at": self.first_at.isoformat(), "last_at": self.last_at.isoformat(), "counts": self.counts}


def record(actor: str, action: str, subject: str, **details: Any) -> Entry:
    """Adds an entry to the trail, sealed to the one before."""
    with transaction.atomic():
        last = Entry.objects.order_by("-number").only("number", "seal").first()
        before, seal = (last.number, last.seal) if last else removed_up_to()
        entry = Entry(number=before + 1, at=timezone.now(), actor=actor[:200], action=action, subject=subject[:400], details=details)
        entry.seal = sealed(seal, entry.number, entry.content())
        entry.save()
        transaction.on_commit(lambda: _keep_head(entry))
    return entry


def removed_up_to() -> tuple[int, str]:
    """The number and seal of the last entry that was removed after its time; 0 where none was."""
    last = Summary.objects.first()
    return (last.number, last.last_seal) if last else (0, "")


def sealed(before: str, number: int, content: dict[str, Any]) -> str:
    """The seal of an entry: only who has the key can make it."""
    message = f"{before}|{number}|{canonical_json(content)}"
    return hmac.new(settings.TRAIL_KEY.encode(), message.encode(), hashlib.sha256).hexdigest()


def head_file() -> Path:
    """Where the number and seal of the newest entry are kept beside the database: entries cut off at the end are missed by it."""
    return Path(settings.DATA) / "trail.head"


def _keep_head(entry: Entry) -> None:
    path = head_file()
    beside = path.with_name(f"trail.head.{os.getpid()}.{entry.number}")
    with os.fdopen(os.open(beside, os.O_CREAT | os.O_TRUNC | os.O_WRONLY, 0o600), "w") as opened:
        opened.write(f"{entry.number} {entry.seal}")
    # Two that commit at once may come here in either order: the newer stays.
    number, _ = kept_head()
    if number <= entry.number:
        beside.replace(path)
    else:
        beside.unlink()


def kept_head() -> tuple[int, str]:
    """The number and seal of the newest entry, as kept beside the database; 0 where nothing was kept yet."""
    try:
        number, seal = head_file().read_text("ascii").split()
        return int(number), seal
    except (OSError, ValueError):
        return 0, ""
