"""Shelves and pages of the draft."""

from django.db import models


class Shelf(models.Model):
    """The validated document of a shelf."""

    name = models.CharField(max_length=200, unique=True)
    document = models.JSONField()
    position = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["position", "name"]


class Page(models.Model):
    """The validated document of a page."""

    name = models.CharField(max_length=200, unique=True)
    document = models.JSONField()
    version = models.PositiveIntegerField(default=1)
    position = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["position", "name"]
