"""The engines of the workspace's sources: connected when they are first asked, and what they hold now (sources.md 17, 18.1)."""

import itertools
import threading
import time
from collections.abc import Iterable, Mapping
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Table
from moorland.core.bundle.sources import Source
from moorland.core.engine.evaluator import TableLoader
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.sources.engines import DatabaseEngine
from moorland.core.sources.placing import engine_of, fingerprint, machine_folders, machine_hosts, marked, placed
from moorland.core.sources.tables_in_place import SqlTable
from moorland.server.errors import from_document
from moorland.server.keys import sealing_keys
from moorland.server.sources.models import StoredSource
from moorland.server.unchanged import unless_changed

#: A marker that was read is taken for so many seconds: the questions of one page look at it once.
MARKER_SECONDS = 2.0

#: What sources, by their name, and tables, by model and name, hold now.
Contents = tuple[tuple[tuple[str, ...], str], ...]

_engines: dict[tuple[str, str], DatabaseEngine] = {}
#: By which values the settings of sources were chosen so far, by source.
_chosen: dict[str, dict[tuple[tuple[str, str], ...], None]] = {}
#: How often rows of a source were changed from here.
_changed: dict[str, int] = {}
#: So many connections are kept open; those made last.
MOST_ENGINES = 128
_marked: dict[tuple[str, int], tuple[float, str]] = {}
_lock = threading.Lock()
_looks = itertools.count()


def sources() -> list[Source]:
    """The sources of the workspace."""
    return [from_document(Source, document) for document in unless_changed("sources", lambda: list(StoredSource.objects.values_list("document", flat=True)))]


def engine_for(name: str, values: Mapping[str, str] | None = None) -> DatabaseEngine:
    """The engine of a source as it is stored now, by the values that choose its settings. Raises SourceFailed."""
    stored = StoredSource.objects.filter(name=name).first()
    if stored is None:
        raise SourceFailed(name, f"There is no source {name}.")
    # Where files and hosts may be is said on the machine, and may be said otherwise when the server starts again.
    source = from_document(Source, stored.document)
    lacking = [attribute for attribute in source.attributes if attribute not in (values or {})]
    if lacking:
        raise SourceFailed(name, f"Where {name} is depends on viewer.{lacking[0]}, which is not known here.")
    chosen = tuple((attribute, (values or {})[attribute]) for attribute in source.attributes)
    key = (f"{settings.DATA} {name} {chosen}", f"{stored.version} {machine_folders()} {machine_hosts()}")
    with _lock:
        if chosen:
            _chosen.setdefault(f"{settings.DATA} {name}", {})[chosen] = None
        if key in _engines:
            return _engines[key]
        for old in [old for old in _engines if old[0] == key[0]]:
            _engines.pop(old).close()
        try:
            made = tried_engine(source.resolved(dict(chosen)), secret_of(stored))
        except SourceFailed as failed:
            note_trouble(failed)
            raise
        made.troubled = note_trouble
        _engines[key] = made
        while len(_engines) > MOST_ENGINES:
            _engines.pop(next(iter(_engines))).close()
        return made


def chosen_so_far(source: Source) -> list[dict[str, str]]:
    """The values by which the settings of a source were chosen so far: one without values where they depend on nobody."""
    if not source.attributes:
        return [{}]
    with _lock:
        found = list(_chosen.get(f"{settings.DATA} {source.name}", {}))
    return [dict(chosen) for chosen in found if tuple(name for name, _ in chosen) == source.attributes]


def tried_engine(source: Source, secret: str | None) -> DatabaseEngine:
    """An engine that may come to nothing. Raises SourceFailed."""
    return engine_of(source, secret, machine_folders(), machine_hosts())


def secret_of(stored: StoredSource) -> str | None:
    """The secret of a source, opened; None where it has none."""
    return sealing_keys(settings.SEALING_KEYS).decrypt(stored.sealed.encode()).decode() if stored.sealed else None


def contents() -> Contents:
    """What every source holds now, by its name: equal as long as figures may be as old as they are (18.2)."""
    found = []
    for stored in unless_changed("sources and versions", lambda: list(StoredSource.objects.values_list("name", "version", "document"))):
        name, version, document = stored
        found.append(((name,), f"{version} {_changed.get(_key_of(name), 0)} {_content(from_document(Source, document), version)}"))
    return tuple(found)


def _content(source: Source, version: int) -> str:
    if source.marker is None:
        return str(int(time.time() // (source.minutes * 60))) if source.minutes else f"look {next(_looks)}"
    key = (str(settings.DATA) + source.name, version)
    with _lock:
        at, value = _marked.get(key, (-MARKER_SECONDS, ""))
    if time.monotonic() - at < MARKER_SECONDS:
        return value
    value = " ".join(_marker_of(source, values) for values in chosen_so_far(source))
    with _lock:
        _marked[key] = (time.monotonic(), value)
    return value


def _marker_of(source: Source, values: Mapping[str, str]) -> str:
    assert source.marker is not None
    try:
        return marked(engine_for(source.name, values), source.resolved(values).relation(source.marker.relation), source.marker.column)
    except SourceFailed:
        return "not reached"


def loader(bundle: Bundle, load: TableLoader, held: Mapping[tuple[str, ...], str]) -> TableLoader:
    """Loads tables that are left in place from their sources, with contents as they were told; all others as `load` does."""
    if not bundle.sources:
        return load

    def content(source: Source, model: str, table: str) -> str:
        return f"{settings.DATA} {held.get((source.name,), '')} {held.get((model, table), '')}"

    return placed(load, bundle, lambda source, values: engine_for(source.name, values), content)


def contents_anew(bundle: Bundle, tables: Iterable[tuple[str, str]]) -> Contents:
    """What tables hold that are read anew for every question (18.1); what was read is taken for a moment, so that the questions of one page read it once."""
    found = []
    for model, name in tables:
        shape = bundle.model(model)
        table = shape.table(name) if shape is not None else None
        if table is None or table.in_place is None:
            continue
        key = (f"{settings.DATA} {model}.{name} {table.in_place}", 0)
        with _lock:
            at, value = _marked.get(key, (-MARKER_SECONDS, ""))
        if time.monotonic() - at >= MARKER_SECONDS:
            source = next(item for item in bundle.sources if item.name == table.in_place.source)
            value = " ".join(_fingerprint_of(source, table, values) for values in chosen_so_far(source))
            with _lock:
                _marked[key] = (time.monotonic(), value)
        found.append(((model, name), value))
    return tuple(found)


def _fingerprint_of(source: Source, table: Table, values: Mapping[str, str]) -> str:
    assert table.in_place is not None
    try:
        relation = source.resolved(values).relation(table.in_place.relation)
        columns = [column.name for column in table.columns if not column.derived]
        return fingerprint(SqlTable(engine_for(source.name, values), relation, table), columns)
    except SourceFailed:
        return "not reached"


def note_trouble(failed: SourceFailed) -> None:
    """Keeps what a source failed with, for who keeps it; viewers are told that it is not available (17.4)."""
    StoredSource.objects.filter(name=failed.source).update(trouble=failed.message[:600], troubled_at=timezone.now())


def note_changed(name: str) -> None:
    """Takes what is kept of a source for old: rows were changed in it from here."""
    with _lock:
        _changed[_key_of(name)] = _changed.get(_key_of(name), 0) + 1
        for key in [key for key in _marked if key[0].startswith(str(settings.DATA))]:
            del _marked[key]


def _key_of(name: str) -> str:
    return f"{settings.DATA} {name}"


def folders() -> list[Path]:
    """The folders sources may be in."""
    return machine_folders()
