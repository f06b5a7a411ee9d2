"""Shelves and pages of the draft."""

from moorland.server.documents import VersionedDocument


class Shelf(VersionedDocument):
    """The validated document of a shelf."""


class Page(VersionedDocument):
    """The validated document of a page."""
