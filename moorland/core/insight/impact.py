"""Who gains and who loses what between two states of a workspace."""

from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Iterator
from typing import Any

import numpy as np

from moorland.core.collector import collector_paused
from moorland.core.engine.cells import cell_values
from moorland.core.engine.distinct_views import AlikeTwice, alike_twice
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.everyone import changes_together
from moorland.core.engine.mask_kinds import CellKind
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import Question, Refused, TotalsAnswer, TotalsQuestion
from moorland.core.engine.table_view import visible_table
from moorland.core.engine.through_strata import through_strata
from moorland.core.engine.visible import ViewerModel
from moorland.core.insight.impacts import Impacts, TableChange, TotalChange, ViewChanges
from moorland.core.language.vectors import Mask
from moorland.core.people import Viewer


def impact(
    before: Evaluator, after: Evaluator, logins: Iterable[str], totals: Iterable[tuple[str, str]] = (), progress: Callable[[int], None] | None = None
) -> Impacts:
    """For each person for whom something changes: rows, objects, cells, pages gained and lost, and the chosen totals (model, measure).

    People whose roles, and whose values of all that those roles read, are the same are worked out once.
    """
    names, chosen = list(logins), list(totals)
    with collector_paused():
        views = through_strata([before, after], lambda first, second: list(_impact(first, second, names, chosen, progress)))
    were, are = before.people.users, after.people.users
    return Impacts(views, lambda login: (are.get(login) or were[login]).name)


def _impact(
    before: Evaluator, after: Evaluator, logins: list[str], chosen: list[tuple[str, str]], progress: Callable[[int], None] | None
) -> Iterator[tuple[ViewChanges, tuple[str, ...]]]:
    """What changes, with the logins of all for whom it does; each view once."""
    views = Views(before), Views(after)
    together = alike_twice(before.views, after.views, logins)
    known = [_is_known(before, same.before) and _is_known(after, same.after) for same in together]
    counted = _Counted(before, after, [same for same, is_known in zip(together, known, strict=True) if is_known])
    done = 0
    for same, is_known in zip(together, known, strict=True):
        if progress:
            progress(done)
        done += len(same.logins)
        one = _viewer_impact(views, same, chosen, counted.of(same)) if is_known else ViewChanges(not_known=True)
        if one.changes:
            yield one, same.logins


def _is_known(evaluator: Evaluator, viewer: Viewer | None) -> bool:
    return viewer is None or all(evaluator.is_known(viewer, name) for name in evaluator.choosing)


#: For one viewer the changes of tables counted beforehand, by model and table; None where nothing changes.
CountedTables = dict[tuple[str, str], "TableChange | None"]


class _Counted:
    """Changes of tables, counted for all viewers who hold the same roles before and the same after at once.

    Viewers for whom cells may change too, in rows seen before and after, are left to be looked at alone.
    """

    def __init__(self, before: Evaluator, after: Evaluator, people: list[AlikeTwice]) -> None:
        self._found: dict[str, CountedTables] = {}
        models = before.models.keys() & after.models.keys()
        alike: dict[Hashable, list[tuple[str, Viewer, Viewer]]] = {}
        for same in people:
            old, new = same.before, same.after
            if old is not None and new is not None and old.enabled and new.enabled:
                contents = [(before.of(old, name).content, after.of(new, name).content) for name in models]
                alike.setdefault((tuple(old.held), tuple(new.held), *contents), []).append((same.logins[0], old, new))
        for several in alike.values():
            logins, olds, news = (list(part) for part in zip(*several, strict=True))
            for name in models:
                first, second = _model(before, olds[0], name), _model(after, news[0], name)
                if first is not None and second is not None and _plain(first) and _plain(second) and _same_content(first, second):
                    self._count(name, first, second, logins, olds, news)

    def of(self, same: AlikeTwice) -> CountedTables:
        """What was counted for people who see the same."""
        return self._found.get(same.logins[0], {})

    def _count(self, model: str, first: ViewerModel, second: ViewerModel, logins: list[str], olds: list[Viewer], news: list[Viewer]) -> None:
        if first.objects.columns != second.objects.columns:
            return
        for table in first.objects.tables & second.objects.tables:
            counts = changes_together(first, second, olds, news, table)
            if counts is None:
                continue
            rows = first.data.size(table)
            for login, was, will, gained, lost in zip(logins, counts["before"], counts["after"], counts["gained"], counts["lost"], strict=True):
                change = TableChange(model=model, table=table, rows=rows, before=was, after=will, gained=gained, lost=lost) if gained or lost else None
                self._found.setdefault(login, {})[model, table] = change


def _plain(model: ViewerModel) -> bool:
    """Whether no cell is masked, and every grant shows the same columns: then cells differ with rows only."""
    unmasked = not any(rows.role.masks for rows in (*model.grants, *model.limits))
    return unmasked and len({grant.objects.columns for grant in model.grants}) == 1


def _viewer_impact(views: "tuple[Views, Views]", same: AlikeTwice, totals: Iterable[tuple[str, str]], counted: CountedTables) -> ViewChanges:
    """What changes for people who see the same between two states; who is missing from one of them sees nothing there."""
    before, after, old, new = views[0].evaluator, views[1].evaluator, same.before, same.after
    tables: list[TableChange] = []
    gained: list[str] = []
    lost: list[str] = []
    for name in dict.fromkeys([*before.models, *after.models]):
        first, second = _model(before, old, name), _model(after, new, name)
        shape = (after if name in after.models else before).models[name].schema
        for table in shape.tables.values():
            key = (name, table.name)
            change = counted[key] if key in counted else _table_change(name, table.name, first, second)
            if change is not None:
                tables.append(change)
        had, has = views[0].objects(first), views[1].objects(second)
        gained += sorted(has - had)
        lost += sorted(had - has)
        clearer, covered = ([], []) if any(model == name for model, _ in counted) else _cell_changes(first, second)
        gained += clearer
        lost += covered
        listed, lists = views[0].listings(first), views[1].listings(second)
        gained += sorted(lists - listed) if first is not None else []
        lost += sorted(listed - lists) if second is not None else []
    could, can = _pages(before, old), _pages(after, new)
    gained += sorted(can - could)
    lost += sorted(could - can)
    moved = [_total_change(before, after, old, new, model, measure) for model, measure in totals]
    return ViewChanges(tables=tables, totals=[item for item in moved if item is not None], gained=gained, lost=lost)


class Views:
    """What exists, is listed and is exported under one evaluator, worked out once for each set of roles."""

    def __init__(self, evaluator: Evaluator) -> None:
        self.evaluator = evaluator
        self._objects: dict[object, set[str]] = {}
        self._listings: dict[object, set[str]] = {}

    def objects(self, model: ViewerModel | None) -> set[str]:
        """What exists: the same for all who hold the same roles."""
        return self._by_roles(self._objects, model, _objects)

    def listings(self, model: ViewerModel | None) -> set[str]:
        """What is listed and exported: the same for all who hold the same roles."""
        return self._by_roles(self._listings, model, _listings)

    def _by_roles(self, known: dict[object, set[str]], model: ViewerModel | None, find: Callable[[ViewerModel | None], set[str]]) -> set[str]:
        held = (model.data.schema.model.name, tuple(model.viewer.held)) if model else None
        if held not in known:
            known[held] = find(model)
        return known[held]


def _model(evaluator: Evaluator, viewer: Viewer | None, name: str) -> ViewerModel | None:
    try:
        return evaluator.viewer_model(viewer, name) if viewer else None
    except Refused:
        return None


def _same_content(first: ViewerModel, second: ViewerModel, tables: Iterable[str] | None = None) -> bool:
    """Whether tables (all, unless some are named) hold the same rows in both states."""
    old, new = first.data.tables, second.data.tables
    return all(name in new and old[name].version == new[name].version for name in (old if tables is None else tables))


def _table_change(model: str, table: str, first: ViewerModel | None, second: ViewerModel | None) -> TableChange | None:
    old = visible_table(first, table).rows if first and table in first.objects.tables else None
    new = visible_table(second, table).rows if second and table in second.objects.tables else None
    if old is None and new is None:
        return None
    if first is not None and second is not None and old is not None and new is not None and not _same_content(first, second, [table]):
        gained, lost = _moved_rows(first.data, old, second.data, new, table)
    elif old is not None and new is not None and len(old) == len(new):
        gained, lost = _counted(second, table, new & ~old), _counted(first, table, old & ~new)
    else:
        gained, lost = _counted(second, table, new), _counted(first, table, old)
    if (old is None) == (new is None) and not gained and not lost:
        return None
    known = second if new is not None else first
    assert known is not None
    return TableChange(
        model=model,
        table=table,
        rows=known.data.size(table),
        before=None if old is None else _counted(first, table, old),
        after=None if new is None else _counted(second, table, new),
        gained=gained,
        lost=lost,
    )


def _counted(model: ViewerModel | None, table: str, mask: Mask | None) -> int:
    return 0 if model is None or mask is None else model.data.counted(table, mask)


def _moved_rows(old: ModelData, seen_before: Mask, new: ModelData, seen_after: Mask, table: str) -> tuple[int, int]:
    """Rows gained and lost where the content differs: told apart by the key, or, without one, by all columns both contents have."""
    key = new.schema.tables[table].key
    columns = [key] if key and key in old.tables[table].columns else [name for name in new.tables[table].columns if name in old.tables[table].columns]
    before, after = (_times(data, table, columns, seen) for data, seen in ((old, seen_before), (new, seen_after)))
    return (after - before).total(), (before - after).total()


def _times(data: ModelData, table: str, columns: list[str], seen: Mask) -> Counter[tuple[Any, ...]]:
    """How often each row a mask names is there."""
    weights, found = data.weights(table), Counter[tuple[Any, ...]]()
    each = [1] * int(seen.sum()) if weights is None else weights[seen].tolist()
    for row, times in zip(_written(data, table, columns, seen), each, strict=True):
        found[row] += times
    return found


def _written(data: ModelData, table: str, columns: list[str], seen: Mask) -> list[tuple[Any, ...]]:
    """The rows a mask (rows,) names, as tuples of the columns' values."""
    rows = np.flatnonzero(seen)
    if not columns:
        return [()] * len(rows)
    return list(zip(*(cell_values(data, table, (table, column), rows, np.ones(len(rows), np.bool_)) for column in columns), strict=True))


def _cell_changes(first: ViewerModel | None, second: ViewerModel | None) -> tuple[list[str], list[str]]:
    """Columns with cells that become clearer, and more covered, in rows visible both before and after."""
    clearer: list[str] = []
    covered: list[str] = []
    if first is None or second is None:
        return clearer, covered
    for key in sorted(first.objects.columns & second.objects.columns):
        table, column = key
        if not _same_content(first, second, [table]) or first.data.rows(table) != second.data.rows(table):
            continue
        states = [coverings(model, key) for model in (first, second)]
        if all(np.ndim(state) == 0 for state in states) and states[0] == states[1]:
            continue
        both = visible_table(first, table).rows & visible_table(second, table).rows
        less, more = _counted(first, table, both & (states[1] < states[0])), _counted(first, table, both & (states[1] > states[0]))
        if less:
            clearer.append(f"clearer cells of {table}.{column} in {less:,} rows")
        if more:
            covered.append(f"clear cells of {table}.{column} in {more:,} rows")
    return clearer, covered


def covered(kind: CellKind) -> float:
    """How much a state covers, as one number."""
    order, finer = kind.covers
    return order * 1e12 + finer


def coverings(model: ViewerModel, key: tuple[str, str]) -> Any:
    """How much of the cells of a column may be learned, comparable between two states of a workspace: one number, or shape (rows,)."""
    numbers = np.array([covered(kind) for kind in model.ladder.kinds])
    return numbers[visible_table(model, key[0]).states(key)]


def _listings(model: ViewerModel | None) -> set[str]:
    """The tables whose rows are listed, and those whose rows are exported (5.7, 7.1)."""
    if model is None:
        return set()
    listed = {table for table in model.objects.tables if model.listing(table)}
    return {f"listing rows of {table}" for table in listed} | {f"exporting rows of {table}" for table in listed if model.exporting(table)}


def _total_change(before: Evaluator, after: Evaluator, old: Viewer | None, new: Viewer | None, model: str, measure: str) -> TotalChange | None:
    first, second = _total(before, old, model, measure), _total(after, new, model, measure)
    return None if first == second else TotalChange(model=model, measure=measure, before=first, after=second)


def _total(evaluator: Evaluator, viewer: Viewer | None, model: str, measure: str) -> float | None:
    if viewer is None:
        return None
    answer = evaluator.answer(viewer, Question(totals=TotalsQuestion(model=model, measures=[measure])))
    value = answer.total[0] if isinstance(answer, TotalsAnswer) else None
    return float(value) if isinstance(value, int | float) else None


def _objects(model: ViewerModel | None) -> set[str]:
    if model is None:
        return set()
    objects = model.objects
    return {f"column {table}.{column}" for table, column in objects.columns} | {f"measure {name}" for name in objects.measures}


def _pages(evaluator: Evaluator, viewer: Viewer | None) -> set[str]:
    if viewer is None:
        return set()
    return {f"page {page.name}" for page in evaluator.bundle.pages if evaluator.may_open(viewer, page.name)}
