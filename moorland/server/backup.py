"""A copy of the whole workspace in one file, consistent while it is in use, and its return (accounts.md 12, 21). Keys are not in it."""

import sqlite3
from pathlib import Path

from django.conf import settings
from django.contrib.sessions.models import Session
from django.core.management import call_command
from django.db import connection, connections, transaction

from moorland.server.access.models import OpenSession
from moorland.server.errors import Failure
from moorland.server.trail.models import Entry, head_file, record
from moorland.server.trail.verifying import verified

#: Tables whose column `sealed` is encrypted with the keys in the folder.
SEALED = ("directory_account", "directory_group", "directory_organization", "releases_peopleday", "access_secondfactor")
KEYS = ("secret.key", "trail.key", "sealing.keys")


def database() -> Path:
    """Where the workspace is."""
    return Path(str(settings.DATABASES["default"]["NAME"]))


def backed_up(into: Path, by: str) -> int:
    """Writes a copy by SQLite's backup, while others read and write; its size. Raises Failure where the file is there already."""
    if into.exists():
        raise Failure(422, "invalid", f"{into} is there already. Name another file.")
    if connection.in_atomic_block:
        raise Failure(503, "busy", "A backup is not taken in the middle of a change. Nothing was written; try again in a moment.")
    record(by, "backup", into.name)
    source, copy = sqlite3.connect(database(), timeout=20), sqlite3.connect(into)
    try:
        source.backup(copy, pages=2_000)
        copy.execute("PRAGMA journal_mode=DELETE")
    finally:
        source.close()
        copy.close()
    into.chmod(0o600)
    return into.stat().st_size


def restored(source: Path, by: str) -> int:
    """Puts a backup in the place of the workspace; how many entries its trail has. The server must not be running.

    Raises Failure where the file is no backup, or the keys in the folder are not those it was sealed with; nothing is changed then.
    """
    _refuse_unfit(source)
    connections.close_all()
    kept = database().with_suffix(".before-restore")
    _copied(database(), kept)
    _copied(source, database())
    call_command("migrate", verbosity=0, interactive=False)
    head_file().unlink(missing_ok=True)
    number, _, broken = verified()
    if broken is not None:
        _copied(kept, database())
        raise Failure(422, "other_keys", f"The keys in {settings.DATA} are not those of this backup: {broken.message}. Put {', '.join(KEYS)} there first.")
    kept.unlink(missing_ok=True)
    with transaction.atomic():
        Session.objects.all().delete()
        OpenSession.objects.all().delete()
        record(by, "restore", source.name, entries=number)
    return Entry.objects.count()


def _refuse_unfit(source: Path) -> None:
    if not source.is_file():
        raise Failure(422, "invalid", f"There is no file {source}.")
    opened = sqlite3.connect(f"file:{source}?mode=ro", uri=True)
    try:
        whole = opened.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
        tables = {name for (name,) in opened.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        sealed = any(table in tables and opened.execute(f"SELECT 1 FROM {table} WHERE sealed <> '' LIMIT 1").fetchone() for table in SEALED)  # noqa: S608
    except sqlite3.DatabaseError:
        whole, tables, sealed = False, set(), False
    finally:
        opened.close()
    if not whole or "directory_account" not in tables:
        raise Failure(422, "invalid", f"{source} is no backup of a workspace, or it is damaged.")
    if sealed and not Path(settings.SEALING_KEYS).is_file():
        raise Failure(
            422, "no_keys", f"Put {settings.SEALING_KEYS.name} into {settings.DATA} first: a backup holds no keys, and what this one seals is lost without."
        )


def _copied(source: Path, target: Path) -> None:
    """Makes one database the copy of another, in place."""
    first, second = sqlite3.connect(source), sqlite3.connect(target)
    try:
        first.backup(second)
    except sqlite3.OperationalError as error:
        raise Failure(503, "busy", f"The workspace is in use ({error}). Stop the server first.") from None
    finally:
        first.close()
        second.close()
