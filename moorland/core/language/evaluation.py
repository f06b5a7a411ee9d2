"""Evaluates a typed tree on columns, three-valued (semantics.md 1.2 to 1.4, 4)."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from moorland.core.bundle.structure import identity as identity_form
from moorland.core.language import functions, tree
from moorland.core.language.like import like_matcher
from moorland.core.language.vectors import DTYPES, Domain, Frame, Mask, Vector, constant, converted
from moorland.core.price import step


def evaluate(node: tree.Node, frame: Frame) -> Vector:
    """The values of a checked expression, in the smallest domain that decides them. Never raises for data (1.4)."""
    with np.errstate(all="ignore"):
        return _Evaluation(frame).of(node)


def true_rows(node: tree.Node, frame: Frame, table: str, rows: int) -> Mask:
    """Where a condition is true: a mask of shape (rows,) over a table."""
    vector = evaluate(node, frame)
    if vector.domain is None:
        return np.full(rows, bool(vector.true[0]))
    target = Domain(table)
    if vector.domain == target:
        return vector.true[:rows]
    truth = Vector(vector.true, np.ones(1, dtype=np.bool_), vector.domain)
    return frame.lift(truth, target).values[:rows]


#: What may be known by its truth alone where the columns it reads are not here (sources.md 18.2).
_TRUTHS = (tree.Comparison, tree.Between, tree.IsIn, tree.IsNull)


class _Evaluation:
    def __init__(self, frame: Frame) -> None:
        self.frame = frame

    def of(self, node: tree.Node) -> Vector:
        step()
        if isinstance(node, _TRUTHS) and (known := self.frame.truth(node)) is not None:
            return known
        method = getattr(self, f"of_{type(node).__name__.lower()}")
        result: Vector = method(node)
        return result

    def aligned(self, *vectors: Vector) -> tuple[Domain | None, list[Vector]]:
        """The vectors in one domain; constants stay as they are and broadcast."""
        domain: Domain | None = None
        for vector in vectors:
            if vector.domain is not None:
                domain = vector.domain if domain is None else self.frame.meet(domain, vector.domain)
        lifted = [vector if vector.domain in (None, domain) or domain is None else self.frame.lift(vector, domain) for vector in vectors]
        return domain, lifted

    def of_literal(self, node: tree.Literal) -> Vector:
        return constant(node.value, str(node.type))

    def of_currentdate(self, node: tree.CurrentDate) -> Vector:
        return constant(self.frame.as_of, "date")

    def of_columnref(self, node: tree.ColumnRef) -> Vector:
        return self.frame.column(node.table, node.column)

    def of_viewerref(self, node: tree.ViewerRef) -> Vector:
        values = self.frame.viewer_values(node.name)
        return constant(values[0] if values else None, str(node.type))

    def of_pageref(self, node: tree.PageRef) -> Vector:
        values = self.frame.page_values(node.name)
        return constant(values[0] if values else None, str(node.type))

    def of_aggregate(self, node: tree.Aggregate) -> Vector:
        return self.frame.aggregate(node)

    def of_negative(self, node: tree.Negative) -> Vector:
        operand = converted(self.of(node.operand), str(node.operand.type), str(node.type))
        if operand.values.dtype != np.int64:
            return Vector(-operand.values, operand.known, operand.domain)
        return Vector(-operand.values, operand.known & (operand.values != np.iinfo(np.int64).min), operand.domain)

    def of_arithmetic(self, node: tree.Arithmetic) -> Vector:
        left = self.of(node.left)
        if isinstance(node.right, tree.Interval):
            sign = 1 if node.operator == "+" else -1
            return functions.add_interval(left, sign * node.right.count, node.right.unit)
        right = self.of(node.right)
        domain, (left, right) = self.aligned(left, right)
        if node.operator == "||":
            left, right = converted(left, str(node.left.type), "text"), converted(right, str(node.right.type), "text")
            return Vector(functions.joined_texts(left.values, right.values), left.known & right.known, domain)
        type_ = str(node.type)
        left, right = converted(left, str(node.left.type), type_), converted(right, str(node.right.type), type_)
        values, valid = functions.arithmetic(node.operator, left.values, right.values)
        return Vector(values, left.known & right.known & valid, domain)

    def of_comparison(self, node: tree.Comparison) -> Vector:
        domain, (left, right) = self.aligned(self.of(node.left), self.of(node.right))
        left, right = self._folded(node.identity, left, right)
        return self._compared(node.operator, left, right, domain, "null" in (node.left.type, node.right.type))

    def of_and(self, node: tree.And) -> Vector:
        domain, items = self.aligned(*(self.of(item) for item in node.items))
        true, false = items[0].true, items[0].false
        for item in items[1:]:
            true, false = true & item.true, false | item.false
        return Vector(true, true | false, domain)

    def of_or(self, node: tree.Or) -> Vector:
        domain, items = self.aligned(*(self.of(item) for item in node.items))
        true, false = items[0].true, items[0].false
        for item in items[1:]:
            true, false = true | item.true, false & item.false
        return Vector(true, true | false, domain)

    def of_not(self, node: tree.Not) -> Vector:
        operand = self.of(node.operand)
        return Vector(operand.false, operand.known, operand.domain)

    def of_isnull(self, node: tree.IsNull) -> Vector:
        operand = self.of(node.operand)
        return Vector(operand.known if node.negated else ~operand.known, np.ones(operand.known.shape, dtype=np.bool_), operand.domain)

    def of_isin(self, node: tree.IsIn) -> Vector:
        operand = self.of(node.operand)
        null = node.operand.type == "null"
        found = self._among(operand, node.items, null, node.identity)
        if node.exact:
            domain, (found, exact) = self.aligned(found, self._among(operand, node.exact, null, identity=False))
            true, false = found.true | exact.true, found.false & exact.false
            found = Vector(true, true | false, domain)
        return Vector(found.false, found.known, found.domain) if node.negated else found

    def _among(self, operand: Vector, items: tuple[tree.Node, ...], null: bool, identity: bool) -> Vector:
        """Whether the operand is one of the items; `null` where it is the word NULL."""
        first = items[0]
        if isinstance(first, tree.ViewerRef | tree.PageRef) and first.many:
            many = self.frame.viewer_values(first.name) if isinstance(first, tree.ViewerRef) else self.frame.page_values(first.name)
            if many is None:
                nothing = np.zeros(operand.known.shape, dtype=np.bool_)
                return Vector(nothing, nothing, operand.domain)
            return self._set(operand, list(many), False, null, identity)
        if isinstance(first, tree.InnerQuery):
            return self._set(operand, *self.frame.inner(first), null, identity)
        values = [self.of(item) for item in items]
        if all(value.domain is None for value in values):
            written = [value.values[0] for value, item in zip(values, items, strict=True) if value.known[0] and item.type != "null"]
            return self._membership(operand, written, len(written) < len(items), null, identity)
        domain, (operand, *values) = self.aligned(operand, *values)
        true, false = np.zeros(1, dtype=np.bool_), np.ones(1, dtype=np.bool_)
        for value, item in zip(values, items, strict=True):
            left, right = self._folded(identity, operand, value)
            equal = self._compared("=", left, right, domain, null or item.type == "null")
            true, false = true | equal.true, false & equal.false
        return Vector(true, true | false, domain)

    def _set(self, operand: Vector, values: list[Any], has_null: bool, null: bool, identity: bool) -> Vector:
        """`operand IN` a set that may be empty: nothing is in it, not even null (1.2, 2.6)."""
        if values or has_null:
            return self._membership(operand, values, has_null, null, identity)
        falsehood = np.zeros(operand.known.shape, dtype=np.bool_)
        return Vector(falsehood, ~falsehood, operand.domain)

    def _membership(self, operand: Vector, values: Sequence[Any], has_null: bool, null: bool, identity: bool) -> Vector:
        """`operand IN values` for constant values; not found beside a null is unknown (1.2)."""
        if null:
            nothing = np.zeros(operand.known.shape, dtype=np.bool_)
            return Vector(nothing, nothing, operand.domain)
        inside = operand.values
        if identity:
            inside, values = _folded(inside), [identity_form(value) for value in values]
        found: Mask
        if inside.dtype == object:
            wanted = set(values)
            found = functions.each(wanted.__contains__, inside, dtype=np.bool_)
        elif len(values):
            dtype = np.float64 if any(isinstance(value, float) for value in values) else inside.dtype
            found = np.isin(inside, np.array(values, dtype=dtype))
        else:
            found = np.zeros(inside.shape, dtype=np.bool_)
        return Vector(found, operand.known & (found | (not has_null)), operand.domain)

    @staticmethod
    def _folded(identity: bool, *sides: Vector) -> tuple[Vector, ...]:
        """Texts in the form in which identities are compared, where they are (4.5)."""
        return tuple(Vector(_folded(side.values), side.known, side.domain) if identity and side.values.dtype == object else side for side in sides)

    def of_between(self, node: tree.Between) -> Vector:
        domain, (operand, low, high) = self.aligned(self.of(node.operand), self.of(node.low), self.of(node.high))
        nulls = [node.operand.type == "null", node.low.type == "null", node.high.type == "null"]
        above = self._compared(">=", operand, low, domain, nulls[0] or nulls[1])
        below = self._compared("<=", operand, high, domain, nulls[0] or nulls[2])
        true, false = above.true & below.true, above.false | below.false
        return Vector(false if node.negated else true, true | false, domain)

    @staticmethod
    def _compared(operator: str, left: Vector, right: Vector, domain: Domain | None, unknown: bool) -> Vector:
        """A comparison of aligned values; unknown throughout where one side is the word NULL."""
        known = left.known & right.known
        if unknown:
            return Vector(np.zeros(known.shape, dtype=np.bool_), np.zeros(known.shape, dtype=np.bool_), domain)
        return Vector(functions.compare(operator, left.values, right.values), known, domain)

    def of_like(self, node: tree.Like) -> Vector:
        operand, pattern = self.of(node.operand), self.of(node.pattern)
        escape = self.of(node.escape) if node.escape else constant("", "text")
        domain, (operand, pattern, escape) = self.aligned(operand, pattern, escape)
        if "null" in (node.operand.type, node.pattern.type):
            return Vector(np.zeros(1, np.bool_), np.zeros(1, np.bool_), None)
        shape = np.broadcast_shapes(operand.values.shape, pattern.values.shape, escape.values.shape)
        texts, patterns, escapes = (np.broadcast_to(vector.values, shape) for vector in (operand, pattern, escape))
        if len(pattern.values) == len(escape.values) == 1:
            one = like_matcher(patterns[0], escapes[0])
            matched = functions.each(one, texts, dtype=np.bool_) if one is not None else np.zeros(len(texts), np.bool_)
            valid = np.full(1, one is not None)
        else:
            matchers = {pair: like_matcher(*pair) for pair in dict.fromkeys(zip(patterns, escapes, strict=True))}
            valid = functions.each(lambda *pair: matchers[pair] is not None, patterns, escapes, dtype=np.bool_)
            matched = functions.each(lambda text, *pair: (one := matchers[pair]) is not None and one(text), texts, patterns, escapes, dtype=np.bool_)
        known = operand.known & pattern.known & escape.known & valid
        return Vector(~matched if node.negated else matched, known, domain)

    def of_case(self, node: tree.Case) -> Vector:
        type_ = str(node.type)
        conditions = [self.of(condition) for condition in node.conditions]
        results = [converted(self.of(result), str(result.type), type_) for result in node.results]
        last = converted(self.of(node.otherwise), str(node.otherwise.type), type_) if node.otherwise else constant(None, type_)
        domain, aligned = self.aligned(*conditions, *results, last)
        count = len(conditions)
        shape = np.broadcast_shapes(*(vector.values.shape for vector in aligned), *(vector.known.shape for vector in aligned))
        values = np.broadcast_to(aligned[-1].values, shape).astype(DTYPES[type_])
        known = np.broadcast_to(aligned[-1].known, shape).copy()
        for condition, result in reversed(list(zip(aligned[:count], aligned[count:-1], strict=True))):
            chosen = np.broadcast_to(condition.true, shape)
            values = np.where(chosen, result.values, values)
            known = np.where(chosen, result.known, known)
        return Vector(values, known, domain)

    def of_call(self, node: tree.Call) -> Vector:
        arguments = [self.of(argument) for argument in node.arguments]
        types = [str(argument.type) for argument in node.arguments]
        if node.function in ("COALESCE", "NULLIF"):
            return self._choice(node, arguments, types)
        wanted = (str(node.type) if node.function in ("ABS", "ROUND") else "text", "integer", "integer")
        arguments = [converted(argument, own, to) if own == "null" else argument for argument, own, to in zip(arguments, types, wanted, strict=False)]
        domain, arguments = self.aligned(*arguments)
        return functions.call(node.function, arguments, domain)

    def _choice(self, node: tree.Call, arguments: list[Vector], types: list[str]) -> Vector:
        if node.function == "NULLIF":
            domain, (left, right) = self.aligned(*arguments)
            if "null" in types:
                return Vector(left.values, left.known & (types[0] != "null"), left.domain)
            equal = functions.compare("=", left.values, right.values) & right.known
            values = np.broadcast_to(left.values, np.broadcast_shapes(left.values.shape, equal.shape))
            return Vector(values, left.known & ~equal, domain)
        type_ = str(node.type)
        domain, aligned = self.aligned(*(converted(argument, own, type_) for argument, own in zip(arguments, types, strict=True)))
        values, known = aligned[0].values, aligned[0].known
        for following in aligned[1:]:
            values = np.where(known, values, following.values)
            known = known | following.known
        return Vector(values, known, domain)

    def of_extract(self, node: tree.Extract) -> Vector:
        operand = self.of(node.operand)
        if node.operand.type == "null":
            return converted(operand, "null", "integer")
        return Vector(functions.extract(node.part, operand.values), operand.known, operand.domain)

    def of_cast(self, node: tree.Cast) -> Vector:
        operand = self.of(node.operand)
        return functions.cast(operand, str(node.operand.type), node.to)


def _folded(values: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
    """Texts in the form in which identities are compared (4.5)."""
    return functions.each(identity_form, values)
