"""Sources of the workspace: what each is, and its secret, sealed."""

from typing import Any

from django.db import models

from moorland.server.documents import VersionedDocument

#: What, when it changes, makes a stored secret one for somewhere else (sources.md 17.1).
_WHERE_TO = ("kind", "host", "port", "user", "tls")


def leads_elsewhere(before: dict[str, Any], after: dict[str, Any]) -> bool:
    """Whether a source would send its secret somewhere else than before."""
    return any(before.get(part) != after.get(part) for part in _WHERE_TO)


class StoredSource(VersionedDocument):
    """The validated document of a source; `sealed` is its secret, empty where it has none. `trouble` is what it failed with last."""

    sealed = models.TextField(blank=True)
    trouble = models.CharField(max_length=600, blank=True)
    troubled_at = models.DateTimeField(null=True)
