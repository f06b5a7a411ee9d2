"""Sources of the workspace: what each is, and its secret, sealed."""

from django.db import models

from moorland.server.documents import VersionedDocument


class StoredSource(VersionedDocument):
    """The validated document of a source; `sealed` is its secret, empty where it has none. `trouble` is what it failed with last."""

    sealed = models.TextField(blank=True)
    trouble = models.CharField(max_length=600, blank=True)
    troubled_at = models.DateTimeField(null=True)
