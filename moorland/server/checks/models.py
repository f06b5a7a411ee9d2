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


class AcceptedFinding(models.Model):
    """A finding somebody has looked at and lets stand, with the reason and the day on which it comes back."""

    key = models.CharField(max_length=40, unique=True)
    kind = models.CharField(max_length=60)
    label = models.CharField(max_length=400)
    reason = models.CharField(max_length=2000)
    until = models.DateField()
    accepted_by = models.CharField(max_length=200)
    accepted_at = models.DateTimeField(default=timezone.now)


class SeenFindings(models.Model):
    """The keys of the findings an account has seen when it last said so."""

    login = models.CharField(max_length=200, unique=True)
    keys = models.JSONField(default=list)
