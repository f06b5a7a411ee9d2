"""Addresses for whoever runs the server; they tell nothing of people or data (docs/operation.md)."""

import os
import secrets
import shutil
from collections.abc import Iterable

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_safe
from prometheus_client import CONTENT_TYPE_LATEST, REGISTRY, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.registry import Collector

from moorland.server.directory.models import Account
from moorland.server.origins.models import Origin
from moorland.server.releases.models import Workspace
from moorland.server.sources.models import StoredSource

#: With less than so many bytes left, nothing should be sent here any more.
LEAST_FREE = 64 * 1024**2


@require_safe
def healthz(request: HttpRequest) -> HttpResponse:
    """Anybody: the process answers."""
    return HttpResponse("ok\n", content_type="text/plain; charset=utf-8", headers={"Cache-Control": "no-store"})


@require_safe
def readyz(request: HttpRequest) -> HttpResponse:
    """Anybody: whether requests should be sent here, and what is wrong where not."""
    wrong = list(_not_ready())
    return JsonResponse({"ready": not wrong, "wrong": wrong}, status=503 if wrong else 200, headers={"Cache-Control": "no-store"})


def _not_ready() -> Iterable[str]:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
        if not Workspace.objects.exists():
            yield "There is no workspace yet. The server printed a link by which it is set up."
    except DatabaseError:
        yield "The database does not answer."
    if shutil.disk_usage(settings.DATA).free < LEAST_FREE:
        yield "The disk of the workspace is full."


@require_safe
def metrics(request: HttpRequest) -> HttpResponse:
    """Whoever has the token of MOORLAND_METRICS_TOKEN: figures of this server, as Prometheus reads them. Without that setting there is no such address."""
    token = os.environ.get("MOORLAND_METRICS_TOKEN", "")
    scheme, _, given = request.headers.get("Authorization", "").partition(" ")
    if not token or scheme.lower() != "bearer" or not secrets.compare_digest(given.strip().encode(), token.encode()):
        return HttpResponse("There is nothing at this address.\n", status=404, content_type="text/plain; charset=utf-8")
    return HttpResponse(generate_latest(REGISTRY), content_type=CONTENT_TYPE_LATEST, headers={"Cache-Control": "no-store"})


class _Workspace(Collector):
    """What is counted when it is asked for."""

    def collect(self) -> Iterable[GaugeMetricFamily]:
        yield GaugeMetricFamily("moorland_people", "Accounts that are enabled.", Account.objects.filter(enabled=True).count())
        yield GaugeMetricFamily("moorland_sources_in_trouble", "Sources that failed last.", StoredSource.objects.exclude(trouble="").count())
        yield GaugeMetricFamily("moorland_origins_in_trouble", "Directories and providers that failed last.", Origin.objects.exclude(trouble="").count())
        database = settings.DATA / "moorland.sqlite3"
        yield GaugeMetricFamily("moorland_database_bytes", "Size of the database.", database.stat().st_size if database.exists() else 0)
        yield GaugeMetricFamily("moorland_disk_free_bytes", "What is left of the disk of the workspace.", shutil.disk_usage(settings.DATA).free)

    def describe(self) -> Iterable[GaugeMetricFamily]:
        return []


REGISTRY.register(_Workspace())
