"""Where two views of models part: between two viewers, or of one viewer between two bundles."""

from collections.abc import Iterator

import numpy as np

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.mask_kinds import CellKind
from moorland.core.engine.questions import Refused
from moorland.core.engine.table_view import TableView, listed_table, visible_table
from moorland.core.engine.visible import ViewerModel
from moorland.core.people import Viewer


def parts_that_differ(evaluator: Evaluator, one: Viewer, other: Viewer) -> list[str]:
    """The models, objects, tables (their rows), columns (their cells) and pages in which two viewers of a bundle differ."""
    found: list[str] = []
    for name in evaluator.models:
        first, second = (_model(evaluator, viewer, name) for viewer in (one, other))
        if first is None or second is None:
            if first is not second:
                found.append(f"model {name}")
            continue
        found += _in_model(first, second)
    for page in evaluator.bundle.pages:
        if evaluator.may_open(one, page.name) != evaluator.may_open(other, page.name):
            found.append(f"page {page.name}")
    return found


def _model(evaluator: Evaluator, viewer: Viewer, name: str) -> ViewerModel | None:
    try:
        return evaluator.viewer_model(viewer, name)
    except Refused:
        return None


def _in_model(first: ViewerModel, second: ViewerModel) -> Iterator[str]:
    one, other = first.objects, second.objects
    yield from (f"table {name}" for name in sorted(one.tables ^ other.tables))
    yield from (f"column {table}.{column}" for table, column in sorted(one.columns ^ other.columns))
    yield from (f"measure {name}" for name in sorted(one.measures ^ other.measures))
    yield from (f"hierarchy {name}" for name in sorted(one.hierarchies ^ other.hierarchies))
    for table in sorted(one.tables & other.tables):
        if first.data.tables[table].version != second.data.tables[table].version:
            if visible_table(first, table).rows.any() or visible_table(second, table).rows.any():
                yield f"rows of {table}"
            continue
        views = [(of(first, table), of(second, table)) for of in (visible_table, listed_table)]
        parted = [what for what, (mine, theirs) in zip(("rows of", "listed rows of"), views, strict=True) if not np.array_equal(mine.rows, theirs.rows)]
        if parted:
            yield f"{parted[0]} {table}"
            continue
        for key in sorted(key for key in one.columns & other.columns if key[0] == table):
            if any(_shown_kinds(mine, key) != _shown_kinds(theirs, key) for mine, theirs in views):
                yield f"cells of {table}.{key[1]}"


def _shown_kinds(view: TableView, key: tuple[str, str]) -> list[CellKind]:
    """What each cell of a view is shown as, comparable between viewers whose states are numbered differently."""
    kinds = view.model.ladder.kinds
    return [kinds[state] for state in view.states_in(key, np.flatnonzero(view.rows)).tolist()]
