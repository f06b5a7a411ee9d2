"""Duties that were given."""

from django.db import models

from moorland.server.directory.models import Account, Group
from moorland.server.documents import Versioned


class GivenDuty(Versioned):
    """Acts within a scope (the documents of moorland.core.bundle.duties), given to an account or a group. It acts at once."""

    account = models.ForeignKey(Account, null=True, on_delete=models.CASCADE, related_name="duties")
    group = models.ForeignKey(Group, null=True, on_delete=models.CASCADE, related_name="duties")
    acts = models.JSONField()
    within = models.JSONField()
    first_day = models.DateField(null=True)
    last_day = models.DateField(null=True)
    reason = models.CharField(max_length=400, blank=True)
    given_by = models.CharField(max_length=200, blank=True)
    given_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
