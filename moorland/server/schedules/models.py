"""Schedules of refreshes and of checks, and what came of each run."""

from django.db import models
from django.utils import timezone

from moorland.server.directory.models import Account
from moorland.server.documents import Versioned


class Schedule(Versioned):
    """A refresh of a table from a relation of a source, at times. `document` is a moorland.server.schedules.shapes.ScheduleText.

    `running_since` is set while it runs: whoever sets it runs it, so that nothing runs twice at once.
    """

    model = models.CharField(max_length=200)
    table = models.CharField(max_length=200)
    document = models.JSONField()
    enabled = models.BooleanField(default=True)
    keeper = models.ForeignKey(Account, null=True, on_delete=models.SET_NULL, related_name="schedules")
    next_at = models.DateTimeField(null=True, db_index=True)
    running_since = models.DateTimeField(null=True)

    class Meta:
        ordering = ["model", "table"]
        constraints = [models.UniqueConstraint(fields=["model", "table"], name="one_schedule_a_table")]


class ChecksSchedule(Versioned):
    """When the promises of what is live are run by themselves; one at most. `document` is a moorland.server.schedules.shapes.When.

    What came of the last run is kept; `running_since` is set while it runs.
    """

    document = models.JSONField()
    enabled = models.BooleanField(default=True)
    keeper = models.ForeignKey(Account, null=True, on_delete=models.SET_NULL, related_name="+")
    next_at = models.DateTimeField(null=True)
    running_since = models.DateTimeField(null=True)
    last_at = models.DateTimeField(null=True)
    last_message = models.CharField(max_length=1000, blank=True)
    last_well = models.BooleanField(default=True)


class ScheduleRun(models.Model):
    """A run of a schedule: accepted, the same as before, waiting for somebody, or failed."""

    schedule = models.ForeignKey(Schedule, on_delete=models.CASCADE, related_name="runs")
    began_at = models.DateTimeField(default=timezone.now)
    ended_at = models.DateTimeField(null=True)
    state = models.CharField(max_length=10, default="running")
    message = models.CharField(max_length=1000, blank=True)
    rows = models.PositiveBigIntegerField(null=True)

    class Meta:
        ordering = ["-began_at", "-pk"]
