"""Shares of tables and rows side by side: what viewers see of all the data, withheld rows in their places."""

from typing import Any, Literal

import numpy as np
from pydantic import Field

from moorland.core.bundle.shape import FilterText, Shape
from moorland.core.engine.asked import PreparedRows, prepare_rows
from moorland.core.engine.cells import cell_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.in_place import StandingData, noticed, worked_out
from moorland.core.engine.listing_in_place import PageRows, by_columns, hangs_together, ordering, page_data
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.objects import everything
from moorland.core.engine.questions import AnswerError, CellState, ColumnName, Refused
from moorland.core.engine.roles import CompiledModel
from moorland.core.engine.strata import strata_for
from moorland.core.engine.table_view import TableView, listed_table, visible_table
from moorland.core.engine.through_strata import on_strata, through_strata
from moorland.core.engine.visible import ViewerModel
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import true_rows
from moorland.core.language.vectors import Array, Mask
from moorland.core.people import Viewer

MOST_ROWS = 500


class TableShare(Shape):
    """What a viewer sees of a table: `visible` of `rows` (None where the table is absent), and the columns absent from it."""

    table: str
    rows: int
    visible: int | None
    absent_columns: list[str]


class ModelShare(Shape):
    """What a viewer sees of a model; `refused` says why it sees nothing."""

    refused: AnswerError | None
    tables: list[TableShare]
    measures: list[str]
    absent_measures: list[str]


class AlignedRow(Shape):
    """A row of all the data, and for each viewer the state of its cells and what is shown in them; None where the row is withheld from that viewer.

    `row` is its number in the table, from 0.
    """

    row: int
    values: list[Any]
    states: list[list[CellState] | None]
    shown: list[list[Any] | None]


class AlignedRows(Shape):
    """Rows of a table in one order for several viewers; of those that match, `visible` counts what each viewer sees, `listed` what each may list."""

    columns: list[str]
    matching: int
    rows: list[AlignedRow]
    visible: list[int]
    listed: list[int]
    refused: list[AnswerError | None]


class AlignedQuestion(Shape):
    """Which rows to set side by side."""

    model: str
    table: str
    columns: list[ColumnName] | None = Field(default=None, max_length=400)
    where: FilterText | None = None
    order: list[ColumnName] = Field(default_factory=list, max_length=20)
    limit: int = Field(default=100, ge=0, le=MOST_ROWS)
    offset: int = Field(default=0, ge=0)
    only: Literal["all", "differing"] = "all"


def visible_count(model: ViewerModel, table: str) -> int:
    """How many rows of a table a viewer sees; counted on strata where they pay."""
    grants = model.granting((), (table,))
    strata = strata_for(model, table)
    if strata is None:
        mask = model.rows(table, grants)
        return model.data.size(table) if mask is None else model.data.counted(table, mask)
    on_strata = model.on(strata.data)
    mask = on_strata.rows(table, on_strata.granting((), (table,)))
    return int(strata.counts.sum() if mask is None else strata.counts[mask].sum())


@on_strata
def share(evaluator: Evaluator, viewer: Viewer, model_name: str) -> ModelShare:
    """What a viewer sees of each table of a model."""
    evaluator = evaluator.of(viewer, model_name)
    compiled, data = evaluator.models[model_name], evaluator.data(model_name)
    try:
        model = evaluator.viewer_model(viewer, model_name)
    except Refused as refused:
        nothing = [TableShare(table=table.name, rows=data.size(table.name), visible=None, absent_columns=[]) for table in compiled.schema.tables.values()]
        return ModelShare(refused=refused.answer().error, tables=nothing, measures=[], absent_measures=list(compiled.measures))
    return share_of(model, compiled)


def share_of(model: ViewerModel, compiled: CompiledModel) -> ModelShare:
    """The same of a model as roles open it."""
    tables = []
    for table in compiled.schema.tables.values():
        exists = table.name in model.objects.tables
        rows = model.data.size(table.name)
        tables.append(
            TableShare(
                table=table.name,
                rows=rows,
                visible=visible_count(model, table.name) if exists else None,
                absent_columns=[column.name for column in table.columns if (table.name, column.name) not in model.objects.columns] if exists else [],
            )
        )
    measures = [name for name in compiled.measures if name in model.objects.measures]
    return ModelShare(refused=None, tables=tables, measures=measures, absent_measures=[name for name in compiled.measures if name not in measures])


def aligned_rows(evaluator: Evaluator, question: AlignedQuestion, viewers: list[Viewer]) -> AlignedRows:
    """Rows of all the data in one order, with the state of every cell for every viewer.

    Raises Refused for a name or filter that cannot be used; what refuses one viewer stands in `refused`.
    """
    contents = evaluator.by_content((viewer for viewer in viewers if not viewer.everything), question.model)
    if len(contents) > 1:
        raise Refused("invalid", "These viewers read different databases: their rows cannot stand side by side. Look at those of one database at a time.")
    evaluator = contents[0][0] if contents else evaluator
    whole = evaluator.viewer_model(evaluator.all_data(), question.model)
    data, schema, table = whole.data, whole.data.schema, question.table
    asked = prepare_rows(question, schema, everything(schema), evaluator.people.definitions)
    models: list[ViewerModel | None] = []
    refused: list[AnswerError | None] = []
    for viewer in viewers:
        try:
            models.append(evaluator.viewer_model(viewer, question.model))
            refused.append(None)
        except Refused as error:
            models.append(None)
            refused.append(error.answer().error)
    if table in data.left:
        return aligned_in_place(evaluator, question, asked, whole, models, refused)
    if data.left:
        return through_strata([evaluator], lambda on: aligned_rows(on, question, viewers))
    matching = np.ones(data.rows(table), dtype=np.bool_)
    if asked.condition is not None:
        matching = true_rows(asked.condition, data.frame(table), table, data.rows(table))
    seen = [_Seen(model, table, data) for model in models]
    visible, listed = [one.visible(matching) for one in seen], [one.listed(matching) for one in seen]
    if question.only == "differing" and seen:
        matching = matching & ~np.logical_and.reduce([one.rows for one in seen])
    selected = np.flatnonzero(matching)
    wanted = visible_table(whole, table).ordered(selected, asked.order, evaluator.secret)[question.offset : question.offset + question.limit]
    rows = _aligned(data, asked, wanted, wanted.tolist(), seen, evaluator.secret)
    return AlignedRows(columns=asked.names, matching=len(selected), rows=rows, visible=visible, listed=listed, refused=refused)


class _Seen:
    """A table as one of the viewers has it; nothing of it where the model does not exist for them."""

    def __init__(self, model: ViewerModel | None, table: str, data: ModelData | None = None) -> None:
        self.data = data if data is not None else model.data if model is not None else None
        self.table, self.model = table, model
        self.view = listed_table(model, table) if model is not None else None

    @property
    def rows(self) -> Mask:
        """The rows that are visible."""
        if self.model is None:
            assert self.data is not None
            return np.zeros(self.data.rows(self.table), dtype=np.bool_)
        return visible_table(self.model, self.table).rows

    def visible(self, matching: Mask) -> int:
        """How many of some rows are visible."""
        return self.model.data.counted(self.table, self.rows & matching) if self.model is not None else 0

    def listed(self, matching: Mask) -> int:
        """How many of some rows may be listed."""
        return self.model.data.counted(self.table, self.view.rows & matching) if self.model is not None and self.view is not None else 0


def _aligned(data: ModelData, asked: PreparedRows, wanted: Array, numbers: list[int], seen: list[_Seen], secret: bytes) -> list[AlignedRow]:
    """Some rows of a table with what each viewer has of their cells."""
    cells = [cell_values(data, asked.table, key, wanted, np.ones(len(wanted), np.bool_)) for key in asked.columns]
    views = [_cells(one.view, one.rows, asked.columns, wanted, secret) if one.view is not None else [(None, None)] * len(wanted) for one in seen]
    values = [list(row) for row in zip(*cells, strict=True)] if cells else [[] for _ in wanted]
    return [
        AlignedRow(row=number, values=row, states=[view[index][0] for view in views], shown=[view[index][1] for view in views])
        for index, (number, row) in enumerate(zip(numbers, values, strict=True))
    ]


def aligned_in_place(
    evaluator: Evaluator,
    question: AlignedQuestion,
    asked: PreparedRows,
    whole: ViewerModel,
    models: list[ViewerModel | None],
    refused: list[AnswerError | None],
) -> AlignedRows:
    """The same of a table left in place: which rows is decided on strata, and a page of them is read (sources.md 18.3)."""
    base, table, secret = whole.data, asked.table, evaluator.secret
    original = base.schema.original(table)

    def plain(key: ColumnKey) -> bool:
        return key[0] == table and (original, key[1]) not in base.derived

    def matching(data: ModelData) -> tuple[StandingData, Array, list[int], list[int], list[tuple[int | str, bool]], list[Array]]:
        assert isinstance(data, StandingData)
        found = np.ones(data.rows(table), dtype=np.bool_)
        if asked.condition is not None:
            found = true_rows(asked.condition, data.frame(table), table, data.rows(table))
        seen = [_Seen(model.on(data) if model is not None else None, table, data) for model in models]
        visible, listed = [one.visible(found) for one in seen], [one.listed(found) for one in seen]
        if question.only == "differing" and seen:
            found = found & ~np.logical_and.reduce([one.rows for one in seen])
        places = np.flatnonzero(found)
        order, ranks = ordering(visible_table(whole.on(data), table), places, asked.order, asked.columns, plain, secret)
        return data, places, visible, listed, order, ranks

    def shown(data: ModelData) -> None:
        seen = [_Seen(model.on(data) if model is not None else None, table, data) for model in models]
        _aligned(data, asked, np.arange(0), [], seen, secret)

    hangs = any(hangs_together(base, table, model.roles) for model in models if model is not None)
    needs = noticed(base, matching, by_columns() if hangs else None)
    reads = noticed(base, shown, by_columns())
    for name, columns in reads.columns.items():
        if name != original:
            needs.columns.setdefault(name, set()).update(columns)
    strata, places, visible, listed, order, ranks = worked_out(base, needs, matching)
    names = sorted(reads.columns.get(original, set()) | set(strata.tables[table].columns))
    data, first = page_data(base, strata, table, PageRows(names, places, order, ranks, question.offset, question.limit), hangs)
    wanted = np.arange(first, data.rows(table))
    seen = [_Seen(model.on(data) if model is not None else None, table, data) for model in models]
    rows = _aligned(data, asked, wanted, [question.offset + place for place in range(len(wanted))], seen, secret)
    return AlignedRows(columns=asked.names, matching=strata.counted(table, places), rows=rows, visible=visible, listed=listed, refused=refused)


def _cells(
    view: TableView, visible: Mask, columns: list[tuple[str, str]], wanted: Array, secret: bytes
) -> list[tuple[list[CellState] | None, list[Any] | None]]:
    """For one viewer the states of the cells of each wanted row and what is shown in them; None for a withheld row.

    A row that counts but is not listed has hidden cells only (7.1).
    """
    by_column = [view.names_in(key, wanted) for key in columns]
    shown_by_column = [view.shown(key, secret).values(wanted) for key in columns]
    states_of_rows: list[list[CellState]] = [list(row) for row in zip(*by_column, strict=True)] if columns else [[] for _ in wanted]
    shown_in_rows = [list(row) for row in zip(*shown_by_column, strict=True)] if columns else [[] for _ in wanted]
    seen = visible[wanted].tolist()
    return [(row, cells) if is_seen else (None, None) for row, cells, is_seen in zip(states_of_rows, shown_in_rows, seen, strict=True)]
