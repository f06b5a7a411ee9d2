"""A promise that would notice what no promise notices: tried under the policy as it is and under the mutant (docs/testing.md)."""

from collections.abc import Iterator

import numpy as np

from moorland.core.bundle.policy import Role
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.promises import Must, ObjectsMust, PagesMust, Promise, RowsMust, TotalMust, ValuesMust
from moorland.core.engine.cells import plain_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import codes_with_null, group_labels
from moorland.core.engine.questions import Question, Refused, TotalsAnswer, TotalsQuestion
from moorland.core.engine.table_view import visible_table
from moorland.core.engine.visible import ViewerModel
from moorland.core.insight.mutants import Mutant
from moorland.core.insight.promises import run_promise, shown_values
from moorland.core.language.vectors import Mask
from moorland.core.language.writing import literal_text, name_text
from moorland.core.people import Viewer

#: Of a column with more values no single one is promised about.
MOST_VALUES = 5000
#: So many measures are tried for a figure that changes.
MOST_MEASURES = 40


def proposed(before: Evaluator, after: Evaluator, person: tuple[Viewer, Viewer], role: Role, mutant: Mutant) -> Promise | None:
    """A promise for somebody, as they are before and after, that holds before and is broken after; the plainest there is, None where none was found."""
    was, now = person
    for number, (label, must) in enumerate(_candidates(before, after, was, now, role)):
        promise = Promise(name=_named(before, role, mutant, number), label=f"{was.name or was.login} {label}", viewer=was.login or "", must=must)
        try:
            if run_promise(before, promise).kept and not run_promise(after, promise).kept:
                return promise
        except BundleError:
            continue
    return None


def _named(evaluator: Evaluator, role: Role, mutant: Mutant, number: int) -> str:
    place = f"sentence {mutant.sentence + 1}" if mutant.sentence is not None else f"assignment {(mutant.assignment or 0) + 1}"
    name = f"guards {role.name} {place}"[:180]
    taken = {promise.name for promise in evaluator.bundle.promises}
    return name if name not in taken else f"{name} ({number + 2})"


def _candidates(before: Evaluator, after: Evaluator, was: Viewer, now: Viewer, role: Role) -> Iterator[tuple[str, Must]]:
    """What changes for somebody, said as a promise that it does not: pages, objects, rows, values, figures."""
    opened = [page.name for page in before.bundle.pages if after.may_open(now, page.name) and not before.may_open(was, page.name)]
    if opened:
        yield f"cannot open {opened[0]}", Must(pages=PagesMust(cannot_open=[opened[0]]))
    if role.model is None:
        return
    old, new = _model(before, was, role.model), _model(after, now, role.model)
    if new is None:
        return
    appeared = _appeared(old, new)
    if appeared:
        yield f"does not see {appeared[0].partition(':')[2]}", Must(hidden=ObjectsMust(model=role.model, objects=appeared[:1]))
    own = {rule.table for rule in after.roles[role.name].rows}
    tables = sorted(new.objects.tables, key=lambda table: (table not in own, table))
    for table in tables:
        seen = _rows(old, table, len(_rows(new, table)))
        gained = _rows(new, table) & ~seen
        if gained.any():
            yield from _about_rows(new, table, seen, gained, role.model)
    for key in sorted(new.objects.columns):
        if old is None or key not in old.objects.columns or not (old.masks_any([key]) or new.masks_any([key])):
            continue
        hidden_before = set(shown_values(old, key, before.secret))
        shown = [value for value in shown_values(new, key, after.secret) if value not in hidden_before]
        if shown:
            label = f"is not shown {shown[0]} in {'.'.join(key)}"
            yield label, Must(values=ValuesMust(model=role.model, column=".".join(key), excludes=[shown[0]]))
    for measure in sorted(new.objects.measures)[:MOST_MEASURES]:
        figures = [_figure(evaluator, viewer, role.model, measure) for evaluator, viewer in ((before, was), (after, now))]
        if figures[0] != figures[1]:
            yield f"has {figures[0] if figures[0] is not None else 'no'} {measure}", Must(total=TotalMust(model=role.model, measure=measure, equals=figures[0]))


def _about_rows(model: ViewerModel, table: str, seen: Mask, gained: Mask, name: str) -> Iterator[tuple[str, Must]]:
    """None of the rows gained: by a value that only they have, else by how many there are."""
    data, schema = model.data, model.data.schema
    for column in schema.tables[table].columns:
        key = (table, column.name)
        if key not in model.objects.columns or column.name == schema.tables[table].key:
            continue
        labels, _ = group_labels(data, key)
        if len(labels) > MOST_VALUES:
            continue
        codes = codes_with_null(data, table, key)[:-1].astype(np.int64)
        codes[codes < 0] = len(labels)
        only = np.setdiff1d(codes[gained], codes[seen])
        only = only[(only >= 0) & (only < len(labels))]
        if len(only):
            counts = np.bincount(codes[gained], minlength=len(labels) + 1)
            code = int(only[np.argmax(counts[only])])
            value = plain_values(labels[code : code + 1])[0]
            where = f"{name_text(column.name)} = {literal_text(value, column.type)}"
            yield f"sees no {table} where {column.name} is {value}", Must(rows=RowsMust(model=name, table=table, where=where, count=0))
    count = int(seen.sum())
    yield f"sees at most {count:,} rows of {table}", Must(rows=RowsMust(model=name, table=table, at_most=count))


def _model(evaluator: Evaluator, viewer: Viewer, name: str) -> ViewerModel | None:
    try:
        return evaluator.viewer_model(viewer, name)
    except Refused:
        return None


def _rows(model: ViewerModel | None, table: str, rows: int = 0) -> Mask:
    if model is None or table not in model.objects.tables:
        return np.zeros(rows, np.bool_)
    return visible_table(model, table).rows


def _appeared(old: ViewerModel | None, new: ViewerModel) -> list[str]:
    """Objects that exist only after: columns before the tables that come with them."""
    had = old.objects if old is not None else None
    return [
        *(f"table:{table}" for table in sorted(new.objects.tables - (had.tables if had else frozenset()))),
        *(f"column:{table}.{column}" for table, column in sorted(new.objects.columns - (had.columns if had else frozenset()))),
        *(f"measure:{measure}" for measure in sorted(new.objects.measures - (had.measures if had else frozenset()))),
        *(f"hierarchy:{name}" for name in sorted(new.objects.hierarchies - (had.hierarchies if had else frozenset()))),
        *(f"cube:{name}" for name in sorted(new.objects.cubes - (had.cubes if had else frozenset()))),
    ]


def _figure(evaluator: Evaluator, viewer: Viewer, model: str, measure: str) -> float | None:
    answer = evaluator.answer(viewer, Question(totals=TotalsQuestion(model=model, by=[], measures=[measure])))
    value = answer.total[0] if isinstance(answer, TotalsAnswer) else None
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None
