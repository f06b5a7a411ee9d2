"""Promises of the draft, and since when each is kept or broken."""

from django.db import models
from django.utils import timezone

from moorland.server.documents import VersionedDocument


class Promise(VersionedDocument):
    """A promise's validated document."""


class PromiseState(models.Model):
    """Whether a promise was kept when it was last run for the draft or what is live, and since when it is so."""

    name = models.CharField(max_length=200)
    state = models.CharField(max_length=10)
    kept = models.BooleanField()
    since = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["name", "state"], name="promise_state_once")]
