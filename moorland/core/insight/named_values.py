"""Values that the filter of an exhibit names: on pages of readers it acts only for whom they exist (semantics.md 10.4)."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from moorland.core.bundle.pages import Exhibit
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question, RowsAnswer, RowsQuestion, TotalsAnswer, TotalsQuestion
from moorland.core.insight.exhibits import checked_filter
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.writing import column_text, literal_text
from moorland.core.people import Viewer

#: So many rows are looked through for the values a list names.
MOST_ROWS = 1000


@dataclass(frozen=True)
class Named:
    """Values of a column that a filter names, or, without values, a pattern that at least one value has to fit; `where` asks for them."""

    column: ColumnKey
    where: str
    values: frozenset[Any]


def named_values(evaluator: Evaluator, model: str, exhibit: Exhibit) -> list[Named] | None:
    """The values that the filter of an exhibit names; None where a text is compared with something else than a column.

    Bounds (`<`, `BETWEEN`) and numbers and dates in calculations name no value.
    """
    if exhibit.where is None:
        return []
    checked = checked_filter(evaluator, model, exhibit)
    found = [item for node in checked.walk() for item in _named(node, evaluator, model, exhibit.where)]
    texts = [node for node in checked.walk() if isinstance(node, tree.Literal) and isinstance(node.value, str) and node.type == "text"]
    covered = {literal for node in checked.walk() for literal in _literals(node)}
    return found if all(node in covered for node in texts) else None


def exist_for(evaluator: Evaluator, viewer: Viewer, model: str, exhibit: Exhibit) -> bool:
    """Whether every value that the filter of an exhibit names stands clear in rows that count, or are listed, for the viewer."""
    named = named_values(evaluator, model, exhibit)
    return named is not None and all(_there(evaluator, viewer, model, exhibit, item) for item in named)


def _there(evaluator: Evaluator, viewer: Viewer, model: str, exhibit: Exhibit, item: Named) -> bool:
    column = ".".join(item.column)
    if exhibit.kind == "list":
        rows = RowsQuestion(model=model, table=exhibit.table or "", columns=[column], where=item.where, limit=MOST_ROWS)
        answer = evaluator.answer(viewer, Question(rows=rows))
        shown = {row[0] for row in answer.rows} if isinstance(answer, RowsAnswer) else set()
    else:
        answer = evaluator.answer(viewer, Question(totals=TotalsQuestion(model=model, by=[column], measures=exhibit.measures, where=item.where)))
        shown = {line.key[0] for line in answer.lines} if isinstance(answer, TotalsAnswer) else set()
    return item.values <= shown if item.values else bool(shown)


def _named(node: tree.Node, evaluator: Evaluator, model: str, text: str) -> Iterator[Named]:
    """What one comparison names: a column is, or is not, one of some values, or like a pattern."""
    if isinstance(node, tree.Like) and isinstance(node.operand, tree.ColumnRef):
        column, pattern = node.operand, text[node.pattern.start : node.pattern.end]
        escape = f" ESCAPE {text[node.escape.start : node.escape.end]}" if node.escape is not None else ""
        yield Named((column.table, column.column), f"{column_text(column.table, column.column)} LIKE {pattern}{escape}", frozenset())
        return
    subject, literals = _compared(node)
    if subject is None or not literals:
        return
    key = (subject.table, subject.column)
    kind = evaluator.models[model].schema.columns[key].type
    written = [literal_text(literal.value, kind) for literal in literals if literal.value is not None]
    values = frozenset(_plain(literal.value) for literal in literals if literal.value is not None)
    if written:
        yield Named(key, f"{column_text(*key)} IN ({', '.join(written)})", values)


def _compared(node: tree.Node) -> tuple[tree.ColumnRef | None, list[tree.Literal]]:
    """The column, and the literals it is said to be or not to be."""
    if isinstance(node, tree.Comparison) and node.operator in ("=", "<>", "!="):
        sides = (node.left, node.right)
        subject = next((side for side in sides if isinstance(side, tree.ColumnRef)), None)
        return subject, [side for side in sides if isinstance(side, tree.Literal)]
    if isinstance(node, tree.IsIn) and isinstance(node.operand, tree.ColumnRef):
        return node.operand, [item for item in (*node.items, *node.exact) if isinstance(item, tree.Literal)]
    return None, []


def _literals(node: tree.Node) -> Iterator[tree.Node]:
    """The literals that are looked up: those beside a column, and bounds."""
    if isinstance(node, tree.Like) and isinstance(node.operand, tree.ColumnRef):
        yield from (node.pattern, *([node.escape] if node.escape is not None else []))
    yield from _compared(node)[1] if _compared(node)[0] is not None else []
    if isinstance(node, tree.Between) or (isinstance(node, tree.Comparison) and node.operator in ("<", "<=", ">", ">=")):
        yield from (child for child in node.children() if isinstance(child, tree.Literal))


def _plain(value: Any) -> Any:
    """A value as answers have it."""
    return value.isoformat() if hasattr(value, "isoformat") else value
