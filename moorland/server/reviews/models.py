"""Reviews, their lines, and what came of each."""

from django.db import models
from django.utils import timezone

from moorland.server.directory.models import Account
from moorland.server.documents import Versioned


class Review(Versioned):
    """A review. `document` is a moorland.server.reviews.shapes.ReviewText; planned until it opens, open, then closed for good.

    Closed, `record` is all of it as it was, and `record_hash` the SHA-256 of its canonical JSON, which is in the trail too.
    """

    document = models.JSONField()
    state = models.CharField(max_length=8, default="planned")
    opener = models.ForeignKey(Account, null=True, on_delete=models.SET_NULL, related_name="+")
    opens_on = models.DateField()
    opened_at = models.DateTimeField(null=True)
    due = models.DateField(null=True)
    reminded_at = models.DateTimeField(null=True)
    closed_at = models.DateTimeField(null=True)
    record = models.JSONField(default=dict)
    record_hash = models.CharField(max_length=64, blank=True)
    trouble = models.CharField(max_length=600, blank=True)

    class Meta:
        ordering = ["-pk"]


class ReviewLine(models.Model):
    """A person and a role, or a duty, that they held when the review opened. `document` is what was told of it then (LineFacts).

    `asked` is the login of who answers; blank: whoever keeps checks. `done` is False while something is left to do elsewhere.
    """

    review = models.ForeignKey(Review, on_delete=models.CASCADE, related_name="lines")
    kind = models.CharField(max_length=4)
    login = models.CharField(max_length=200, db_index=True)
    subject = models.CharField(max_length=200)
    model = models.CharField(max_length=200, blank=True)
    document = models.JSONField()
    asked = models.CharField(max_length=200, blank=True, db_index=True)
    answer = models.CharField(max_length=6, blank=True)
    until = models.DateField(null=True)
    note = models.CharField(max_length=1000, blank=True)
    task = models.CharField(max_length=1000, blank=True)
    answered_by = models.CharField(max_length=200, blank=True)
    answered_at = models.DateTimeField(null=True)
    made_at = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["login", "kind", "subject"]
