"""Releases, and the workspace they belong to."""

from typing import Any

from django.conf import settings
from django.db import models


def sensitive_by_default() -> list[str]:
    """The tags that mark what is sensitive in a new workspace."""
    return ["sensitive", "personal"]


class Workspace(models.Model):
    """The one workspace of an installation. Its counters grow with every change, so that answers are cached no longer than they are true."""

    name = models.CharField(max_length=200)
    time_zone = models.CharField(max_length=60, default="UTC")
    #: Tags that mark what is sensitive; columns that look personal are tagged so when they are brought in.
    sensitive_tags = models.JSONField(default=sensitive_by_default)
    policy_version = models.PositiveBigIntegerField(default=1)
    people_version = models.PositiveBigIntegerField(default=1)
    data_version = models.PositiveBigIntegerField(default=1)
    #: For so many days the trail is kept; none: for good.
    trail_days = models.PositiveIntegerField(null=True)
    #: Models whose changes a second person has to approve before they are released; `["*"]`: every release.
    second_person = models.JSONField(default=list)
    #: The first day whose people can be told; none before the first change.
    people_since = models.DateField(null=True)


class PeopleDay(models.Model):
    """People, organizations, attributes and assignments as they were until the end of a day, sealed because secret values are in it."""

    last_day = models.DateField(unique=True)
    sealed = models.TextField()

    class Meta:
        ordering = ["last_day"]


class Release(models.Model):
    """An immutable policy document: models, roles without assignments, shelves and pages."""

    number = models.PositiveIntegerField(unique=True)
    document = models.JSONField()
    role_ids = models.JSONField()
    content_hash = models.CharField(max_length=64)
    note = models.CharField(max_length=2000, blank=True)
    created_at = models.DateTimeField(auto_now_add=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    #: Who asked for it, where a second person approved it.
    asked_by = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-number"]

    def save(self, *args: Any, **kwargs: Any) -> None:
        """A release is written once."""
        if self.pk is not None:
            raise ValueError("a release cannot be changed")
        super().save(*args, **kwargs)


class AskedRelease(models.Model):
    """A release somebody asked for, which waits for a second person: just the content of this hash. `chosen` is null for all of the draft."""

    content_hash = models.CharField(max_length=64)
    chosen = models.JSONField(null=True)
    note = models.CharField(max_length=2000, blank=True)
    override = models.CharField(max_length=2000, blank=True)
    asked_by = models.CharField(max_length=200)
    asked_at = models.DateTimeField(auto_now_add=True)
