"""Issuers that may vouch for outside viewers, and the tokens of theirs that were used."""

from django.db import models
from django.utils import timezone

from moorland.server.documents import Versioned


class Issuer(Versioned):
    """An application that vouches for people: what its tokens are signed with, and what they may say."""

    name = models.CharField(max_length=60, unique=True)
    #: The document of moorland.server.outside.shapes.IssuerText, without the secret of HMAC.
    document = models.JSONField()
    #: The secret of HMAC, sealed; empty for keys that are public.
    sealed = models.TextField(blank=True)
    enabled = models.BooleanField(default=True)
    last_used_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name"]


class UsedToken(models.Model):
    """A token that was exchanged: none is taken twice. Kept until it would be over anyhow."""

    issuer = models.ForeignKey(Issuer, on_delete=models.CASCADE, related_name="used")
    token = models.CharField(max_length=64)
    until = models.DateTimeField(default=timezone.now, db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["issuer", "token"], name="token_used_once")]
