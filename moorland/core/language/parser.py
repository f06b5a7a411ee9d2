"""From text to tree: SQL search conditions and value expressions, by precedence (semantics.md 4.1, 4.2)."""

import datetime
import functools

from moorland.core.bundle.problems import nearest_name
from moorland.core.bundle.shape import VALUE_TYPES
from moorland.core.language import tree
from moorland.core.language.errors import ConditionError
from moorland.core.language.tokens import Token, tokenize

AGGREGATES = ("SUM", "AVG", "MIN", "MAX", "COUNT")
FUNCTIONS = ("LOWER", "UPPER", "TRIM", "CHAR_LENGTH", "SUBSTRING", "COALESCE", "NULLIF", "ABS", "ROUND")
#: Functions with a syntax of their own: EXTRACT(YEAR FROM d), CAST(x AS type).
WRITTEN_OUT = ("EXTRACT", "CAST")
TYPES = {kind.upper(): kind for kind in VALUE_TYPES.values()}
_SESSION_USERS = ("CURRENT_USER", "SESSION_USER", "SYSTEM_USER", "USER")
_COMPARISONS = ("=", "<>", "<", "<=", ">", ">=")
MAX_DEPTH = 100


@functools.lru_cache(maxsize=4096)
def parse(text: str) -> tree.Node:
    """The tree of one expression.

    Raises ConditionError with the place of the first thing that is not understood.
    """
    parser = _Parser(tokenize(text))
    expression = parser.condition()
    if parser.token.kind != "end":
        raise parser.unexpected("the expression ends before this")
    if _deeper_than(expression, MAX_DEPTH):
        raise ConditionError("syntax", f"nested deeper than {MAX_DEPTH} levels; chains of + or || count as levels.", expression.start, expression.end)
    return expression


def _deeper_than(expression: tree.Node, most: int) -> bool:
    """Whether some part of a tree lies deeper; looks level by level, so that no depth exhausts the stack."""
    level = [expression]
    for _ in range(most):
        level = [child for node in level for child in _parts(node)]
        if not level:
            return False
    return True


def _parts(node: tree.Node) -> list[tree.Node]:
    return [node.where] if isinstance(node, tree.InnerQuery) and node.where is not None else list(node.children())


class _Parser:
    def __init__(self, tokens: list[Token]) -> None:
        self.tokens = tokens
        self.index = 0
        self.depth = 0

    @property
    def token(self) -> Token:
        return self.tokens[self.index]

    @property
    def last_end(self) -> int:
        return self.tokens[self.index - 1].end if self.index else 0

    def at(self, *texts: str) -> bool:
        return self.token.kind in ("keyword", "sign") and self.token.text in texts

    def take(self, *texts: str) -> Token | None:
        if not self.at(*texts):
            return None
        self.index += 1
        return self.tokens[self.index - 1]

    def expect(self, text: str) -> Token:
        token = self.take(text)
        if token is None:
            raise self.unexpected(f"{text} is expected here")
        return token

    def unexpected(self, message: str) -> ConditionError:
        found = self.token
        shown = "the end" if found.kind == "end" else f"“{found.text}”"
        return ConditionError("syntax", f"{message}; found {shown}.", found.start, found.end)

    def condition(self) -> tree.Node:
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise ConditionError("syntax", f"nested deeper than {MAX_DEPTH} levels.", self.token.start, self.token.end)
        start = self.token.start
        items = [self.conjunction()]
        while self.take("OR"):
            items.append(self.conjunction())
        self.depth -= 1
        return items[0] if len(items) == 1 else tree.Or(items=tuple(items), start=start, end=self.last_end)

    def conjunction(self) -> tree.Node:
        start = self.token.start
        items = [self.negation()]
        while self.take("AND"):
            items.append(self.negation())
        return items[0] if len(items) == 1 else tree.And(items=tuple(items), start=start, end=self.last_end)

    def negation(self) -> tree.Node:
        start = self.token.start
        count = 0
        while self.take("NOT"):
            count += 1
        operand = self.predicate()
        for _ in range(count):
            operand = tree.Not(operand=operand, start=start, end=self.last_end)
        return operand

    def predicate(self) -> tree.Node:
        start = self.token.start
        operand = self.sum()
        operator = self.take(*_COMPARISONS)
        if operator:
            right = self.sum()
            return tree.Comparison(operator=operator.text, left=operand, right=right, start=start, end=self.last_end)
        if self.take("IS"):
            negated = bool(self.take("NOT"))
            self.expect("NULL")
            return tree.IsNull(operand=operand, negated=negated, start=start, end=self.last_end)
        negated = self.at("NOT")
        if negated:
            self.index += 1
        if self.take("IN"):
            items = self.members()
            return tree.IsIn(operand=operand, items=items, negated=negated, start=start, end=self.last_end)
        if self.take("BETWEEN"):
            low = self.sum()
            self.expect("AND")
            high = self.sum()
            return tree.Between(operand=operand, low=low, high=high, negated=negated, start=start, end=self.last_end)
        if self.take("LIKE"):
            pattern = self.sum()
            escape = self.sum() if self.take("ESCAPE") else None
            return tree.Like(operand=operand, pattern=pattern, escape=escape, negated=negated, start=start, end=self.last_end)
        if negated:
            raise self.unexpected("after NOT comes IN, BETWEEN or LIKE")
        return operand

    def members(self) -> tuple[tree.Node, ...]:
        if not self.take("("):
            if self.token.kind == "name":
                return (self.name(),)
            raise self.unexpected("after IN comes a list in parentheses or a many-valued viewer attribute")
        if self.at("SELECT"):
            inner = self.inner_query()
            self.expect(")")
            return (inner,)
        items = [self.sum()]
        while self.take(","):
            items.append(self.sum())
        self.expect(")")
        return tuple(items)

    def inner_query(self) -> tree.Node:
        word = self.expect("SELECT")
        self.take("DISTINCT")
        if self.token.kind != "name":
            raise self.unexpected("after SELECT comes one column")
        column = self.name()
        if not isinstance(column, tree.Name):
            raise ConditionError("syntax", "after SELECT comes one column.", column.start, column.end)
        self.expect("FROM")
        table = self.token
        if table.kind != "name":
            raise self.unexpected("after FROM comes one table")
        self.index += 1
        where = None
        if self.token.kind == "name" and self.token.text.upper() == "WHERE":
            self.index += 1
            where = self.condition()
        return tree.InnerQuery(table=table.text, column=column, where=where, start=word.start, end=self.last_end)

    def sum(self) -> tree.Node:
        start = self.token.start
        left = self.product()
        while operator := self.take("+", "-", "||"):
            right = self.product()
            left = tree.Arithmetic(operator=operator.text, left=left, right=right, start=start, end=self.last_end)
        return left

    def product(self) -> tree.Node:
        start = self.token.start
        left = self.factor()
        while operator := self.take("*", "/"):
            right = self.factor()
            left = tree.Arithmetic(operator=operator.text, left=left, right=right, start=start, end=self.last_end)
        return left

    def factor(self) -> tree.Node:
        start = self.token.start
        signs = 0
        while self.at("-", "+"):
            signs += self.token.text == "-"
            self.index += 1
        if signs % 2 and self.token.kind == "number":
            literal = self.number("-")
            return tree.Literal(value=literal.value, start=start, end=literal.end)
        operand = self.primary()
        return tree.Negative(operand=operand, start=start, end=self.last_end) if signs % 2 else operand

    def number(self, sign: str = "") -> tree.Literal:
        token = self.token
        self.index += 1
        whole = token.text.isdigit()
        value = int(sign + token.text) if whole and len(token.text) < 25 else float(sign + token.text)
        if isinstance(value, int) and not -(2**63) <= value < 2**63:
            raise ConditionError("literal", "the number is beyond 64 bits; write it with a decimal point.", token.start, token.end)
        if isinstance(value, float) and value in (float("inf"), float("-inf")):
            raise ConditionError("literal", "the number is too large.", token.start, token.end)
        return tree.Literal(value=value, start=token.start, end=token.end)

    def primary(self) -> tree.Node:
        token = self.token
        if token.kind == "number":
            return self.number()
        if token.kind == "text":
            self.index += 1
            return tree.Literal(value=token.text, start=token.start, end=token.end)
        if token.kind == "name":
            return self.name()
        if self.take("("):
            if self.at("SELECT"):
                raise ConditionError("inner_query", "an inner query stands only after IN.", self.token.start, self.token.end)
            inner = self.condition()
            self.expect(")")
            return inner
        if self.take("NULL"):
            return tree.Literal(value=None, start=token.start, end=token.end)
        if self.take("TRUE") or self.take("FALSE"):
            return tree.Literal(value=token.text == "TRUE", start=token.start, end=token.end)
        if self.take("CURRENT_DATE"):
            return tree.CurrentDate(start=token.start, end=token.end)
        if self.at("DATE", "TIMESTAMP"):
            if self.tokens[self.index + 1].kind == "text":
                return self.moment()
            self.index += 1
            return tree.Name(qualifier=None, name=token.raw, start=token.start, end=token.end)
        if self.take("INTERVAL"):
            return self.interval(token)
        if self.take("CASE"):
            return self.case(token)
        if self.take("CAST"):
            self.expect("(")
            operand = self.condition()
            self.expect("AS")
            kind = self.token
            if kind.text.upper() not in TYPES:
                raise ConditionError("type", "CAST gives TEXT, INTEGER, NUMBER, BOOLEAN, DATE or TIMESTAMP.", kind.start, kind.end)
            self.index += 1
            self.expect(")")
            return tree.Cast(operand=operand, to=TYPES[kind.text.upper()], start=token.start, end=self.last_end)
        if self.take("EXTRACT"):
            self.expect("(")
            part = self.token
            if part.text.upper() not in ("YEAR", "QUARTER", "MONTH", "DAY"):
                raise ConditionError("syntax", "EXTRACT takes YEAR, QUARTER, MONTH or DAY.", part.start, part.end)
            self.index += 1
            self.expect("FROM")
            operand = self.sum()
            self.expect(")")
            return tree.Extract(part=part.text.upper(), operand=operand, start=token.start, end=self.last_end)
        if self.at("SELECT"):
            raise ConditionError("inner_query", "an inner query stands only after IN.", token.start, token.end)
        raise self.unexpected("a column, a value or a condition is expected here")

    def moment(self) -> tree.Node:
        word, value = self.token, self.tokens[self.index + 1]
        self.index += 1
        self.index += 1
        try:
            parsed = datetime.date.fromisoformat(value.text) if word.text == "DATE" else datetime.datetime.fromisoformat(value.text)
        except ValueError:
            raise ConditionError("literal", f"“{value.text}” is not an ISO {word.text.lower()}.", value.start, value.end) from None
        return tree.Literal(value=parsed, start=word.start, end=value.end)

    def interval(self, word: Token) -> tree.Node:
        count, unit = self.token, self.tokens[min(self.index + 1, len(self.tokens) - 1)]
        if count.kind != "text" or not count.text.strip().lstrip("+-").isdigit() or len(count.text) > 8:
            raise self.unexpected("after INTERVAL comes a whole number in quotes, as in INTERVAL '3' MONTH")
        if unit.text.upper() not in ("DAY", "MONTH", "YEAR"):
            raise ConditionError("syntax", "an interval is in DAY, MONTH or YEAR.", unit.start, unit.end)
        self.index += 2
        return tree.Interval(count=int(count.text), unit=unit.text.upper(), start=word.start, end=unit.end)

    def case(self, word: Token) -> tree.Node:
        conditions, results = [], []
        while self.take("WHEN"):
            conditions.append(self.condition())
            self.expect("THEN")
            results.append(self.condition())
        if not conditions:
            raise self.unexpected("after CASE comes WHEN")
        otherwise = self.condition() if self.take("ELSE") else None
        self.expect("END")
        return tree.Case(conditions=tuple(conditions), results=tuple(results), otherwise=otherwise, start=word.start, end=self.last_end)

    def name(self) -> tree.Node:
        first = self.token
        self.index += 1
        if self.at("("):
            return self.call(first)
        if first.text.upper() in _SESSION_USERS and not self.at("."):
            raise ConditionError(
                "session_user", f"{first.text.upper()} is the connection's user, not the person; write viewer.login.", first.start, first.end, "viewer.login"
            )
        if not self.take("."):
            return tree.Name(qualifier=None, name=first.text, start=first.start, end=first.end)
        second = self.token
        if second.kind not in ("name", "keyword"):
            raise self.unexpected(f"after {first.text}. comes a name")
        self.index += 1
        return tree.Name(qualifier=first.text, name=second.raw if second.kind == "keyword" else second.text, start=first.start, end=second.end)

    def call(self, word: Token) -> tree.Node:
        function = word.text.upper()
        if function not in AGGREGATES and function not in FUNCTIONS:
            raise ConditionError("unknown_function", f"there is no function {word.text}.", word.start, word.end, nearest_name(function, AGGREGATES + FUNCTIONS))
        self.expect("(")
        if function in AGGREGATES:
            distinct = bool(self.take("DISTINCT"))
            if function == "COUNT" and not distinct and self.take("*"):
                argument = None
            else:
                argument = self.condition()
            self.expect(")")
            return tree.Aggregate(function=function, argument=argument, distinct=distinct, start=word.start, end=self.last_end)
        arguments = [] if self.at(")") else [self.condition()]
        while self.take(",", *(("FROM", "FOR") if function == "SUBSTRING" else ())):
            arguments.append(self.condition())
        self.expect(")")
        return tree.Call(function=function, arguments=tuple(arguments), start=word.start, end=self.last_end)
