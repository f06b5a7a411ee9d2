"""Door keys: what SQL clients come in with. Only a verifier is kept."""

from django.db import models
from django.utils import timezone

from moorland.server.directory.models import Account


class DoorKey(models.Model):
    """A door key of an account: what proves it (RFC 5802), never the key."""

    account = models.ForeignKey(Account, on_delete=models.CASCADE, related_name="door_keys")
    name = models.CharField(max_length=60)
    salt = models.BinaryField(max_length=16)
    stored = models.BinaryField(max_length=32)
    server = models.BinaryField(max_length=32)
    rounds = models.PositiveIntegerField()
    created_at = models.DateTimeField(default=timezone.now)
    expires_at = models.DateTimeField(null=True)
    last_used_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["created_at", "pk"]
        constraints = [models.UniqueConstraint(fields=["account", "name"], name="door_key_named_once")]
