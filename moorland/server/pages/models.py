"""Shelves and pages of the draft, and pages of readers beside them."""

from django.db import models

from moorland.server.directory.models import Account
from moorland.server.documents import Versioned, VersionedDocument


class Shelf(VersionedDocument):
    """The validated document of a shelf."""


class Page(VersionedDocument):
    """The validated document of a page."""


class ReaderPage(Versioned):
    """A page that a reader made, beside the releases and never in them (semantics.md 10.4).

    `document` is what its maker wrote last, `published` what others are shown (None: nobody else sees it). `tags` and `owner` are what
    sentences about pages read of it; they are set by a duty over pages, never by the maker. Whose maker is gone has none.
    """

    name = models.CharField(max_length=40, unique=True)
    maker = models.ForeignKey(Account, null=True, on_delete=models.SET_NULL, related_name="made_pages")
    shelf = models.CharField(max_length=200)
    document = models.JSONField()
    published = models.JSONField(null=True)
    published_at = models.DateTimeField(null=True)
    tags = models.JSONField(default=list)
    owner = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["pk"]


class ReaderPageVersion(models.Model):
    """What a reader's page said before: one for every save."""

    page = models.ForeignKey(ReaderPage, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    saved_at = models.DateTimeField()
    saved_by = models.CharField(max_length=200)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["page", "number"], name="one_version_of_a_number")]
