"""What every stored thing that people edit has in common: a version, by which a stale save is known."""

from typing import Any, Self

from django.db import models


class Versioned(models.Model):
    """Something edited; `version` grows with every save."""

    version = models.PositiveIntegerField(default=1)

    class Meta:
        abstract = True

    def moved(self) -> None:
        """Saves what was set as the next version."""
        self.version += 1
        self.save()


class VersionedDocument(Versioned):
    """The validated document of something named, at its place in a list."""

    name = models.CharField(max_length=200, unique=True)
    document = models.JSONField()
    position = models.PositiveIntegerField(default=0)

    class Meta:
        abstract = True
        ordering = ["position", "name"]

    @classmethod
    def appended(cls, name: str, document: dict[str, Any]) -> Self:
        """A new one, stored at the end of its list."""
        last = cls._default_manager.order_by("-position").values_list("position", flat=True).first()
        return cls._default_manager.create(name=name, document=document, position=0 if last is None else last + 1)

    def rewritten(self, document: dict[str, Any]) -> None:
        """Saves another document as the next version."""
        self.document = document
        self.moved()
