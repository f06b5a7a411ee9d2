"""A statement as questions and what is computed on their answers (channels.md 13.3, 13.4)."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, cast

from sqlglot import exp

from moorland.core.bundle.pages import Made
from moorland.core.bundle.shape import ValueType
from moorland.core.door.catalogue import Catalogue, Field
from moorland.core.door.column_names import spoken
from moorland.core.door.errors import BAD_PARAMETER, NOT_GROUPED, NOT_SUPPORTED, SYNTAX, SqlRefused, refused_as
from moorland.core.door.expressions import Writing, bound_value, position_of
from moorland.core.door.relations import Sources, folded, sources_of
from moorland.core.door.subselects import flattened, is_name, nested, sources_in
from moorland.core.engine.asked import prepare_totals
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question, Refused, RowsQuestion, TotalsQuestion
from moorland.core.language import tree
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.writing import all_of_text
from moorland.core.people import Viewer

AGGREGATES = (exp.Sum, exp.Avg, exp.Min, exp.Max, exp.Count)
MOST_QUESTIONS = 20


@dataclass(frozen=True)
class AnswerColumn:
    """A column of an answer as a relation: its name there, its type, and where its values stand."""

    name: str
    type: ValueType
    source: Literal["row", "key", "value"]
    place: int


@dataclass
class Base:
    """An innermost SELECT as a question, and the relation its answer becomes. `listed`: rows, so it may be capped."""

    name: str
    question: Question
    columns: list[AnswerColumn]
    grouped: bool = False
    #: Whether the statement itself says how many rows it wants.
    limited: bool = False


@dataclass
class Plan:
    """A statement over the answers of questions."""

    query: exp.Query
    bases: list[Base] = field(default_factory=list)


class Translation:
    """Translates one statement for one viewer."""

    def __init__(self, evaluator: Evaluator, viewer: Viewer, catalogue: Catalogue, parameters: Mapping[int, Any]) -> None:
        self.evaluator, self.viewer, self.catalogue, self._parameters = evaluator, viewer, catalogue, parameters
        self._schemas = {name: model.schema for name, model in evaluator.models.items()}
        self.plan = Plan(exp.select())

    def of(self, query: exp.Query) -> Plan:
        """The plan of a query. Raises SqlRefused."""
        bound = query.transform(self._bound)
        assert isinstance(bound, exp.Query)
        self.plan.query = self._query(bound, frozenset())
        return self.plan

    def _bound(self, node: exp.Expression) -> exp.Expression:
        """Parameters as the values they are bound to: as parts of the tree, never as text."""
        if isinstance(node, exp.Parameter | exp.Placeholder):
            number = int(node.name) if node.name.isdigit() else 0
            if number not in self._parameters:
                raise SqlRefused(BAD_PARAMETER, f"there is no parameter ${node.name or '?'}", position=position_of(node))
            return bound_value(self._parameters[number])
        if isinstance(node, exp.EQ) and isinstance(node.expression, exp.Any):
            return self._any(node)
        if isinstance(node, exp.Fetch):
            options = node.args.get("limit_options")
            if options is not None and (options.args.get("percent") or options.args.get("with_ties")):
                raise SqlRefused(NOT_SUPPORTED, "FETCH takes a number of rows, and no ties.", position=position_of(node))
            return exp.Limit(expression=node.args.get("count") or exp.Literal.number(1))
        if isinstance(node, exp.CurrentDate):
            return exp.cast(exp.Literal.string(self.evaluator.as_of.isoformat()), exp.DType.DATE)
        return node

    def _any(self, node: exp.EQ) -> exp.Expression:
        """`= ANY(…)` of a list, as the IN it stands for."""
        listed = node.expression.this
        listed = listed.this if isinstance(listed, exp.Paren) else listed
        listed = listed.this if isinstance(listed, exp.Cast) else listed
        if isinstance(listed, exp.Array):
            return exp.In(this=node.this, expressions=listed.expressions)
        found = self._parameters.get(int(listed.name)) if isinstance(listed, exp.Parameter | exp.Placeholder) and listed.name.isdigit() else None
        if not isinstance(found, list):
            raise SqlRefused(NOT_SUPPORTED, "ANY takes a list here.", "Write IN with values.", position_of(node))
        values = [bound_value(value) for value in found if value is not None]
        return (
            exp.In(this=node.this, expressions=values) if values else cast(exp.Expression, exp.and_(exp.Is(this=node.this, expression=exp.Null()), exp.false()))
        )

    def _query(self, query: exp.Expression, outer: frozenset[str]) -> exp.Query:
        """A query whose relations are answers; `outer` are the names of WITH that it may read."""
        if isinstance(query, exp.Subquery):
            query.set("this", self._query(query.this, outer))
            return query
        names = set(outer)
        with_ = query.args.get("with_")
        if with_ is not None:
            if with_.args.get("recursive"):
                raise SqlRefused(NOT_SUPPORTED, "WITH RECURSIVE is not answered here.", position=position_of(with_))
            for part in with_.expressions:
                part.set("this", self._query(part.this, frozenset(names)))
                names.add(folded(part.args["alias"].this))
        known = frozenset(names)
        if isinstance(query, exp.SetOperation):
            query.set("this", self._query(query.this, known))
            query.set("expression", self._query(query.expression, known))
            return query
        if not isinstance(query, exp.Select):
            raise SqlRefused(NOT_SUPPORTED, "Only SELECT is answered here.", position=position_of(query))
        return self._select(query, known)

    def _select(self, select: exp.Select, known: frozenset[str]) -> exp.Select:
        flattened(select, lambda inner: self._counts(inner))
        sources = list(sources_in(select))
        related = [isinstance(item, exp.Table) and not is_name(item, known) for item in sources]
        if sources and all(related):
            return self._base(select)
        for item, is_relation in zip(sources, related, strict=True):
            if is_relation:
                self._whole(item)
        for item in list(nested(select)):
            item.replace(self._query(item.copy(), known))
        plain = [item if isinstance(item, exp.Alias | exp.Column | exp.Star) else exp.alias_(item, spoken(item), quoted=True) for item in select.expressions]
        select.set("expressions", plain)
        return select

    def _counts(self, select: exp.Select) -> bool:
        """Whether a SELECT over relations asks for totals without saying so: it names a measure. What cannot be read counts, and is refused in its place."""
        try:
            sources = sources_of(self.catalogue, self._schemas, select)
            columns = [node for item in select.expressions for node in item.find_all(exp.Column) if not isinstance(node.this, exp.Star)]
            return any(sources.find(node).measure is not None for node in columns)
        except SqlRefused:
            return True

    def _whole(self, table: exp.Expression) -> None:
        """A relation beside something else: all its rows, as an answer of its own."""
        assert isinstance(table, exp.Table)
        alias = table.args.get("alias")
        inner = exp.select(exp.Star()).from_(exp.Table(this=table.this.copy(), db=table.args.get("db")))
        named = alias.copy() if alias is not None else exp.TableAlias(this=table.this.copy())
        table.replace(exp.Subquery(this=self._base(inner), alias=named))

    def _base(self, select: exp.Select) -> exp.Select:
        """An innermost SELECT, over relations: a question, and the SELECT over its answer."""
        if len(self.plan.bases) >= MOST_QUESTIONS:
            raise SqlRefused("54000", f"A statement asks at most {MOST_QUESTIONS} questions.")
        for part in ("distribute", "sort", "cluster", "laterals", "pivots", "qualify", "windows", "match", "sample", "locks", "into", "connect", "prewhere"):
            if select.args.get(part):
                raise SqlRefused(NOT_SUPPORTED, f"{part.upper()} cannot stand in a SELECT over a relation.", position=position_of(select))
        if any(True for _ in nested(select)):
            raise SqlRefused(NOT_SUPPORTED, "A subquery cannot stand inside a SELECT over a relation.", "Put it in FROM.", position_of(select))
        sources = sources_of(self.catalogue, self._schemas, select)
        made = _Select(self, select, sources)
        return made.totals() if made.groups else made.rows()

    def measures(self, schema: str) -> dict[str, CheckedMeasure]:
        """The measures of a model."""
        return self.evaluator.models[schema].measures


class _Select:
    """One innermost SELECT on its way to a question."""

    def __init__(self, whole: Translation, select: exp.Select, sources: Sources) -> None:
        self.whole, self.select, self.sources = whole, select, sources
        self.writing = Writing(sources.named)
        self.base = Base(f"answer{len(whole.plan.bases) + 1}", Question(rows=RowsQuestion(model="", table="")), [])
        self.items = list(self._items())
        distinct = select.args.get("distinct")
        if distinct is not None and distinct.args.get("on") is not None:
            raise SqlRefused(NOT_SUPPORTED, "DISTINCT ON cannot stand in a SELECT over a relation.", "Use it on the answer, in an outer SELECT.")
        group = select.args.get("group")
        if group is not None and any(group.args.get(kind) for kind in ("rollup", "cube", "grouping_sets", "all")):
            raise SqlRefused(NOT_SUPPORTED, "ROLLUP, CUBE and GROUPING SETS are not answered here.", "Ask for each level in a SELECT of its own.")
        self.by = [self._meant(item) for item in group.expressions] if group is not None else []
        parts = [item for _, item in self.items] + ([select.args["having"].this] if select.args.get("having") else [])
        self.groups = bool(self.by) or group is not None or distinct is not None or any(self._counts(item) for item in parts)
        if distinct is not None and not self.by and not any(self._counts(item) for item in parts):
            self.by = [item for _, item in self.items]
        where = select.args.get("where")
        self.where = all_of_text([*sources.conditions, self.writing.of(where.this) if where is not None else None])

    def _items(self) -> Iterator[tuple[str, exp.Expression]]:
        """What is selected, with the name of each; stars written out."""
        for item in self.select.expressions:
            if isinstance(item, exp.Star) or (isinstance(item, exp.Column) and isinstance(item.this, exp.Star)):
                qualifier = folded(item.args["table"]) if isinstance(item, exp.Column) and item.args.get("table") else None
                for name, found in self.sources.starred(qualifier, position_of(item)):
                    assert found.key is not None
                    alias = next(key for key, relation in self.sources.by_alias.items() if found in relation.fields and qualifier in (None, key))
                    yield name, exp.column(exp.to_identifier(found.name, quoted=True), table=exp.to_identifier(alias, quoted=True))
            elif isinstance(item, exp.Alias):
                yield folded(item.args["alias"]), item.this
            else:
                yield _name_of(item, self.sources), item

    def _meant(self, item: exp.Expression) -> exp.Expression:
        """What a GROUP BY names: a column, a position in the SELECT list, or the name of something selected."""
        if isinstance(item, exp.Literal) and not item.is_string:
            return self._at(item)
        if isinstance(item, exp.Column) and not item.args.get("table"):
            try:
                self.sources.find(item)
            except SqlRefused:
                chosen = [expression for name, expression in self.items if name == folded(item.this)]
                if len(chosen) == 1:
                    return chosen[0]
                raise
        return item

    def _at(self, item: exp.Literal) -> exp.Expression:
        place = int(item.this) if str(item.this).isdigit() else 0
        if not 1 <= place <= len(self.items):
            raise SqlRefused(SYNTAX, f"position {item.this} is not in select list", position=position_of(item))
        return self.items[place - 1][1]

    def _counts(self, item: exp.Expression) -> bool:
        """Whether an expression counts rows: an aggregate that is no window's, or a measure."""
        if isinstance(item, exp.Window):
            return any(self._counts(part) for part in item.this.iter_expressions())
        if isinstance(item, AGGREGATES):
            return True
        if isinstance(item, exp.Column) and not isinstance(item.this, exp.Star):
            return self.sources.find(item).measure is not None
        return any(self._counts(part) for part in item.iter_expressions())

    # Rows

    def rows(self) -> exp.Select:
        """A question about rows; expressions are computed on the answer, order and part are the question's where they can be."""
        asked = self.sources.asked
        keys: list[Field] = []

        def above(node: exp.Expression) -> exp.Expression:
            if not isinstance(node, exp.Column):
                return node
            found = self.sources.find(node)
            if found not in keys:
                keys.append(found)
            return _column(f"c{keys.index(found) + 1}")

        chosen = [(name, item.copy().transform(above)) for name, item in self.items]
        order, pushed = self._order_of_rows()
        limit, offset = _number(self.select, "limit"), _number(self.select, "offset")
        made = _over(self.base, chosen)
        if not pushed:
            made.set("order", self._order_above(lambda item: item.copy().transform(above)))
            _take_over(self.select, made, "limit", "offset")
        if not keys:
            keys.append(asked.columns[0])
        self.base.columns = [AnswerColumn(f"c{place + 1}", found.type, "row", place) for place, found in enumerate(keys)]
        self.base.limited = pushed and limit is not None
        names = [f"{found.key[0]}.{found.key[1]}" for found in keys if found.key is not None]
        if asked.cube is not None:
            raise SqlRefused(NOT_GROUPED, "A cube is asked for totals.", "Select measures, or use GROUP BY.")
        rows = RowsQuestion(
            model=asked.schema,
            table=asked.table,
            columns=names,
            where=self.where,
            order=order if pushed else [],
            limit=limit if pushed else None,
            offset=(offset or 0) if pushed else 0,
        )
        self.base.question = Question(rows=rows)
        self.whole.plan.bases.append(self.base)
        return made

    def _order_of_rows(self) -> tuple[list[str], bool]:
        """The order as the question has it, and whether it has all of it."""
        order = self.select.args.get("order")
        found: list[str] = []
        # Windows are computed above, and leave rows in an order of their own.
        if order is not None and any(item.find(exp.Window) for _, item in self.items):
            return [], False
        for item in order.expressions if order is not None else ():
            expression = self._ordered_by(item.this)
            if item.args.get("nulls_first") or not isinstance(expression, exp.Column):
                return [], False
            field_ = self.sources.find(expression)
            if field_.key is None:
                return [], False
            found.append(f"{'-' if item.args.get('desc') else ''}{field_.key[0]}.{field_.key[1]}")
        return found, True

    def _ordered_by(self, item: exp.Expression) -> exp.Expression:
        """What an ORDER BY names: the name of something selected, a position, or an expression."""
        if isinstance(item, exp.Literal) and not item.is_string:
            return self._at(item)
        if isinstance(item, exp.Column) and not item.args.get("table"):
            chosen = [expression for name, expression in self.items if name == folded(item.this)]
            if len(chosen) == 1:
                return chosen[0]
        return item

    def _order_above(self, above: Any) -> exp.Expression | None:
        order = self.select.args.get("order")
        if order is None:
            return None
        items = [
            exp.Ordered(this=above(self._ordered_by(item.this)), desc=bool(item.args.get("desc")), nulls_first=bool(item.args.get("nulls_first")))
            for item in order.expressions
        ]
        return exp.Order(expressions=items)

    # Totals

    def totals(self) -> exp.Select:
        """A totals question; what stands around groups and aggregates is computed on its lines."""
        asked = self.sources.asked
        by: list[str] = []
        made: list[Made] = []
        groups: dict[str, int] = {}
        for item in self.by:
            text = self.writing.of(item)
            if text in groups:
                continue
            groups[text] = len(by)
            found = self.sources.find(item) if isinstance(item, exp.Column) else None
            if found is not None and found.key is not None:
                by.append(f"{found.key[0]}.{found.key[1]}")
            else:
                made.append(Made(expression=text, **{"as": f"g{len(by) + 1}"}, table=asked.table))
                by.append(f"g{len(by) + 1}")
        measures: list[str] = []

        def measured(node: exp.Expression) -> exp.Expression:
            name = self._measure_named(node)
            if name is None:
                text = self.writing.of(node)
                name = next((item.as_ for item in made if item.expression == text and item.as_ in measures), None)
                if name is None:
                    name = f"m{len(made) + 1}"
                    made.append(Made(expression=text, **{"as": name}, table=asked.table))
            if name not in measures:
                measures.append(name)
            return _column(f"v{measures.index(name) + 1}")

        def above(node: exp.Expression) -> exp.Expression:
            place = self._group_of(node, groups)
            if place is not None:
                return _column(f"k{place + 1}")
            if isinstance(node, exp.Window):
                inner = node.copy()
                inner.set("this", _rebuilt(node.this, above))
                for part in ("partition_by",):
                    if node.args.get(part):
                        inner.set(part, [above(item) for item in node.args[part]])
                if node.args.get("order"):
                    inner.set("order", _rebuilt(node.args["order"], above))
                return inner
            if isinstance(node, AGGREGATES) or (isinstance(node, exp.Filter) and isinstance(node.this, AGGREGATES)):
                return measured(node)
            if isinstance(node, exp.Column):
                if self.sources.find(node).measure is not None:
                    return measured(node)
                message = f'column "{folded(node.this)}" must appear in the GROUP BY clause or be used in an aggregate function'
                raise SqlRefused(NOT_GROUPED, message, position=position_of(node))
            return _rebuilt(node, above)

        chosen = [(name, above(item)) for name, item in self.items]
        having = self.select.args.get("having")
        condition = above(having.this) if having is not None else None
        order = self._order_above(above)
        if not measures:
            made.append(Made(expression="COUNT(*)", **{"as": "lines"}, table=asked.table))
            measures.append("lines")
        if len(by) > 8:
            raise SqlRefused("54011", "A SELECT is grouped by at most 8 columns.")
        question = TotalsQuestion(model=asked.schema, by=by, measures=measures, where=self.where, cube=asked.cube, made=made)
        types = self._types(question)
        self.base.columns = [
            *(AnswerColumn(f"k{place + 1}", types[name], "key", place) for place, name in enumerate(by)),
            *(AnswerColumn(f"v{place + 1}", types[name], "value", place) for place, name in enumerate(measures)),
        ]
        self.base.question, self.base.grouped = Question(totals=question), bool(by)
        self.whole.plan.bases.append(self.base)
        over = _over(self.base, chosen)
        if condition is not None:
            over = over.where(condition, copy=False)
        over.set("order", order)
        if self.select.args.get("distinct") is not None:
            over.set("distinct", exp.Distinct())
        _take_over(self.select, over, "limit", "offset")
        return over

    def _group_of(self, node: exp.Expression, groups: Mapping[str, int]) -> int | None:
        """The place of an expression among the groups, where it is one of them."""
        if not groups or isinstance(node, exp.Window | exp.Ordered | exp.Literal | exp.Boolean | exp.Null):
            return None
        try:
            return groups.get(self.writing.of(node))
        except SqlRefused:
            return None

    def _measure_named(self, node: exp.Expression) -> str | None:
        """The measure a node stands for by its name: bare, or within SUM where it is itself one SUM or COUNT. Raises SqlRefused."""
        inside = node.this if isinstance(node, AGGREGATES) else node
        inside = inside.this if isinstance(inside, exp.Paren) else inside
        if not isinstance(inside, exp.Column) or isinstance(inside.this, exp.Star):
            return None
        found = self.sources.find(inside)
        if found.measure is None:
            return None
        written = self.whole.measures(self.sources.asked.schema)[found.measure].tree
        adds_up = isinstance(written, tree.Aggregate) and written.function in ("SUM", "COUNT") and not written.distinct
        if inside is not node and not (isinstance(node, exp.Sum) and adds_up):
            hint = f"Write {found.name} by itself: it is worked out over the rows of each line."
            raise SqlRefused(NOT_SUPPORTED, f'the measure "{found.name}" is an aggregate already', hint, position_of(node))
        return found.measure

    def _types(self, question: TotalsQuestion) -> dict[str, ValueType]:
        """The types of what a totals question gives, by name. Raises SqlRefused where it cannot be asked."""
        base, viewer = self.whole.evaluator, self.whole.viewer
        try:
            prepared = prepare_totals(base.viewer_model(viewer, question.model), question, self.whole.measures(question.model), base.people.definitions)
        except Refused as refused:
            raise refused_as(refused.code, refused.message) from None
        if prepared.not_found:
            hint = "Ask for them in a SELECT each: roles never lend columns to one another."
            raise SqlRefused("42501", "No single role opens all that this SELECT reads together.", hint)
        schema = prepared.model.data.schema
        types: dict[str, ValueType] = {name: _type(measure.tree.type) for name, measure in prepared.found.items()}
        columns = {item.key: item.type for relation in self.sources.by_alias.values() for item in relation.fields if item.key is not None}
        for name, key in zip(question.by, prepared.asked.by, strict=True):
            types[name] = _type(prepared.asked.made[key].type) if key in prepared.asked.made else columns.get(key, schema.columns[key].type)
        return types


def _over(base: Base, chosen: list[tuple[str, exp.Expression]]) -> exp.Select:
    """A SELECT over an answer."""
    items = [exp.alias_(item, name, quoted=True) for name, item in chosen]
    return exp.select(*items, copy=False).from_(exp.to_identifier(base.name))


def _column(name: str) -> exp.Column:
    return exp.column(exp.to_identifier(name, quoted=True))


def _rebuilt(node: exp.Expression, above: Any) -> exp.Expression:
    """A node with what is inside it seen from above."""
    made = node.copy()
    for key, value in node.args.items():
        if isinstance(value, exp.Expression):
            made.set(key, above(value))
        elif isinstance(value, list):
            made.set(key, [above(item) if isinstance(item, exp.Expression) else item for item in value])
    return made


def _take_over(select: exp.Select, made: exp.Select, *parts: str) -> None:
    for part in parts:
        if select.args.get(part) is not None:
            made.set(part, select.args[part].copy())


def _number(select: exp.Select, part: str) -> int | None:
    """The number of LIMIT or OFFSET; None where there is none. Raises SqlRefused where it is no plain number."""
    found = select.args.get(part)
    if found is None:
        return None
    written = found.expression
    if isinstance(written, exp.Null):
        return None
    if not isinstance(written, exp.Literal) or not str(written.this).isdigit():
        raise SqlRefused(SYNTAX, f"{part.upper()} takes a whole number.", position=position_of(found))
    return int(written.this)


def _name_of(item: exp.Expression, sources: Sources) -> str:
    """The name of something selected without AS, as clients know it."""
    if isinstance(item, exp.Column):
        return sources.find(item).name
    if isinstance(item, exp.Cast | exp.Paren | exp.Filter | exp.Window):
        return _name_of(item.this, sources)
    return spoken(item)


def _type(written: object) -> ValueType:
    known: dict[str, ValueType] = {"text": "text", "integer": "integer", "number": "number", "boolean": "boolean", "date": "date", "timestamp": "timestamp"}
    return known.get(str(written), "text")
