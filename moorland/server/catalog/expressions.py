"""Measures and derived columns while they are written: what they give over all data, what they read, what builds on them."""

from functools import partial
from typing import Any

import numpy as np

from moorland.core.bundle.model import Column, Measure
from moorland.core.bundle.model import Model as ModelShape
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.shape import VALUE_TYPES
from moorland.core.engine.cells import cell_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.in_place import on_strata
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import Question, TotalsAnswer, TotalsQuestion
from moorland.core.insight.touching import dependents, measure_dependents
from moorland.core.language.checking import Scope, check_expression
from moorland.core.language.derived import ColumnKey
from moorland.core.language.errors import ConditionError
from moorland.core.language.measures import check_measure
from moorland.server.catalog.shapes import MeasureCheck, MeasureRequest
from moorland.server.errors import problem_shape

SAMPLES = 8
_TRIED = "tried_here"


def tried_measure(base: Evaluator, model: str, asked: MeasureRequest) -> MeasureCheck:
    """The value of an edited measure over all data."""
    compiled = base.models[model]
    name = asked.name or _TRIED
    try:
        checked = check_measure(compiled.schema, name, compiled.derived, asked.expression, asked.table)
    except ConditionError as error:
        return _wrong(error.problem())
    shape = compiled.schema.model
    written = Measure(name=name, table=asked.table, expression=asked.expression)
    edited = shape.model_copy(update={"measures": [*(item for item in shape.measures if item.name != name), written]})
    try:
        after = _evaluator(base, edited)
    except BundleError as error:
        return _wrong(error.problems[0])
    found = after.answer(after.all_data(), Question(totals=TotalsQuestion(model=model, measures=[name])))
    value: Any = found.total[0] if isinstance(found, TotalsAnswer) else None
    inputs = sorted(f"{owner}.{column}" for owner, column in checked.inputs)
    known = measure_dependents(base, model, name) if name in compiled.measures else []
    return MeasureCheck(problem=None, value=value, type=str(checked.tree.type), samples=[], inputs=inputs, dependents=known)


def tried_column(base: Evaluator, model: str, asked: MeasureRequest) -> MeasureCheck:
    """The type and first values of an edited derived column."""
    compiled = base.models[model]
    scope = Scope(schema=compiled.schema, table=asked.table, viewer=False)
    try:
        checked = check_expression(asked.expression, scope)
    except ConditionError as error:
        return _wrong(error.problem())
    type_ = str(checked.type)
    shape = compiled.schema.model
    table = shape.table(asked.table)
    if table is None or type_ not in VALUE_TYPES:
        return _wrong(Problem("type", "this gives no value of a type a column can have."))
    name = asked.name or _TRIED
    column = Column(name=name, type=VALUE_TYPES[type_], expression=asked.expression)
    edited_table = table.model_copy(update={"columns": [*(item for item in table.columns if item.name != name), column]})
    edited = shape.model_copy(update={"tables": [edited_table if item.name == table.name else item for item in shape.tables]})
    try:
        after = _evaluator(base, edited)
        data = after.data(model)
    except BundleError as error:
        return _wrong(error.problems[0])
    samples = on_strata(data, partial(_samples, (asked.table, name)))
    reads = sorted(f"{owner}.{read}" for owner, read in after.models[model].derived[asked.table, name].reads)
    known = dependents(base, model, asked.table).get(name, [])
    return MeasureCheck(problem=None, value=None, type=type_, samples=samples, inputs=reads, dependents=known)


def _evaluator(base: Evaluator, model: ModelShape) -> Evaluator:
    """An evaluator of the edited model alone: no role is needed to look at all data."""
    return base.on(base.bundle.model_copy(update={"models": [model], "roles": [], "pages": [], "promises": []}))


def _samples(key: ColumnKey, data: ModelData) -> list[Any]:
    rows = np.arange(min(SAMPLES, data.rows(key[0])))
    return cell_values(data, key[0], key, rows, np.ones(len(rows), np.bool_))


def _wrong(problem: Problem) -> MeasureCheck:
    return MeasureCheck(problem=problem_shape(problem), value=None, type=None, samples=[], inputs=[], dependents=[])
