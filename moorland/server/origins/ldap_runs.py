"""Runs of directories, by hand and by schedule: what missed its time while nothing ran is made up for once."""

import logging

from django.utils import timezone

from moorland.server.directory.models import Account
from moorland.server.errors import Failure
from moorland.server.origins.binding import secret_of
from moorland.server.origins.ldap_reading import read_directory
from moorland.server.origins.models import Origin, OriginRun
from moorland.server.origins.running import carried_out, keeper_of, once, text_of
from moorland.server.origins.shapes import LdapText
from moorland.server.releases.bundles import workspace
from moorland.server.schedules.shapes import When
from moorland.server.schedules.timing import follow_the_clock, next_run

_log = logging.getLogger(__name__)


def run_due_directories() -> int:
    """Runs every directory whose time has come, each once; gives how many ran."""
    now = timezone.now()
    follow_the_clock(Origin.objects.filter(kind="ldap"), _when, workspace().time_zone, now)
    ran = 0
    for origin in list(Origin.objects.filter(enabled=True, kind="ldap", next_at__lte=now).select_related("keeper")):
        try:
            run_directory(origin, keeper_of(origin))
        except Failure as failure:
            Origin.objects.filter(pk=origin.pk).update(trouble=failure.message[:600], troubled_at=timezone.now())
        except Exception:
            _log.exception("directory %s", origin.name)
        finally:
            when = _when(origin)
            Origin.objects.filter(pk=origin.pk).update(next_at=next_run(when, workspace().time_zone, timezone.now()) if when is not None else None)
        ran += 1
    return ran


def _when(origin: Origin) -> When | None:
    text = text_of(origin)
    return text.when if isinstance(text, LdapText) else None


def run_directory(origin: Origin, by: Account, accepted: str | None = None) -> OriginRun:
    """Reads a directory and applies what it says, or holds it. Raises Failure where it does not answer, or nothing of it can be taken."""
    text = text_of(origin)
    assert isinstance(text, LdapText)
    return once(origin, lambda: carried_out(origin, text, read_directory(text, secret_of(origin)), by, accepted))
