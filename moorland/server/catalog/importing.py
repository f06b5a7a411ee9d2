"""Bringing data in: files become staged contents, and then, in one step, tables of a model; or nothing at all."""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from moorland.core.bundle.model import Column, Table
from moorland.core.bundle.model import Model as ModelShape
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.refreshing import NewColumn, RefreshReport, refresh_report
from moorland.core.sources.displays import proposed_display
from moorland.core.sources.previews import headers
from moorland.core.sources.proposals import SourceFile, plain_name, propose
from moorland.core.sources.readings import ColumnRead
from moorland.core.sources.typed_tables import read_ahead, row_count, typed_tables
from moorland.server.catalog.models import Model, TableContent
from moorland.server.catalog.shapes import ConfirmedTable, ImportRequest, RefreshRequest
from moorland.server.catalog.storage import ContentWriter, arriving, load_with, make_current, remove_ended
from moorland.server.catalog.uploaded import source_of
from moorland.server.changes import outdate, recorded
from moorland.server.directory.models import Account
from moorland.server.errors import Failure, from_document, missing
from moorland.server.evaluating import evaluator
from moorland.server.releases.bundles import State, bundle_of, draft_policy
from moorland.server.sources.engines import contents, loader
from moorland.server.tasks.running import Progress

#: So often is an import joined anew where the model is changed on the way.
MOST_TRIES = 5


def checked(asked: ImportRequest) -> None:
    """Refuses at once what the import could not finish with. Raises Failure naming every fault."""
    problems: list[Problem] = []
    stored = Model.objects.filter(name=asked.model).first()
    if asked.new_model and stored is not None:
        problems.append(Problem("duplicate", f"there is a model {asked.model} already. Choose another name, or bring the tables into it.", path="model"))
    if not asked.new_model and stored is None:
        raise missing("model", asked.model)
    if "." in asked.model or "/" in asked.model:
        problems.append(Problem("name", "a model's name has neither a point nor a slash.", path="model"))
    present = {table["name"] for table in stored.document.get("tables", [])} if stored and not asked.new_model else set()
    names = [table.name for table in asked.tables]
    for index, table in enumerate(asked.tables):
        place = f"tables[{index}]"
        if table.name in present or names.count(table.name) > 1:
            problems.append(Problem("duplicate", f"there are two tables named {table.name}. Give each its own name.", path=f"{place}.name"))
        if "." in table.name or "/" in table.name:
            problems.append(Problem("name", f"{table.name}: a table's name has neither a point nor a slash.", path=f"{place}.name"))
        columns = [column.name for column in table.columns]
        for name in sorted({name for name in columns if columns.count(name) > 1}):
            problems.append(Problem("duplicate", f"two columns of {table.name} are named {name}.", path=f"{place}.columns"))
        if table.key is not None and table.key not in columns:
            problems.append(
                Problem("unknown_name", f"the key {table.key} is no column of {table.name}.", path=f"{place}.key", nearest=nearest_name(table.key, columns))
            )
        titles = headers(source_of(table).path, source_of(table).name, table.reading)
        beyond = [column.name for column in table.columns if column.position >= len(titles)]
        if beyond:
            problems.append(Problem("missing_column", f"{', '.join(beyond)}: the file has only {len(titles)} columns.", path=f"{place}.columns"))
    if problems:
        raise Failure(422, "invalid", problems[0].sentence() if len(problems) == 1 else f"{len(problems)} things are wrong.", problems)
    try:
        _with_tables(stored, asked)
    except BundleError as error:
        raise Failure(422, "invalid", error.problems[0].sentence(), error.problems) from None


def bring_in(asked: ImportRequest, account: Account, progress: Progress) -> dict[str, Any]:
    """The work of an import: every table staged, then all made current with the model's new document."""
    with _staging() as writers:
        for number, table in enumerate(asked.tables, 1):
            where = f"{table.name} ({number} of {len(asked.tables)})" if len(asked.tables) > 1 else table.name
            writer = ContentWriter(asked.model, table.name, table.key, source_of(table).name, created_by=account)
            writers.append(writer)
            _write(writer, source_of(table), [column.read() for column in table.columns], progress, f"Reading {where}")
        progress.told("Joining the tables", 0, 0)
        contents = [writer.finish("staged") for writer in writers]
        rows = {content.table: content.rows for content in contents}
        for _ in range(MOST_TRIES):
            if _brought_in(asked, contents, account):
                break
            progress.told("Joining the tables once more: the model was changed meanwhile", 0, 0)
        else:
            raise Failure(409, "stale", f"The model {asked.model} is being changed again and again. Nothing was brought in; try again in a while.")
        writers.clear()
        return {"model": asked.model, "tables": rows}


def _brought_in(asked: ImportRequest, contents: list[TableContent], account: Account) -> bool:
    """Makes the staged contents current with the model's new document; False where what they were joined with changed on the way.

    Joining takes as long as there is data, so it is done before the change is made, not while everybody who writes waits.
    """
    stood = _standing(asked.model)
    stored = Model.objects.filter(name=asked.model).first()
    document = _with_tables(stored, asked)
    _joins(asked.model, document, *contents)
    with recorded(account, "bring data in", asked.model, "policy", "data") as change:
        stored = Model.objects.filter(name=asked.model).first()
        if (stored is None) != asked.new_model:
            raise Failure(409, "stale", f"The model {asked.model} was {'made' if stored else 'deleted'} meanwhile. Nothing was brought in.")
        if _standing(asked.model) != stood:
            change.nothing()
            return False
        if stored is None:
            Model.appended(asked.model, document)
        else:
            stored.rewritten(document)
        for content in contents:
            make_current(content)
        change.details = {"tables": {content.table: content.rows for content in contents}, "files": [source_of(table).name for table in asked.tables]}
    remove_ended()
    return True


def _standing(model: str) -> tuple[object, ...]:
    """The version of a model, and the contents its tables have."""
    versions = Model.objects.filter(name=model).values_list("pk", "version")
    contents = TableContent.objects.filter(model=model, state="current").values_list("pk", flat=True)
    return (*versions, *sorted(contents))


@contextmanager
def _staging() -> Iterator[list[ContentWriter]]:
    """Whatever ends the work early takes back all that was written."""
    writers: list[ContentWriter] = []
    try:
        yield writers
    except BaseException:
        for writer in writers:
            writer.discard()
        raise


def _write(writer: ContentWriter, source: SourceFile, columns: list[ColumnRead], progress: Progress, step: str) -> None:
    total = row_count(source.path, source.name, source.reading) or 0
    progress.told(step, 0, total)
    for arrow in read_ahead(typed_tables(source.path, source.name, source.reading, columns)):
        writer.add(arrow)
        progress.told(step, writer.rows, max(total, writer.rows))


def _with_tables(stored: Model | None, asked: ImportRequest) -> dict[str, Any]:
    """The model's document with the new tables and relationships. Raises BundleError where they do not fit together."""
    base = from_document(ModelShape, stored.document) if stored else ModelShape(name=asked.model, label=asked.label)
    model = base.model_copy(
        update={
            "tables": [*base.tables, *(_table(table, asked.quarantine) for table in asked.tables)],
            "relationships": [*base.relationships, *asked.relationships],
        }
    )
    if stored is not None:
        bundle = bundle_of("draft")
        bundle = bundle.model_copy(update={"models": [model if item.name == model.name else item for item in bundle.models]})
    else:
        bundle = bundle_of("draft", {"models": [to_plain(model)], "roles": [], "shelves": [], "pages": []})
    Evaluator(bundle)
    return to_plain(model)


def _table(table: ConfirmedTable, quarantine: bool) -> Table:
    columns = [
        Column(
            name=column.name,
            label=column.label if column.label != column.name else None,
            type=column.type,
            display=proposed_display(column.name, column.type, column.name == table.key),
            tags=list(dict.fromkeys(column.tags)),
        )
        for column in table.columns
    ]
    return Table(name=table.name, label=table.label if table.label != table.name else None, key=table.key, quarantine=quarantine, columns=columns)


def matched(table: Table, titles: list[str], chosen: dict[str, int]) -> tuple[list[ColumnRead], list[int], list[str]]:
    """Which place of the file each declared column is read from; the places of no declared column; the columns without a place."""
    by_name: dict[str, int] = {}
    for place, title in enumerate(titles):
        by_name.setdefault(plain_name(title, f"column_{place + 1}"), place)
        by_name.setdefault(title, place)
    for column in table.columns:
        if column.label:
            by_name.setdefault(column.name, by_name.get(column.label, -1))
    found: list[ColumnRead] = []
    lost: list[str] = []
    for column in table.columns:
        if column.derived:
            continue
        place = chosen.get(column.name, by_name.get(column.name, -1))
        if 0 <= place < len(titles):
            found.append(ColumnRead(place, column.name, column.type))
        else:
            lost.append(column.name)
    taken = {column.position for column in found}
    return found, [place for place in range(len(titles)) if place not in taken], lost


def stage_refresh(model: str, table: str, asked: RefreshRequest, account: Account, progress: Progress) -> dict[str, Any]:
    """The work of a refresh: the new content staged beside the old one, with a report of what it would change."""
    stored = Model.objects.filter(name=model).first()
    shape = from_document(ModelShape, stored.document) if stored else None
    declared = shape.table(table) if shape else None
    if shape is None or declared is None or declared.alias_of is not None:
        raise missing("table", f"{model}.{table}")
    source = source_of(asked)
    progress.told("Looking at the file", 0, 0)
    columns, surplus, lost = matched(declared, headers(source.path, source.name, asked.reading), asked.columns)
    if not columns:
        message = f"no column of the file is named like one of {table}. Is it the right file?"
        raise BundleError([Problem("missing_column", message, source.name)])
    if declared.key in lost:
        raise BundleError([Problem("missing_column", f"the key {declared.key} is missing from the file. Nothing can be joined without it.", source.name)])
    proposal = propose([source]).tables[0]
    by_place = {column.position: column for column in proposal.columns}
    names = {column.name for column in declared.columns}
    doubts, reads, new = [], [], []
    for column in columns:
        proposed = by_place[column.position]
        reads.append(
            ColumnRead(column.position, column.name, column.type, proposed.spelling, tuple(proposed.blanks)) if proposed.type == column.type else column
        )
        doubts += [f"{column.name}: {doubt}" for doubt in proposed.doubts]
        if proposed.type != column.type and not (column.type == "text" or proposed.distinct == 0 or (column.type, proposed.type) == ("number", "integer")):
            doubts.append(f"{column.name} is {column.type}, but what arrives looks like {proposed.type}.")
    for place in surplus:
        proposed = by_place[place]
        if not proposed.unusable:
            name = proposed.name if proposed.name not in names else f"{proposed.name}_new"
            new.append(NewColumn(name=name, header=proposed.header, type=proposed.type, sensitive=proposed.sensitive))
            reads.append(ColumnRead(place, name, proposed.type, proposed.spelling, tuple(proposed.blanks)))
    with _staging() as writers:
        writer = ContentWriter(model, table, declared.key, source.name, created_by=account)
        writers.append(writer)
        _write(writer, source, reads, progress, f"Reading {source.name}")
        content = writer.finish("staged")
        progress.told("Comparing with what is there", 0, 0)
        content.report = compared(content, declared, new, lost, doubts).model_dump(mode="json", by_alias=True)
        with recorded(account, "stage refresh", f"{model}.{table}") as change:
            content.save(update_fields=["report"])
            TableContent.objects.filter(model=model, table=table, state="staged").exclude(pk=content.pk).update(state="ended")
            change.details = {"file": source.name, "rows": content.rows}
        writers.clear()
    remove_ended()
    return {"refresh": content.pk}


def compared(content: TableContent, declared: Table, new: list[NewColumn], lost: list[str], doubts: list[str]) -> RefreshReport:
    """What a staged content would change, live; in the draft where the table is not live yet."""
    before = evaluator(compared_with(content))
    after = before.with_content(arriving(content))
    table = before.models[content.model].schema.model.table(content.table) or declared
    return refresh_report(before, after, content.model, table, new, lost, doubts, list(before.people.users))


def compared_with(content: TableContent) -> State:
    """Whose views a refresh is compared by: live, or the draft's while the table is not live yet."""
    live = evaluator("live").models.get(content.model)
    return "live" if live is not None and live.schema.model.table(content.table) is not None else "draft"


def _looked_at_still_true(content: TableContent) -> None:
    """Raises Failure (409) where the refresh would now change something else than what was shown; the report is made anew."""
    shown = from_document(RefreshReport, content.report)
    stored = Model.objects.filter(name=content.model).first()
    declared = from_document(ModelShape, stored.document).table(content.table) if stored else None
    if declared is None:
        raise Failure(409, "stale", f"The table {content.table} is not in the model any more.")
    now = compared(content, declared, shown.new_columns, shown.lost_columns, shown.doubts)
    if now != shown:
        content.report = now.model_dump(mode="json", by_alias=True)
        content.save(update_fields=["report"])
        raise Failure(
            409, "stale", "People, roles or data changed since this refresh was compared, and it would now do something else. Look at it again, then accept it."
        )


def accept_refresh(content: TableContent, account: Account) -> None:
    """Makes a staged content current; its new columns join the draft's table in quarantine. Raises Failure where what was shown is no longer true."""
    _looked_at_still_true(content)
    stood = _standing(content.model)
    stored = Model.objects.filter(name=content.model).first()
    shape = from_document(ModelShape, stored.document) if stored else None
    table = shape.table(content.table) if shape else None
    if stored is None or shape is None or table is None:
        raise Failure(409, "stale", f"The table {content.table} is not in the model any more.")
    added = _quarantined(content, table)
    if added:
        wider = table.model_copy(update={"columns": [*table.columns, *added]})
        shape = shape.model_copy(update={"tables": [wider if item.name == table.name else item for item in shape.tables]})
    _joins(content.model, to_plain(shape), content)
    with recorded(account, "accept refresh", f"{content.model}.{content.table}", "data") as change:
        if _standing(content.model) != stood:
            raise Failure(409, "stale", "Models or data changed while this refresh was being accepted. Accept it again.")
        if added:
            stored.rewritten(to_plain(shape))
            outdate("policy")
        make_current(content)
        change.details = {"file": content.source, "rows": content.rows, "quarantined": [column.name for column in added]}
    remove_ended()


def _quarantined(content: TableContent, table: Table) -> list[Column]:
    """The columns that arrived with a refresh and are not declared yet."""
    present = {column.name for column in table.columns}
    return [
        Column(
            name=item.name,
            label=item.header if item.header != item.name else None,
            type=item.type,
            quarantine=True,
            tags=["personal"] if item.sensitive else [],
        )
        for item in (NewColumn(**item) for item in content.report.get("new_columns", []))
        if item.name not in present
    ]


def _joins(model: str, document: dict[str, Any], *staged: TableContent) -> None:
    """Raises where the model, as it would be, cannot be joined with its data. No evaluator is kept: it may come to nothing."""
    policy, _ = draft_policy()
    models = [item for item in policy["models"] if item["name"] != model]
    bundle = bundle_of("draft", {**policy, "models": [*models, document]})
    Evaluator(bundle, loader(bundle, load_with(*staged), dict(contents()))).data(model)
