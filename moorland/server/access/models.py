"""What accounts come in by. Of tokens, codes and session keys only hashes are kept."""

from django.db import models
from django.utils import timezone

from moorland.server.directory.models import Account


class AccessToken(models.Model):
    """A token of an account for programs: what it may do is `scope`, and never more than the account may."""

    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=100)
    token_hash = models.CharField(max_length=64, unique=True)
    scope = models.JSONField()
    created_at = models.DateTimeField(default=timezone.now)
    expires_at = models.DateTimeField(null=True)
    last_used_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at"]
        constraints = [models.UniqueConstraint(fields=["account", "name"], name="token_named_once")]


class OpenSession(models.Model):
    """A session that was begun: when, from where, and when it was last used. `key_hash` is what the session is stored under."""

    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="sessions")
    key_hash = models.CharField(max_length=40, unique=True)
    began_at = models.DateTimeField(default=timezone.now)
    seen_at = models.DateTimeField(default=timezone.now)
    address = models.CharField(max_length=60, blank=True)
    agent = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-seen_at"]


class SecondFactor(models.Model):
    """The second factor of an account: its secret, sealed; the last step a code was taken for; hashes of recovery codes."""

    account = models.OneToOneField(Account, on_delete=models.CASCADE, related_name="second_factor")
    sealed = models.TextField()
    confirmed = models.BooleanField(default=False)
    last_step = models.BigIntegerField(default=0)
    recovery = models.JSONField(default=list)


class EarlierPassword(models.Model):
    """A password that was used before, as its hash, so that it is not used again."""

    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="earlier_passwords")
    password = models.CharField(max_length=128)
    until = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-until"]


class StoredRules(models.Model):
    """The sign-in rules of the workspace, as the document of moorland.server.access.rules; one row."""

    document = models.JSONField(default=dict)
    version = models.PositiveIntegerField(default=1)
