"""Tables kept here line by line, such as entitlement tables: every change at once, dated, with who made it and why; nothing is ever overwritten."""

from collections.abc import Collection, Iterable
from typing import Any

import numpy as np
import pyarrow as pa
from django.db import transaction
from django.utils import timezone

from moorland.core.bundle.model import Column, Table
from moorland.core.bundle.model import Model as ModelShape
from moorland.core.bundle.policy import BetweenColumns, EntitlementSentence, EverythingText
from moorland.core.bundle.problems import Problem, nearest_name
from moorland.core.bundle.structure import identity
from moorland.core.bundle.values import typed_value
from moorland.core.engine.cells import json_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import group_labels
from moorland.core.insight.impact import impact
from moorland.core.insight.impacts import Impacts, impacts_of
from moorland.core.sources.files import to_table_data
from moorland.server.catalog.kept_lines import as_declared, lines_table, stored_columns
from moorland.server.catalog.line_shapes import ColumnMeaning, Fault, LineChange, LineEntry, LinesAnswer, LinesChange
from moorland.server.catalog.models import KeptLine, KeptTable, Model, TableContent
from moorland.server.catalog.storage import ContentWriter, column_values, make_current, remove_ended
from moorland.server.changes import expect_version, recorded
from moorland.server.directory.models import Account
from moorland.server.errors import Failure, from_document, missing, stale
from moorland.server.evaluating import evaluator

#: Words people write where they mean every value.
WILDCARDS = frozenset({"ALL", "ANY", "*", "%", "EVERYTHING"})
MOST_LINES = 100_000
MOST_SUGGESTED = 2_000


def table_shape(model: str, table: str) -> Table:
    """A stored table of the draft. Raises Failure (404)."""
    stored = Model.objects.filter(name=model).first()
    shape = from_document(ModelShape, stored.document).table(table) if stored else None
    if shape is None or shape.alias_of is not None:
        raise missing("table", f"{model}.{table}")
    return shape


def kept_table(model: str, table: str) -> KeptTable:
    """The keeping of a table. Raises Failure (404) where it is not kept here."""
    kept = KeptTable.objects.filter(model=model, table=table).first()
    if kept is None:
        raise Failure(404, "not_found", f"{table} is not kept here.")
    return kept


def keep(model: str, table: str, account: Account) -> KeptTable:
    """From now on the table's lines are kept here; what it holds becomes its first lines."""
    shape = table_shape(model, table)
    content = TableContent.objects.filter(model=model, table=table, state="current").first()
    if content is not None and content.rows > MOST_LINES:
        raise Failure(422, "too_large", f"{table} has {content.rows:,} rows; up to {MOST_LINES:,} can be kept line by line.")
    with recorded(account, "keep here", f"{model}.{table}") as change:
        if KeptTable.objects.filter(model=model, table=table).exists():
            raise Failure(409, "stale", f"{table} is kept here already.")
        kept = KeptTable.objects.create(model=model, table=table)
        if content is not None:
            values = {column.name: _written(column_values(content, column.name, column.type)) for column in stored_columns(shape)}
            KeptLine.objects.bulk_create(
                [
                    KeptLine(
                        kept=kept,
                        position=row,
                        values={name: column[row] for name, column in values.items()},
                        added_by=account.login,
                        reason=f"from {content.source}",
                    )
                    for row in range(content.rows)
                ],
                batch_size=500,
            )
        change.details["lines"] = kept.lines.count()
    return kept


def _written(values: pa.ChunkedArray) -> list[Any]:
    return [value.isoformat() if hasattr(value, "isoformat") else value for value in values.to_pylist()]


def changed(kept: KeptTable, shape: Table, asked: LinesChange, account: Account) -> None:
    """Ends, replaces and adds lines, and makes the table hold what is left. Raises Failure with the place of every value of another type."""
    expect_version(kept, asked.version, f"the lines of {kept.table}")
    _refuse_wrong_values(shape, asked)
    now = timezone.now()
    there = {line.pk: line for line in kept.lines.filter(ended_at=None)}
    gone = [*asked.end, *(item.id for item in asked.change)]
    unknown = [key for key in gone if key not in there]
    if unknown:
        raise stale(f"the lines of {kept.table}", {"version": kept.version})
    KeptLine.objects.filter(pk__in=gone).update(ended_at=now, ended_by=account.login)
    last = kept.lines.order_by("-position").values_list("position", flat=True).first()
    following = (last if last is not None else -1) + 1
    made = [
        KeptLine(
            kept=kept,
            position=there[item.id].position,
            values=_values(shape, item),
            reason=item.reason or asked.reason,
            added_at=now,
            added_by=account.login,
            replaces_id=item.id,
        )
        for item in asked.change
    ]
    made += [
        KeptLine(
            kept=kept,
            position=following + index,
            values=_values(shape, item),
            reason=item.reason or asked.reason,
            added_at=now,
            added_by=account.login,
        )
        for index, item in enumerate(asked.add)
    ]
    KeptLine.objects.bulk_create(made, batch_size=500)
    if kept.lines.filter(ended_at=None).count() > MOST_LINES:
        raise Failure(422, "too_large", f"Up to {MOST_LINES:,} lines can be kept here.")
    kept.version += 1
    kept.save(update_fields=["version"])


def _values(shape: Table, item: LineChange) -> dict[str, Any]:
    return {column.name: item.values.get(column.name) for column in stored_columns(shape)}


def _refuse_wrong_values(shape: Table, asked: LinesChange) -> None:
    columns = {column.name: column for column in stored_columns(shape)}
    problems = []
    for part, lines in (("change", asked.change), ("add", asked.add)):
        for index, line in enumerate(lines):
            for name, value in line.values.items():
                place = f"{part}[{index}].{name}"
                if name not in columns:
                    problems.append(Problem("unknown_name", f"there is no column {name}.", path=place, nearest=nearest_name(name, columns)))
                elif value is not None:
                    try:
                        typed_value(value, columns[name].type)
                    except ValueError as error:
                        problems.append(Problem("type", f"{error}.", path=place))
    if problems:
        raise Failure(422, "invalid", problems[0].sentence() if len(problems) == 1 else f"{len(problems)} values are not of their column's type.", problems)


def written_content(kept: KeptTable, shape: Table) -> TableContent:
    """The table's lines as a staged content."""
    writer = ContentWriter(kept.model, kept.table, shape.key, f"lines kept here, version {kept.version}")
    writer.add(lines_table(kept, shape))
    return writer.finish("staged")


def tried(kept: KeptTable, shape: Table, asked: LinesChange, account: Account) -> Impacts:
    """Who gains and who loses what, live, by a change of lines; it is made and taken back."""
    before = evaluator("live")
    with transaction.atomic():
        changed(kept, shape, asked, account)
        arrow = lines_table(kept, shape)
        transaction.set_rollback(True)
    if kept.model not in before.models or (live := before.models[kept.model].schema.model.table(kept.table)) is None:
        return impacts_of([])
    lines = to_table_data(as_declared(arrow, live), live)

    after = before.with_content(lambda model, name: lines if (model.name, name) == (kept.model, kept.table) else None)
    return impact(before, after, _concerned(before, kept))


def _concerned(base: Evaluator, kept: KeptTable) -> Iterable[str]:
    """The people whose roles read the table."""
    reading = {
        name
        for name, role in base.roles.items()
        if role.role.model == kept.model
        and (any(sentence.entitlement and sentence.entitlement.through == kept.table for _, sentence in role.role.acting) or _opens(base, name, kept))
    }
    return [viewer.login for viewer in base.everyone() if viewer.login and reading & viewer.held.keys()]


def _opens(base: Evaluator, role: str, kept: KeptTable) -> bool:
    objects = base.roles[role].objects
    return objects is not None and kept.table in objects.tables


def made(kept: KeptTable, shape: Table, asked: LinesChange, account: Account) -> None:
    """Makes a change of lines; it acts at once."""
    with recorded(account, "change lines", f"{kept.model}.{kept.table}", "data") as change:
        changed(kept, shape, asked, account)
        make_current(written_content(kept, shape))
        change.details = {"added": len(asked.add), "changed": len(asked.change), "ended": len(asked.end), "reason": asked.reason}
    remove_ended()


def meanings(base: Evaluator, model: str, table: str) -> dict[str, ColumnMeaning]:
    """What entitlement sentences read each column as: a person, or a value of some column; and which words open everything."""
    found: dict[str, ColumnMeaning] = {}
    for role in base.bundle.roles:
        for _, sentence in role.acting:
            written = sentence.entitlement
            if role.model != model or written is None or written.through != table:
                continue
            person_is = written.person_is if isinstance(written.person_is, str) else f"attribute {written.person_is.attribute}"
            found.setdefault(written.person, ColumnMeaning(person=person_is, of=None, separator=None, everything=None))
            for target, source in written.match.items():
                for name in source.between if isinstance(source, BetweenColumns) else [source]:
                    found.setdefault(
                        name, ColumnMeaning(person=None, of=f"{written.table}.{target}", separator=written.separator, everything=_everything(written))
                    )
    return found


def _everything(written: EntitlementSentence) -> str | None:
    return written.everything.text if isinstance(written.everything, EverythingText) else written.everything


def suggestions(base: Evaluator, model: str, meaning: ColumnMeaning) -> list[str]:
    """The values a cell of that meaning can sensibly hold."""
    if meaning.person is not None:
        people = base.people
        names: dict[str, list[str]] = {
            "login": list(people.users),
            "email": [user.email for user in people.users.values() if user.email],
            "organization": [item.name for item in base.bundle.organizations],
            "group": list(people.groups),
            "role": list(base.roles),
        }
        return sorted(names.get(meaning.person, []))[: 10 * MOST_SUGGESTED]
    table, _, column = (meaning.of or "").partition(".")
    data = base.data(model)
    if (table, column) not in base.models[model].schema.columns:
        return []
    labels, _ = group_labels(data, (table, column))
    shown = labels[: 10 * MOST_SUGGESTED]
    return [str(value) for value in json_values(shown, np.ones(len(shown), np.bool_))]


def group_identities(base: Evaluator) -> frozenset[str]:
    """The groups' names as they are compared (4.5)."""
    return frozenset(identity(name) for name in base.people.groups)


def faults(
    columns: list[Column], meaning: dict[str, ColumnMeaning], known: dict[str, list[str]], groups: Collection[str], values: dict[str, Any]
) -> list[Fault]:
    """What looks wrong in a line: a type, somebody nobody knows, another letter case, a value that is not in the data. `groups` are their identities."""
    found: list[Fault] = []
    for column in columns:
        value = values.get(column.name)
        means = meaning.get(column.name)
        if value is None or (isinstance(value, str) and not value.strip()):
            if means is not None and means.person is not None:
                found.append(Fault(column=column.name, message="Blank names nobody: this line opens nothing.", nearest=None))
            elif means is not None and means.everything != "blank":
                found.append(Fault(column=column.name, message="Blank opens nothing.", nearest=None))
            elif means is not None:
                found.append(Fault(column=column.name, message="Blank opens everything here.", nearest=None, careful=True))
            continue
        try:
            typed_value(value, column.type)
        except ValueError:
            found.append(Fault(column=column.name, message=f"{value!s:.40} is not of type {column.type}.", nearest=None))
            continue
        if means is None or not known.get(column.name):
            continue
        parts = [part.strip() for part in str(value).split(means.separator)] if means.separator and means.of else [str(value)]
        for part in parts:
            fault = _unknown(column.name, part, means, known[column.name], groups)
            if fault is not None:
                found.append(fault.model_copy(update={"part": part}))
    return found


def _unknown(column: str, part: str, means: ColumnMeaning, known: list[str], groups: Collection[str]) -> Fault | None:
    if part in known or part == means.everything:
        return None
    if part.upper() in WILDCARDS and means.of:
        written = f"{means.everything} opens every row" if means.everything else "no sentence that reads this column opens every row"
        return Fault(column=column, message=f"{part} is looked for in {means.of} as it stands: {written}.", nearest=means.everything or None, careful=True)
    near = nearest_name(part, known)
    if means.person is not None:
        meant = next((name for name in known if identity(name) == identity(part)), None)
        if meant is not None:
            return Fault(column=column, message=f"Read as {meant}: letter case and spaces do not count for people.", nearest=meant, careful=True)
        if means.person != "group" and identity(part) in groups:
            return Fault(column=column, message=f"{part} is a group, but this column is read as {means.person}: the line opens nothing.", nearest=None)
        return Fault(column=column, message=f"{part} names nobody.", nearest=near)
    if near is not None and near.casefold() == part.strip().casefold():
        return Fault(column=column, message=f"{part} is written {near} in the data; this line opens nothing.", nearest=near)
    return Fault(column=column, message=f"{part} is not in {means.of}; this line opens nothing there.", nearest=near)


def lines_answer(kept: KeptTable, shape: Table, base: Evaluator) -> LinesAnswer:
    """The lines as they are, each with what looks wrong, and what its cells can hold."""
    columns = stored_columns(shape)
    meaning = meanings(base, kept.model, kept.table)
    known = {name: suggestions(base, kept.model, item) for name, item in meaning.items()}
    return LinesAnswer(
        table=shape,
        version=kept.version,
        meanings=meaning,
        known={name: values[:MOST_SUGGESTED] for name, values in known.items()},
        lines=[
            LineEntry(
                id=line.pk,
                values=line.values,
                reason=line.reason,
                added_at=line.added_at.isoformat(),
                added_by=line.added_by,
                ended_at=None,
                ended_by=None,
                faults=faults(columns, meaning, known, group_identities(base), line.values),
            )
            for line in kept.lines.filter(ended_at=None)
        ],
    )
