"""Sources over the API: kept by who has the duty, tried, browsed; and tables of models that are left in them (sources.md 17)."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

import pyarrow as pa
from django.conf import settings
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.model import Column, Table
from moorland.core.bundle.model import Model as ModelShape
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.sources import Placement, Source
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.in_place import KeptRows
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.sources.describing import FoundRelation, columns_of_relation, differences_of, relations_of
from moorland.core.sources.displays import proposed_display
from moorland.core.sources.engines import DatabaseEngine
from moorland.core.sources.placing import machine_folders, machine_hosts
from moorland.core.sources.sensitivity import sensitive
from moorland.core.sources.tables_in_place import SqlTable
from moorland.server.catalog.models import Model
from moorland.server.catalog.scope import refuse_content, refuse_model
from moorland.server.catalog.storage import remove_ended, store_table
from moorland.server.changes import expect_version, recorded
from moorland.server.directory.knowing import knows_person
from moorland.server.duties.permission import at_a_screen, request_rights, within
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, from_document, missing, read_body
from moorland.server.evaluating import evaluator, evaluator_of
from moorland.server.keys import sealing_keys
from moorland.server.releases.bundles import State, bundle_of
from moorland.server.requests import VERSION, account_of, version_of
from moorland.server.sources.chosen import for_everyone, missing_for, settings_of, somebodys_values, values_of
from moorland.server.sources.engines import engine_for, secret_of, tried_engine
from moorland.server.sources.models import StoredSource, leads_elsewhere
from moorland.server.sources.shapes import (
    ChosenSetting,
    MoveTable,
    PlaceTable,
    RelationAsked,
    RelationTold,
    SourceEntry,
    SourceForEveryone,
    SourceList,
    SourceSave,
    SourceTable,
    SourceTried,
    SourceTry,
    TriedTable,
)
from moorland.server.viewing.looks import record_look

STATES: tuple[State, ...] = ("draft", "live")
#: A table brought here from a source has at most so many rows; larger ones are brought as files.
MOST_BROUGHT = 5_000_000


@contextmanager
def telling() -> Iterator[None]:
    """What a source fails with is told to who keeps it, as a Failure (503)."""
    try:
        yield
    except SourceFailed as failed:
        raise Failure(503, "not_available", failed.message) from None


class Sources(APIView):
    """By duty: the sources an account keeps, or may leave tables in; keep one, new or changed."""

    needs = {"GET": within("sources", "models"), "PUT": at_a_screen("sources")}

    @extend_schema(responses=SourceList)
    def get(self, request: Request) -> Response:
        rights = request_rights(request)
        known = [item for item in StoredSource.objects.all() if rights.reaches("sources", source=item.name) or "models" in rights.acts]
        kept = [_entry(item, rights.reaches("sources", source=item.name)) for item in known]
        keeps = "sources" in rights.acts
        folders = [str(folder) for folder in machine_folders()] if keeps else []
        return answer(SourceList(sources=kept, folders=folders, hosts=machine_hosts() if keeps else [], may_add=keeps))

    @extend_schema(request=SourceSave, responses=SourceEntry)
    def put(self, request: Request) -> Response:
        asked = read_body(request, SourceSave)
        name = asked.source.name
        _refuse_source(request, name)
        stored = StoredSource.objects.filter(name=name).first()
        if asked.version is None and stored is not None:
            raise _wrong("name", f"There is a source {name} already.")
        if asked.version is not None:
            if stored is None:
                raise missing("source", name)
            expect_version(stored, asked.version, f"the source {name}")
        with recorded(account_of(request), "change source" if stored else "add source", name, "data") as change:
            document = to_plain(asked.source)
            change.before, change.after = stored.document if stored else None, document
            elsewhere = stored is not None and leads_elsewhere(stored.document, document)
            sealed = stored.sealed if stored is not None and not elsewhere else ""
            if asked.secret is not None:
                sealed = sealing_keys(settings.SEALING_KEYS).encrypt(asked.secret.encode()).decode() if asked.secret else ""
            change.details = {"new secret": bool(asked.secret), "secret cleared": bool(stored and stored.sealed and not sealed)}
            item = stored or StoredSource.appended(name, document)
            item.sealed, item.trouble, item.troubled_at = sealed, "", None
            item.rewritten(document)
            _still_evaluates()
        return answer(_entry(item, True))


class OneSource(APIView):
    """Who keeps a source: take it away, where no table stays in it."""

    needs = {"DELETE": at_a_screen("sources")}

    @extend_schema(parameters=[VERSION], responses={204: None})
    def delete(self, request: Request, name: str) -> Response:
        _refuse_source(request, name)
        stored = _stored(name)
        with recorded(account_of(request), "delete source", name, "data") as change:
            expect_version(stored, version_of(request), f"the source {name}")
            used = _used(name)
            if used:
                message = f"{used[0].table} of {used[0].model} stays in {name}. Bring it here, or leave it elsewhere, first; and release that."
                raise Failure(409, "in_use", message)
            change.before = stored.document
            stored.delete()
        return Response(status=204)


class TrySource(APIView):
    """Who keeps a source: whether it is reached as it is written, what it holds, and whether the tables that stay in it fit."""

    needs = {"POST": at_a_screen("sources")}

    @extend_schema(request=SourceTry, responses=SourceTried)
    def post(self, request: Request) -> Response:
        asked = read_body(request, SourceTry)
        _refuse_source(request, asked.source.name)
        base = _people_asked_of(asked.source)
        settings_ = _settings_for(request, base, asked)
        lacking = missing_for(asked.login or "nobody in particular", settings_)
        if lacking is not None:
            return answer(SourceTried(reached=False, message=lacking, relations=[], tables=[], settings=settings_))
        try:
            relations, tables = _looked_into(asked.source.resolved(values_of(settings_)), _secret_for(asked))
        except SourceFailed as failed:
            return answer(SourceTried(reached=False, message=failed.message, relations=[], tables=[], settings=settings_))
        wrong = [table for table in tables if table.differences]
        message = f"Reached, with {len(relations):,} relations." if not wrong else f"Reached, but {wrong[0].table} does not fit: {wrong[0].differences[0]}"
        return answer(SourceTried(reached=True, message=message, relations=relations, tables=tables, settings=settings_))


class SourceEverybody(APIView):
    """Who keeps a source: for whom it would fail, over all people, by the values that choose its settings."""

    needs = {"POST": at_a_screen("sources")}

    @extend_schema(request=SourceTry, responses=SourceForEveryone)
    def post(self, request: Request) -> Response:
        asked = read_body(request, SourceTry)
        _refuse_source(request, asked.source.name)
        rights, secret, base = request_rights(request), _secret_for(asked), _people_asked_of(asked.source)

        def tried(values: Mapping[str, str]) -> str | None:
            try:
                _, tables = _looked_into(asked.source.resolved(values), secret)
            except SourceFailed as failed:
                return failed.message
            return next((f"{table.table}: {text}" for table in tables for text in table.differences), None)

        models = {used.model for used in _used(asked.source.name)}
        found = for_everyone(base, asked.source, models, lambda viewer: knows_person(rights, viewer), tried)
        record_look(account_of(request), ["everyone"], f"settings of the source {asked.source.name}", "draft")
        return answer(SourceForEveryone(contents=found, models=sorted(models)))


class SourceRelation(APIView):
    """Who keeps a source, or models: the relations of a source; the columns of one, with the types they are read as."""

    needs = {"GET": within("sources", "models"), "POST": within("sources", "models")}

    @extend_schema(responses=SourceTried)
    def get(self, request: Request, name: str) -> Response:
        _refuse_reading(request, name)
        with telling():
            relations = relations_of(_engine_as_somebody(name))
        return answer(SourceTried(reached=True, message=f"{len(relations):,} relations.", relations=relations, tables=[]))

    @extend_schema(request=RelationAsked, responses=RelationTold)
    def post(self, request: Request, name: str) -> Response:
        asked = read_body(request, RelationAsked)
        _refuse_reading(request, name)
        with telling():
            engine = _engine_as_somebody(name)
            columns = columns_of_relation(engine, asked.relation)
            if not columns:
                raise missing("relation", ".".join(asked.relation))
            readable = [Column(name=column.name, type=column.type) for column in columns if column.type is not None]
            held = SqlTable(engine, asked.relation, Table(name="asked", columns=readable))
            rows = held.rows()
            keys = held.unique([item.name for item in readable[:40]], rows)
        return answer(RelationTold(columns=columns, rows=rows, keys=keys))


class PlacedTables(APIView):
    """Who keeps a model and may use a source: a new table of the draft, whose rows stay in the source."""

    needs = {"POST": within("models")}

    @extend_schema(request=PlaceTable, responses={201: None})
    def post(self, request: Request, model: str) -> Response:
        asked = read_body(request, PlaceTable)
        refuse_model(request, model)
        _refuse_use(request, asked.source)
        with telling():
            found = {column.name: column for column in columns_of_relation(_engine_as_somebody(asked.source), asked.relation)}
        unread = [name for name in asked.columns if name not in found or found[name].type is None]
        if unread:
            raise _wrong("columns", f"The column {unread[0]} is not in {'.'.join(asked.relation)}, or is of a type that is not read.")
        columns = [_column(asked.table, name, str(found[name].type), name == asked.key) for name in asked.columns]
        table = Table(
            name=asked.table,
            label=asked.label,
            key=asked.key,
            columns=columns,
            quarantine=True,
            in_place=Placement(source=asked.source, relation=asked.relation),
        )
        with recorded(account_of(request), "leave table in place", f"{model}.{asked.table}", "policy", "data") as change:
            stored = _model(model)
            shape = from_document(ModelShape, stored.document)
            if any(item.name == asked.table for item in shape.tables):
                raise _wrong("table", f"There is a table {asked.table} already.")
            change.details = {"source": asked.source, "relation": asked.relation}
            stored.rewritten(to_plain(shape.model_copy(update={"tables": [*shape.tables, table]})))
            _evaluates(model)
        return Response(status=201)


class MovedTable(APIView):
    """Who keeps a model and may use a source: leave a table in a source, or bring it here as it is there now. In the draft; rows that are brought act at once."""

    needs = {"POST": within("models")}

    @extend_schema(request=MoveTable, responses={204: None})
    def post(self, request: Request, model: str, table: str) -> Response:
        asked = read_body(request, MoveTable)
        refuse_model(request, model)
        refuse_content(request, model, [table])
        stored = _model(model)
        shape = from_document(ModelShape, stored.document)
        declared = shape.table(table)
        if declared is None or declared.alias_of is not None:
            raise missing("table", f"{model}.{table}")
        with telling():
            if asked.source is None:
                moved, rows = self._brought(request, declared)
            else:
                moved, rows = self._left(request, declared, asked), None
        tables = [moved if item.name == table else item for item in shape.tables]
        with recorded(
            account_of(request), "bring table here" if asked.source is None else "leave table in place", f"{model}.{table}", "policy", "data"
        ) as change:
            if _model(model).version != stored.version:
                raise Failure(409, "stale", "The model was changed meanwhile. Look again, then decide.")
            if rows is not None:
                store_table(model, moved, [rows], f"brought from {declared.in_place.source if declared.in_place else ''}")
            change.details = {
                "source": asked.source or (declared.in_place.source if declared.in_place else ""),
                "rows": rows.num_rows if rows is not None else None,
            }
            stored.rewritten(to_plain(shape.model_copy(update={"tables": tables})))
            _evaluates(model)
        remove_ended()
        return Response(status=204)

    def _left(self, request: Request, declared: Table, asked: MoveTable) -> Table:
        assert asked.source is not None
        _refuse_use(request, asked.source)
        if asked.relation is None:
            raise _wrong("relation", "Choose the relation the table is to stay in.")
        moved = declared.model_copy(update={"data": None, "sheet": None, "in_place": Placement(source=asked.source, relation=asked.relation)})
        differences = differences_of(moved, columns_of_relation(_engine_as_somebody(asked.source), asked.relation))
        if differences:
            raise Failure(422, "invalid", differences[0], [Problem("invalid", text, path="relation") for text in differences])
        return moved

    def _brought(self, request: Request, declared: Table) -> tuple[Table, pa.Table]:
        if declared.in_place is None:
            raise _wrong("source", f"{declared.name} is here already.")
        _refuse_use(request, declared.in_place.source)
        source = from_document(Source, _stored(declared.in_place.source).document)
        if source.attributes:
            raise Failure(422, "by_viewer", f"Where the rows of {declared.name} are depends on who asks: there is no one table to bring here.")
        held = SqlTable(engine_for(source.name), source.relation(declared.in_place.relation), declared)
        rows = held.rows()
        if rows > MOST_BROUGHT:
            raise Failure(422, "too_large", f"{declared.name} has {rows:,} rows in its source; at most {MOST_BROUGHT:,} are brought here this way.")
        names = [column.name for column in declared.columns if not column.derived]
        found = held.arrow(names, KeptRows(None), 0, MOST_BROUGHT)
        return declared.model_copy(update={"in_place": None}), found


def _column(table: str, name: str, type_: Any, is_key: bool) -> Column:
    return Column(name=name, type=type_, display=proposed_display(name, type_, is_key), tags=["personal"] if sensitive(name, table, []) else [])


def _engine_as_somebody(name: str) -> DatabaseEngine:
    """The engine of a source; where its settings depend on who asks, that of the first person for whom they are set. Raises SourceFailed, Failure."""
    source = from_document(Source, _stored(name).document)
    return engine_for(name, somebodys_values(evaluator("draft"), source) if source.attributes else {})


def _people_asked_of(source: Source) -> Evaluator:
    """The people of the draft, for the attributes of whom a source asks. Raises Failure where there is no such attribute."""
    base = evaluator("draft")
    unknown = [name for name in source.attributes if name not in base.people.definitions]
    if unknown:
        raise _wrong("source", f"There is no attribute {unknown[0]}.")
    return base


def _settings_for(request: Request, base: Evaluator, asked: SourceTry) -> list[ChosenSetting]:
    """What stands in the settings for whoever is named, or for the first person for whom all is set. Raises Failure."""
    if not asked.source.attributes:
        return []
    if asked.login is None:
        values = somebodys_values(base, asked.source)
        return [ChosenSetting(attribute=name, value=value, whence="somebody for whom it is set") for name, value in values.items()]
    viewer = base.viewer(asked.login) if asked.login in base.people.users else None
    if viewer is None or not knows_person(request_rights(request), viewer):
        raise missing("person", asked.login)
    record_look(account_of(request), [asked.login], f"settings of the source {asked.source.name}", "draft")
    return settings_of(base, asked.source, viewer)


def _secret_for(asked: SourceTry) -> str | None:
    """The secret that is tried: the one given, or the stored one where the source leads where it did."""
    stored = StoredSource.objects.filter(name=asked.source.name).first()
    same = stored is not None and not leads_elsewhere(stored.document, to_plain(asked.source))
    return asked.secret if asked.secret is not None else secret_of(stored) if stored is not None and same else None


def _looked_into(source: Source, secret: str | None) -> tuple[list[FoundRelation], list[TriedTable]]:
    """The relations of a source that may come to nothing, and the tables that stay in it. Raises SourceFailed."""
    engine = tried_engine(source, secret)
    try:
        return relations_of(engine), [_tried(engine, source, used) for used in _used(source.name)]
    finally:
        engine.close()


def _tried(engine: DatabaseEngine, source: Source, used: SourceTable) -> TriedTable:
    table = next(table for model in bundle_of("draft").models if model.name == used.model for table in model.tables if table.name == used.table)
    relation = source.relation(used.relation)
    differences = differences_of(table, columns_of_relation(engine, relation))
    if not differences:
        held = SqlTable(engine, relation, table)
        held.page([column.name for column in table.columns if not column.derived], KeptRows(None), 0, 1)
    return TriedTable(model=used.model, table=used.table, differences=differences)


def _used(source: str) -> list[SourceTable]:
    """The tables that stay in a source, in the draft or in what is live."""
    found = {}
    for state in STATES:
        for model in bundle_of(state).models:
            for table in model.tables:
                if table.in_place is not None and table.in_place.source == source:
                    found[model.name, table.name] = SourceTable(model=model.name, table=table.name, relation=table.in_place.relation)
    return list(found.values())


def _entry(item: StoredSource, keeps: bool) -> SourceEntry:
    """A source as it is told; where it is and what it failed with is for who keeps it."""
    source = from_document(Source, item.document)
    return SourceEntry(
        source=source,
        version=item.version,
        has_secret=bool(item.sealed),
        used=_used(item.name),
        trouble=item.trouble or None if keeps else None,
        troubled_at=item.troubled_at if keeps else None,
    )


def _stored(name: str) -> StoredSource:
    stored = StoredSource.objects.filter(name=name).first()
    if stored is None:
        raise missing("source", name)
    return stored


def _model(name: str) -> Model:
    stored = Model.objects.filter(name=name).first()
    if stored is None:
        raise missing("model", name)
    return stored


def _refuse_source(request: Request, name: str) -> None:
    if not request_rights(request).reaches("sources", source=name):
        raise outside("This source is not among those your duty is over.")


def _refuse_reading(request: Request, name: str) -> None:
    """Raises Failure (403) where somebody may not see what a source holds: its columns are known to who may use it."""
    _refuse_use(request, name)


def _refuse_use(request: Request, name: str) -> None:
    """Raises Failure (403): leaving a table in a source needs the duty over the source as well as over the model (17.1)."""
    if not request_rights(request).reaches("sources", source=name):
        raise outside(f"Leaving tables in {name} needs the duty over sources as well.")


def _still_evaluates() -> None:
    """Raises Failure (422) where what stays in sources cannot be read as a bundle any more."""
    try:
        bundle_of("draft")
        bundle_of("live")
    except BundleError as error:
        raise Failure(422, "invalid", error.problems[0].sentence(), error.problems) from None


def _evaluates(model: str) -> None:
    """Raises Failure (422) where the model cannot be joined with its data as it would be."""
    try:
        base = evaluator_of(bundle_of("draft"))
        base.data(model)
    except BundleError as error:
        raise Failure(422, "invalid", error.problems[0].sentence(), error.problems) from None


def _wrong(path: str, message: str) -> Failure:
    return Failure(422, "invalid", message, [Problem("invalid", message, path=path)])
