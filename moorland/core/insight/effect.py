"""Shares of tables and rows side by side: what viewers see of all the data, withheld rows in their places."""

from typing import Any, Literal

import numpy as np
from pydantic import Field

from moorland.core.bundle.shape import FilterText, Shape
from moorland.core.engine.asked import prepare_rows
from moorland.core.engine.cells import cell_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.objects import everything
from moorland.core.engine.questions import AnswerError, CellState, ColumnName, Refused
from moorland.core.engine.roles import CompiledModel
from moorland.core.engine.strata import strata_for
from moorland.core.engine.table_view import TableView, listed_table, visible_table
from moorland.core.engine.through_strata import on_strata
from moorland.core.engine.visible import ViewerModel
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
    compiled = evaluator.models[model_name]
    data = evaluator.data(model_name)
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
    whole = evaluator.viewer_model(evaluator.all_data(), question.model)
    data, schema, table = whole.data, whole.data.schema, question.table
    asked = prepare_rows(question, schema, everything(schema), evaluator.people.definitions)
    matching = np.ones(data.rows(table), dtype=np.bool_)
    if asked.condition is not None:
        matching = true_rows(asked.condition, data.frame(table), table, data.rows(table))
    models: list[ViewerModel | None] = []
    refused: list[AnswerError | None] = []
    for viewer in viewers:
        try:
            models.append(evaluator.viewer_model(viewer, question.model))
            refused.append(None)
        except Refused as error:
            models.append(None)
            refused.append(error.answer().error)
    masks = [visible_table(model, table).rows if model else np.zeros(len(matching), dtype=np.bool_) for model in models]
    listings = [listed_table(model, table) if model else None for model in models]
    visible = [int((mask & matching).sum()) for mask in masks]
    listed = [int((view.rows & matching).sum()) if view else 0 for view in listings]
    if question.only == "differing" and masks:
        matching = matching & ~np.logical_and.reduce(masks)
    selected = np.flatnonzero(matching)
    wanted = visible_table(whole, table).ordered(selected, asked.order, evaluator.secret)[question.offset : question.offset + question.limit]
    cells = [cell_values(data, table, key, wanted, np.ones(len(wanted), np.bool_)) for key in asked.columns]
    views = [
        _cells(view, mask, asked.columns, wanted, evaluator.secret) if view else [(None, None)] * len(wanted)
        for view, mask in zip(listings, masks, strict=True)
    ]
    values = [list(row) for row in zip(*cells, strict=True)] if cells else [[] for _ in wanted]
    rows = [
        AlignedRow(row=number, values=row, states=[view[index][0] for view in views], shown=[view[index][1] for view in views])
        for index, (number, row) in enumerate(zip(wanted.tolist(), values, strict=True))
    ]
    return AlignedRows(columns=asked.names, matching=len(selected), rows=rows, visible=visible, listed=listed, refused=refused)


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
