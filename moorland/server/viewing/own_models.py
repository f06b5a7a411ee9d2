"""What exists of the models for somebody, as they may know it: to build from, to browse, and for programs that write questions for them."""

from typing import Any

from moorland.core.engine.asked import counted_tables
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.objects import Objects
from moorland.core.engine.questions import Question, RowsAnswer, RowsQuestion
from moorland.core.people import Viewer
from moorland.server.viewing.building_shapes import OwnColumn, OwnCube, OwnDimension, OwnHierarchy, OwnMeasure, OwnModel, OwnTable

#: So many rows are looked at for samples, and so many are given of each column.
SAMPLE_ROWS = 50
MOST_SAMPLES = 5


def own_model(base: Evaluator, name: str, objects: Objects) -> OwnModel:
    """What exists of a model for somebody: named one by one, so that what is added to models stays out until it is named here."""
    compiled = base.models[name]
    schema = compiled.schema
    return OwnModel(
        name=name,
        label=schema.model.title,
        tables=[
            OwnTable(
                name=table,
                label=schema.tables[table].title,
                key=schema.tables[table].key if (table, schema.tables[table].key or "") in objects.columns else None,
                columns=[
                    OwnColumn(name=column.name, label=column.label or column.name.replace("_", " "), type=column.type, about=column.about)
                    for column in schema.tables[table].columns
                    if (table, column.name) in objects.columns
                ],
                about=schema.tables[table].about,
                lookups=[other for other in schema.tables if other in objects.tables and other != table and schema.reaches(table, other)],
            )
            for table in schema.tables
            if table in objects.tables
        ],
        measures=[
            OwnMeasure(
                name=measure.name,
                label=measure.title,
                format=measure.format,
                table=measure.table,
                about=measure.about,
                tables=sorted(counted_tables(compiled.measures[measure.name])),
            )
            for measure in schema.model.measures
            if measure.name in objects.measures
        ],
        hierarchies=[
            OwnHierarchy(name=item.name, label=item.title, table=item.table, levels=item.levels)
            for item in schema.model.hierarchies
            if item.name in objects.hierarchies and item.levels is not None and all((item.table, level) in objects.columns for level in item.levels)
        ],
        cubes=[
            OwnCube(
                name=cube.name,
                label=cube.title,
                dimensions=[
                    OwnDimension(table=dimension.table, hierarchies=[one for one in dimension.hierarchies if one in objects.hierarchies])
                    for dimension in cube.dimensions
                    if dimension.table in objects.tables
                ],
                measures=[measure for measure in cube.measures if measure in objects.measures],
            )
            for cube in schema.model.cubes
            if cube.name in objects.cubes
        ],
    )


def with_samples(base: Evaluator, viewer: Viewer, model: OwnModel) -> OwnModel:
    """The model with some values of each column, of rows the viewer may list and cells they are shown in clear."""
    tables = [table.model_copy(update={"columns": _sampled(base, viewer, model.name, table)}) for table in model.tables]
    return model.model_copy(update={"tables": tables})


def _sampled(base: Evaluator, viewer: Viewer, model: str, table: OwnTable) -> list[OwnColumn]:
    names = [f"{table.name}.{column.name}" for column in table.columns]
    found = base.answer(viewer, Question(rows=RowsQuestion(model=model, table=table.name, columns=names, limit=SAMPLE_ROWS)))
    if not isinstance(found, RowsAnswer):
        return table.columns
    samples: list[list[Any]] = [[] for _ in names]
    for row, states in zip(found.rows, found.states, strict=True):
        for place, (value, state) in enumerate(zip(row, states, strict=True)):
            if state == "clear" and value is not None and value not in samples[place] and len(samples[place]) < MOST_SAMPLES:
                samples[place].append(value)
    return [column.model_copy(update={"samples": some}) for column, some in zip(table.columns, samples, strict=True)]
