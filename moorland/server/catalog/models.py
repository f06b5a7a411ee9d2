"""Models of the draft, table contents as column chunks, uploaded files, tables kept here."""

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models
from django.db.models import Q
from django.utils import timezone

from moorland.server.documents import Versioned, VersionedDocument


class Model(VersionedDocument):
    """The validated document of a model."""


class TableContent(models.Model):
    """A content of a table; `content` names it, and nothing else ever.

    `state` is current (what is answered from), staged (a refresh that waits to be accepted) or arriving (being written).
    `report` of a staged content tells what it changes.
    """

    model = models.CharField(max_length=200)
    table = models.CharField(max_length=200)
    content = models.CharField(max_length=64, blank=True)
    rows = models.PositiveBigIntegerField(default=0)
    state = models.CharField(max_length=10, default="current")
    source = models.CharField(max_length=300, blank=True)
    report = models.JSONField(default=dict)
    created_at = models.DateTimeField(default=timezone.now)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["model", "table"], condition=Q(state="current"), name="one_current_content_a_table")]


class ColumnChunk(models.Model):
    """Some rows of one column, as an Arrow stream."""

    table_content = models.ForeignKey(TableContent, on_delete=models.CASCADE, related_name="chunks")
    column = models.CharField(max_length=200)
    ordinal = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        ordering = ["column", "ordinal"]
        constraints = [models.UniqueConstraint(fields=["table_content", "column", "ordinal"], name="one_chunk_an_ordinal")]


class Upload(models.Model):
    """A file brought here to be looked at and imported; its bytes lie beside the database until then."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=200)
    size = models.PositiveBigIntegerField()
    created_at = models.DateTimeField(default=timezone.now)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    @property
    def path(self) -> Path:
        """Where the bytes lie."""
        return Path(settings.DATA) / "uploads" / str(self.pk)


class KeptTable(Versioned):
    """A table whose lines are kept by hand in Moorland, such as an entitlement table."""

    model = models.CharField(max_length=200)
    table = models.CharField(max_length=200)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["model", "table"], name="kept_once")]


class KeptLine(models.Model):
    """A line of a table kept here. A changed line is ended and another added in its place, so that the history stays whole."""

    kept = models.ForeignKey(KeptTable, on_delete=models.CASCADE, related_name="lines")
    position = models.PositiveBigIntegerField()
    values = models.JSONField()
    reason = models.CharField(max_length=400, blank=True)
    added_at = models.DateTimeField(default=timezone.now)
    added_by = models.CharField(max_length=200)
    ended_at = models.DateTimeField(null=True)
    ended_by = models.CharField(max_length=200, blank=True)
    replaces = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ["position", "id"]
