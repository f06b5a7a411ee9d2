"""Parity: the same questions through every way to ask, for many viewers; every difference is an error (channels.md)."""

import datetime
import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from moorland.core.bundle.shape import Shape
from moorland.core.door.asking import ask_sql
from moorland.core.door.catalogue import Catalogue, Field, Relation, catalogue_of
from moorland.core.door.errors import SqlRefused, refused_as
from moorland.core.door.pushed_down import PushedDown
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.everyone import LEAST_VIEWERS
from moorland.core.engine.many_viewers import answered_each
from moorland.core.engine.questions import Answer, Question, Refusal, RowsAnswer, RowsQuestion, TotalsAnswer, TotalsQuestion
from moorland.core.people import Viewer
from moorland.core.price import step

#: So many rows of each table are compared.
ROWS = 200
#: So many columns are totals asked by, for each relation.
MOST_COLUMNS = 4
#: To how many digits numbers are compared, where not to all.
DIGITS = {"pushed down": 10}


class ParityDifference(Shape):
    """Two ways to ask the same that do not answer the same."""

    viewer: str
    way: str
    question: str
    expected: str
    found: str


@dataclass(frozen=True)
class Compared:
    """How many questions were compared by each way, and where they differ."""

    questions: dict[str, int]
    differences: list[ParityDifference]


@dataclass(frozen=True)
class Case:
    """A question of a viewer, and the statement that asks the same."""

    viewer: Viewer
    question: Question
    statement: str
    relation: Relation
    catalogue: Catalogue


#: What another way gives, as rows or `refused: CODE`; None where the way does not answer this. It is shown what is expected.
Way = Callable[[Case, Any], Any]


def parity(evaluator: Evaluator, viewers: Iterable[Viewer], more: Mapping[str, Way] | None = None, pushed_down: bool = True) -> Compared:
    """Rows of each relation, and its measures in all and by some of its columns, for each viewer: alone, and by every other way."""
    ways: dict[str, Way] = {
        "sql": lambda case, _: rows_of_sql(evaluator, case),
        **({"pushed down": PushedDown(evaluator)} if pushed_down else {}),
        **(more or {}),
    }
    counts = {"together": 0, **dict.fromkeys(ways, 0)}
    differences: list[ParityDifference] = []
    asked = list(viewers)
    known = {viewer.login: catalogue_of(evaluator, viewer) for viewer in asked}
    for viewer in asked:
        for question, statement, relation in _questions(known[viewer.login]):
            step()
            case = Case(viewer, question, statement, relation, known[viewer.login])
            expected = plain_rows(evaluator.answer(viewer, question), relation)
            for name, way in ways.items():
                found = way(case, expected)
                if found is None:
                    continue
                counts[name] += 1
                if not _same(expected, found, DIGITS.get(name, 17)):
                    differences.append(_difference(viewer, name, statement, expected, found))
    for question in _shared(known.values()):
        enough = _enough(asked)
        for viewer, (answer,) in zip(enough, answered_each(evaluator, enough, [question]), strict=True):
            counts["together"] += 1
            alone = evaluator.answer(viewer, question)
            if answer != alone:
                differences.append(_difference(viewer, "together", question.model_dump_json(exclude_defaults=True), alone, answer))
    return Compared(counts, differences)


def _enough(viewers: list[Viewer]) -> list[Viewer]:
    """So many that they are answered together, if need be the same ones again."""
    return viewers * math.ceil(LEAST_VIEWERS / max(len(viewers), 1)) if viewers else []


def _questions(catalogue: Catalogue) -> Iterator[tuple[Question, str, Relation]]:
    """Questions about what exists for a viewer, each with the statement that asks the same."""
    for relation in catalogue.relations:
        source = f"{_quoted(relation.schema)}.{_quoted(relation.name)}"
        measures = [field for field in relation.fields if field.measure is not None]
        if relation.kind == "table" and relation.columns:
            columns = relation.columns[:20]
            first = columns[0]
            rows = RowsQuestion(model=relation.schema, table=relation.table, columns=[_named(field) for field in columns], order=[_named(first)], limit=ROWS)
            listed = ", ".join(_quoted(field.name) for field in columns)
            # Names are quoted, and nothing else is put into the text.
            yield Question(rows=rows), f"SELECT {listed} FROM {source} ORDER BY {_quoted(first.name)} LIMIT {ROWS}", relation  # noqa: S608
        for by in ([], *([field] for field in _parts(relation))) if measures else ():
            totals = TotalsQuestion(
                model=relation.schema, by=[_named(field) for field in by], measures=[str(field.measure) for field in measures], cube=relation.cube
            )
            chosen = ", ".join(_quoted(field.name) for field in [*by, *measures])
            yield Question(totals=totals), f"SELECT {chosen} FROM {source}{' GROUP BY 1' if by else ''}", relation  # noqa: S608


def _parts(relation: Relation) -> list[Field]:
    """Some columns a relation is parted by: texts first, and few of them."""
    columns = sorted(relation.columns, key=lambda field: field.type != "text")
    return columns[:MOST_COLUMNS]


def _shared(catalogues: Iterable[Catalogue]) -> list[Question]:
    """The totals that any of the viewers may ask, each once."""
    found: dict[str, Question] = {}
    for catalogue in catalogues:
        for question, _, _ in _questions(catalogue):
            if question.totals is not None:
                found[question.model_dump_json()] = question
    return list(found.values())


def rows_of_sql(evaluator: Evaluator, case: Case) -> Any:
    """What the statement gives."""
    try:
        found = ask_sql(evaluator, case.viewer, case.statement, catalogue=case.catalogue)
    except SqlRefused as refused:
        return f"refused: {refused.code}"
    return [[value.isoformat() if isinstance(value, datetime.date) else value for value in row] for row in found.rows]


def plain_rows(answer: Answer, relation: Relation) -> Any:
    """An answer as the rows a statement gives; a refusal in the code it has there."""
    types = {field.key: field.type for field in relation.fields if field.key is not None}
    if isinstance(answer, RowsAnswer):
        kinds = [types[_key(relation, name)] for name in answer.columns]
        return [[str(value) if kind == "text" and value is not None else value for value, kind in zip(row, kinds, strict=True)] for row in answer.rows]
    if isinstance(answer, TotalsAnswer):
        if answer.not_found:
            return "refused: 42501"
        kinds = [types[_key(relation, name)] for name in answer.by]
        lines = [
            [*(str(part) if kind == "text" and part is not None else part for part, kind in zip(line.key, kinds, strict=True)), *line.values]
            for line in answer.lines
        ]
        return lines if answer.by else [answer.total]
    return f"refused: {refused_as(answer.error.code, answer.error.message).code}" if isinstance(answer, Refusal) else None


def _same(expected: Any, found: Any, digits: int = 17) -> bool:
    """Whether two answers are the same; lines of totals come in any order. Numbers to so many digits: a database adds them up in an order of its own."""
    if isinstance(expected, str) or isinstance(found, str) or expected is None:
        return bool(expected == found)
    return sorted(_sortable(row, digits) for row in expected) == sorted(_sortable(row, digits) for row in found)


def _sortable(row: list[Any], digits: int) -> list[tuple[bool, str]]:
    return [(value is None, f"{float(value):.{digits}g}" if isinstance(value, int | float) and not isinstance(value, bool) else repr(value)) for value in row]


def _difference(viewer: Viewer, way: str, question: str, expected: Any, found: Any) -> ParityDifference:
    return ParityDifference(viewer=viewer.login or "", way=way, question=question, expected=str(expected)[:400], found=str(found)[:400])


def _key(relation: Relation, name: str) -> tuple[str, str]:
    table, _, column = name.partition(".")
    return (table, column) if column else (relation.table, table)


def _named(field: Field) -> str:
    assert field.key is not None
    return ".".join(field.key)


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
