"""Models of the draft, and table contents as column chunks."""

from django.db import models


class Model(models.Model):
    """The validated document of a model; `version` grows with every save."""

    name = models.CharField(max_length=200, unique=True)
    document = models.JSONField()
    version = models.PositiveIntegerField(default=1)
    position = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["position", "name"]


class TableContent(models.Model):
    """The current content of a table; `content` names it by a hash."""

    model = models.CharField(max_length=200)
    table = models.CharField(max_length=200)
    content = models.CharField(max_length=64)
    rows = models.PositiveBigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["model", "table"], name="one_content_a_table")]


class ColumnChunk(models.Model):
    """Some rows of one column, as an Arrow stream."""

    table_content = models.ForeignKey(TableContent, on_delete=models.CASCADE, related_name="chunks")
    column = models.CharField(max_length=200)
    ordinal = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        ordering = ["column", "ordinal"]
        constraints = [models.UniqueConstraint(fields=["table_content", "column", "ordinal"], name="one_chunk_an_ordinal")]
