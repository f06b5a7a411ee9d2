"""Looks that were kept so that a colleague can open them by an address, and named sets of pinned viewers."""

from django.conf import settings
from django.db import models


class KeptLook(models.Model):
    """What was on a screen, under an opaque key: the key tells nothing, and whoever opens it is answered with their own rights."""

    key = models.CharField(max_length=32, unique=True)
    document = models.JSONField()
    made_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-made_at"]


class PinnedSet(models.Model):
    """Viewers an account pins together, under a name of its own."""

    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=100)
    pins = models.JSONField()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["account", "name"], name="one_set_of_a_name")]


class RoleUse(models.Model):
    """The last day on which an answer to somebody themselves had a row that a role opened, or a page it opened (accounts.md 15)."""

    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    role = models.CharField(max_length=200)
    last_day = models.DateField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["account", "role"], name="one_last_day_of_a_role")]
