"""Small made-up worlds for tests of the core: bundles written briefly, data as rows."""

import datetime
from typing import Any

import pyarrow as pa

from moorland.core.bundle.model import Model
from moorland.core.bundle.reading import read_document
from moorland.core.engine.columns import ARROW_TYPES, TableData
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question
from moorland.core.sources.files import to_table_data

TODAY = datetime.date(2026, 3, 31)

#: table → (key, {column: type}, rows)
Tables = dict[str, tuple[str | None, dict[str, str], list[tuple[Any, ...]]]]

FARM: Tables = {
    "site": (
        "id",
        {"id": "integer", "area": "text", "status": "text", "rent": "number"},
        [(1, "fell", "open", 10.0), (2, "fell", "closed", 20.0), (3, "marsh", "open", 30.0), (4, "marsh", None, 40.0), (5, None, "open", 50.0)],
    ),
    "mill": ("id", {"id": "integer", "site_id": "integer", "kw": "number"}, [(10, 1, 5.0), (11, 2, 6.0), (12, 3, 7.0), (13, 9, 8.0), (14, None, 9.0)]),
    "run": (
        None,
        {"mill_id": "integer", "day": "date", "kwh": "number", "secret_kwh": "number"},
        [
            (10, "2026-01-01", 100.0, 1.0),
            (10, "2026-01-02", 200.0, 2.0),
            (11, "2026-01-01", 400.0, 4.0),
            (12, "2026-01-01", 800.0, 8.0),
            (12, "2026-02-01", None, 16.0),
            (13, "2026-01-01", 1600.0, 32.0),
            (None, "2026-01-01", 3200.0, 64.0),
        ],
    ),
}
FARM_RELATIONSHIPS = [{"from": "mill.site_id", "to": "site.id"}, {"from": "run.mill_id", "to": "mill.id"}]
FARM_MEASURES = [
    {"name": "energy", "table": "run", "expression": "SUM(kwh)"},
    {"name": "runs", "table": "run", "expression": "COUNT(*)"},
    {"name": "secret", "table": "run", "expression": "SUM(secret_kwh)"},
    {"name": "share", "table": "run", "expression": "SUM(secret_kwh) / NULLIF(measure.energy, 0)"},
    {"name": "rent", "table": "site", "expression": "SUM(rent)"},
]


def model_document(tables: Tables, relationships: list[dict[str, Any]], **more: Any) -> dict[str, Any]:
    """A model named `farm` of these tables."""
    shapes = [
        {"name": name, **({"key": key} if key else {}), "columns": [{"name": column, "type": type_} for column, type_ in columns.items()]}
        for name, (key, columns, _) in tables.items()
    ]
    return {"name": "farm", "tables": shapes, "relationships": relationships, **more}


def arrow_table(columns: dict[str, str], rows: list[tuple[Any, ...]]) -> pa.Table:
    """Rows as an Arrow table of the declared types; dates as ISO text."""
    arrays = {}
    for index, (name, type_) in enumerate(columns.items()):
        values = [row[index] for row in rows]
        if type_ == "date":
            values = [datetime.date.fromisoformat(value) if isinstance(value, str) else value for value in values]
        arrays[name] = pa.array(values, type=ARROW_TYPES[type_])
    return pa.table(arrays)


def evaluator(document: dict[str, Any], tables: Tables, as_of: datetime.date = TODAY) -> Evaluator:
    """An evaluator of a bundle document over rows in memory."""

    def load(model: Model, name: str) -> TableData:
        shape = next(table for table in model.tables if table.name == name)
        _, columns, rows = tables[name]
        return to_table_data(arrow_table(columns, rows), shape)

    return Evaluator(read_document({"moorland": 1, "name": "test", **document}), load, as_of)


def farm(*roles: dict[str, Any], tables: Tables = FARM, relationships: list[dict[str, Any]] | None = None, **more: Any) -> Evaluator:
    """The farm with roles, all of them held by everyone unless they say otherwise."""
    made = [{"kind": "grant", "model": "farm", "sentences": [], "assigned": [{"everyone": True}], **role} for role in roles]
    model = model_document(tables, FARM_RELATIONSHIPS if relationships is None else relationships, measures=FARM_MEASURES if tables is FARM else [])
    model.update(more.pop("model", {}))
    return evaluator({"users": [{"login": "ann", "name": "Ann"}], "models": [model], "roles": made, **more}, tables)


def rows_role(name: str, table: str, where: str, **more: Any) -> dict[str, Any]:
    """A grant role with one rows sentence."""
    return {"name": name, "sentences": [{"rows": {"table": table, "where": where}}], **more}


def ask(base: Evaluator, kind: str, login: Any = "ann", **question: Any) -> dict[str, Any]:
    """The answer to one question as plain JSON values."""
    if kind != "pages":
        question = {"model": "farm", **question}
    answer = base.answer(base.viewer(login), Question.model_validate({kind: question}))
    return answer.model_dump(mode="json")


def visible_ids(base: Evaluator, table: str, column: str = "id", login: Any = "ann") -> list[Any]:
    """One column of the rows a viewer lists, sorted."""
    answer = ask(base, "rows", login, table=table, columns=[column])
    return sorted((row[0] for row in answer["rows"]), key=lambda value: (value is None, value)) if "rows" in answer else [answer["error"]["code"]]
