"""Trail entries, each sealed by a hash over its content and the entry before it."""

import hashlib
from typing import Any

from django.db import models, transaction
from django.utils import timezone

from moorland.core.bundle.writing import canonical_json


class Entry(models.Model):
    """One act or look. `details` never holds a secret or a cell of data."""

    at = models.DateTimeField(db_index=True)
    actor = models.CharField(max_length=200, db_index=True)
    action = models.CharField(max_length=40, db_index=True)
    subject = models.CharField(max_length=400)
    details = models.JSONField(default=dict)
    seal = models.CharField(max_length=64)

    class Meta:
        ordering = ["-id"]

    def content(self) -> dict[str, Any]:
        """What the seal covers."""
        return {"at": self.at.isoformat(), "actor": self.actor, "action": self.action, "subject": self.subject, "details": self.details}


def record(actor: str, action: str, subject: str, **details: Any) -> Entry:
    """Adds an entry to the trail, sealed to the one before."""
    with transaction.atomic():
        last = Entry.objects.order_by("-id").first()
        entry = Entry(at=timezone.now(), actor=actor, action=action, subject=subject, details=details)
        entry.seal = _seal(last.seal if last else "", entry)
        entry.save()
    return entry


def first_broken() -> Entry | None:
    """The first entry whose seal does not fit, if the trail was tampered with."""
    before = ""
    for entry in Entry.objects.order_by("id").iterator():
        if entry.seal != _seal(before, entry):
            return entry
        before = entry.seal
    return None


def _seal(before: str, entry: Entry) -> str:
    return hashlib.sha256((before + canonical_json(entry.content())).encode()).hexdigest()
