"""Conditions mean what they mean in SQL: the same rows pass in the core and in SQLite."""

import datetime
import os
import sqlite3
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from moorland.core.bundle.model import Model
from moorland.core.bundle.schema import build_schema
from moorland.core.engine.model_data import ModelData
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.evaluation import true_rows
from moorland.core.sources.files import to_table_data
from tests.core.worlds import arrow_table

COLUMNS = {"t": "text", "u": "text", "i": "integer", "j": "integer", "n": "number"}
MODEL = Model.model_validate({"name": "m", "tables": [{"name": "x", "columns": [{"name": name, "type": type_} for name, type_ in COLUMNS.items()]}]})
SCHEMA = build_schema(MODEL)
SCOPE = Scope(schema=SCHEMA, table="x", viewer=False)

texts = st.sampled_from(["", "a", "A", "ab", " a", "a ", "é", "%", "_b", "a_b", "zz"])
integers = st.integers(-5, 5)
numbers = st.sampled_from([-2.5, -1.0, 0.0, 0.5, 1.5, 3.0])
rows = st.lists(st.tuples(*(st.one_of(values, st.none()) for values in (texts, texts, integers, integers, numbers))), max_size=12)


def quoted(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"


text_terms = st.recursive(
    st.one_of(st.sampled_from(["t", "u"]), texts.map(quoted), st.just("NULL")),
    lambda inner: st.one_of(
        st.tuples(inner, inner).map(lambda pair: f"({pair[0]} || {pair[1]})"),
        st.tuples(inner, inner).map(lambda pair: f"COALESCE({pair[0]}, {pair[1]}, 'x')"),
        st.tuples(inner, inner).map(lambda pair: f"NULLIF({pair[0]}, {pair[1]})"),
        inner.map(lambda term: f"TRIM({term})"),
    ),
    max_leaves=3,
)
number_terms = st.recursive(
    st.one_of(st.sampled_from(["i", "j", "n"]), integers.map(lambda value: f"({value})"), numbers.map(lambda value: f"({value})"), st.just("NULL")),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda parts: f"({parts[0]} {parts[1]} {parts[2]})"),
        st.tuples(inner, inner).map(lambda pair: f"CASE WHEN {pair[0]} > {pair[1]} THEN {pair[0]} ELSE {pair[1]} END"),
        st.tuples(inner, inner).map(lambda pair: f"COALESCE({pair[0]}, {pair[1]}, 0)"),
        inner.map(lambda term: f"ABS({term})"),
        inner.map(lambda term: f"(- {term})"),
    ),
    max_leaves=4,
)


def comparisons(terms: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    return st.one_of(
        st.tuples(terms, st.sampled_from(["=", "<>", "<", "<=", ">", ">="]), terms).map(lambda parts: f"{parts[0]} {parts[1]} {parts[2]}"),
        st.tuples(terms, st.sampled_from(["IN", "NOT IN"]), st.lists(terms, min_size=1, max_size=3)).map(
            lambda parts: f"{parts[0]} {parts[1]} ({', '.join(parts[2])})"
        ),
        st.tuples(terms, st.sampled_from(["BETWEEN", "NOT BETWEEN"]), terms, terms).map(lambda parts: f"{parts[0]} {parts[1]} {parts[2]} AND {parts[3]}"),
        st.tuples(terms, st.sampled_from(["IS NULL", "IS NOT NULL"])).map(lambda parts: f"{parts[0]} {parts[1]}"),
    )


likes = st.tuples(text_terms, st.sampled_from(["LIKE", "NOT LIKE"]), st.lists(st.sampled_from(["a", "b", "%", "_", "#%", "#_"]), max_size=4)).map(
    lambda parts: f"{parts[0]} {parts[1]} '{''.join(parts[2])}' ESCAPE '#'"
)
conditions = st.recursive(
    st.one_of(comparisons(text_terms), comparisons(number_terms), likes),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["AND", "OR"]), inner).map(lambda parts: f"({parts[0]} {parts[1]} {parts[2]})"),
        inner.map(lambda condition: f"NOT ({condition})"),
    ),
    max_leaves=5,
)


@settings(max_examples=int(os.environ.get("EXAMPLES", "180")), deadline=None)
@given(rows, conditions)
def test_the_same_rows_pass_as_in_sqlite(data: list[tuple[Any, ...]], condition: str) -> None:
    connection = sqlite3.connect(":memory:")
    connection.execute("PRAGMA case_sensitive_like = ON")
    connection.execute("CREATE TABLE x (position INTEGER, t TEXT, u TEXT, i INTEGER, j INTEGER, n REAL)")
    connection.executemany("INSERT INTO x VALUES (?, ?, ?, ?, ?, ?)", [(position, *row) for position, row in enumerate(data)])
    expected = [position for (position,) in connection.execute(f"SELECT position FROM x WHERE {condition} ORDER BY position")]
    model_data = ModelData(SCHEMA, {"x": to_table_data(arrow_table(COLUMNS, data), MODEL.tables[0])}, datetime.date(2026, 1, 1))
    mask = true_rows(check_condition(condition, SCOPE), model_data.frame("x"), "x", len(data))
    assert [position for position, passes in enumerate(mask) if passes] == expected
