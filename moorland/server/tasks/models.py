"""Long work and how far it is."""

import uuid

from django.conf import settings
from django.db import models


class Task(models.Model):
    """A piece of long work. `state` is waiting, running, done, failed, cancelled or interrupted (the server stopped meanwhile)."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    kind = models.CharField(max_length=40)
    subject = models.CharField(max_length=200)
    state = models.CharField(max_length=12, default="waiting", db_index=True)
    step = models.CharField(max_length=200, blank=True)
    done = models.PositiveBigIntegerField(default=0)
    total = models.PositiveBigIntegerField(default=0)
    cancel_asked = models.BooleanField(default=False)
    result = models.JSONField(default=dict)
    problems = models.JSONField(default=list)
    created_at = models.DateTimeField(auto_now_add=True)
    finished_at = models.DateTimeField(null=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["-created_at"]
