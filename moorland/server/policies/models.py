"""Roles of the draft, and assignments, which act at once."""

from django.conf import settings
from django.db import models

from moorland.server.directory.models import Account, Group
from moorland.server.documents import VersionedDocument


class Role(VersionedDocument):
    """A role's validated document without its assignments. A deleted role stays while a release still has it."""

    deleted = models.BooleanField(default=False)


class Assignment(models.Model):
    """Maps a role to exactly one of a user, a group, everyone or a condition, between two days (semantics.md 5.2)."""

    role = models.ForeignKey(Role, on_delete=models.CASCADE, related_name="assignments")
    account = models.ForeignKey(Account, null=True, on_delete=models.CASCADE, related_name="assignments")
    group = models.ForeignKey(Group, null=True, on_delete=models.CASCADE, related_name="assignments")
    everyone = models.BooleanField(default=False)
    when = models.TextField(blank=True)
    first_day = models.DateField(null=True)
    last_day = models.DateField(null=True)
    reason = models.CharField(max_length=4000, blank=True)
    created_at = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["id"]
