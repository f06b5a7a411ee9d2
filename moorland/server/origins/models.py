"""Where accounts come from beside here: directories and providers, what they said of each person and group, and what came of each run."""

from django.db import models
from django.utils import timezone

from moorland.server.directory.models import Account
from moorland.server.documents import Versioned


class Origin(Versioned):
    """A directory or provider that says who is who. `document` is a moorland.server.origins.shapes.OriginText; `sealed` its secret.

    `running_since` is set while a run is under way. `trouble` is what it failed with last. Until `released_until`, what comes one by one is let
    through although it is beyond the bounds. `accepted` is the fingerprint of a held run that somebody let through.
    """

    name = models.CharField(max_length=200, unique=True)
    kind = models.CharField(max_length=10)
    document = models.JSONField()
    sealed = models.TextField(blank=True)
    enabled = models.BooleanField(default=True)
    keeper = models.ForeignKey(Account, null=True, on_delete=models.SET_NULL, related_name="+")
    next_at = models.DateTimeField(null=True, db_index=True)
    running_since = models.DateTimeField(null=True)
    trouble = models.CharField(max_length=600, blank=True)
    troubled_at = models.DateTimeField(null=True)
    released_until = models.DateTimeField(null=True)
    accepted = models.CharField(max_length=64, blank=True)

    class Meta:
        ordering = ["name"]


class Entry(models.Model):
    """What an origin says of one person or group, by its own key. A person's entry and account belong together; an account has one origin at most.

    `gone` says that the origin has it no more. `says_enabled` is what it said last: only a change of it enables or disables an account.
    `version` grows with every change (RFC 7644's ETag).
    """

    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, related_name="entries")
    kind = models.CharField(max_length=6)
    key = models.CharField(max_length=400)
    where = models.CharField(max_length=1000, blank=True)
    account = models.OneToOneField(Account, null=True, on_delete=models.SET_NULL, related_name="entry")
    document = models.JSONField(default=dict)
    gone = models.BooleanField(default=False)
    says_enabled = models.BooleanField(default=True)
    version = models.PositiveIntegerField(default=1)
    created_at = models.DateTimeField(default=timezone.now)
    changed_at = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["origin", "kind", "key"], name="one_entry_a_key")]


class Joined(models.Model):
    """A keeper's word that an entry is the person of an account that is here already; taken once, by the next run."""

    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, related_name="joined")
    key = models.CharField(max_length=400)
    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["origin", "key"], name="one_account_a_joined_key")]


class OriginRun(models.Model):
    """What came of a run, or of a change that came by itself: applied, the same as before, held, or failed. `report` is what it did, by person."""

    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, related_name="runs")
    began_at = models.DateTimeField(default=timezone.now)
    ended_at = models.DateTimeField(null=True)
    state = models.CharField(max_length=10, default="running")
    message = models.CharField(max_length=1000, blank=True)
    counts = models.JSONField(default=dict)
    report = models.JSONField(default=list)
    fingerprint = models.CharField(max_length=64, blank=True)
    #: How many people gained and lost by it: what comes one by one is counted over an hour.
    gained = models.PositiveIntegerField(default=0)
    lost = models.PositiveIntegerField(default=0)
    gone = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["-began_at", "-pk"]


class OriginToken(models.Model):
    """A token by which a client provisions people of one origin; only its hash is kept."""

    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=200)
    token_hash = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(default=timezone.now)
    used_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["made_at"]
