"""Rows and totals questions as SQL that gives a viewer the same answers, for tables that lie in a database.

One statement reads one table and looks others up; each role's visible rows are a condition with an EXISTS toward every
restricted lookup (semantics.md 6.1). Masks, whole totals, restrictions that travel up, parent hierarchies and measures of
several tables are not answered in SQL yet and say so.
"""

import functools
import itertools
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, assert_never

from sqlglot import exp

from moorland.core.bundle.policy import BetweenColumns, EverythingText
from moorland.core.bundle.structure import identity
from moorland.core.engine.asked import Asked, Attributes, Measures, PreparedRows, PreparedTotals, counted_tables, prepare_rows, prepare_totals
from moorland.core.engine.by_viewer import UndecidedRule
from moorland.core.engine.entitlements import EntitlementRule
from moorland.core.engine.member_rules import MembersRule, ViewerValues
from moorland.core.engine.missing import read_missing
from moorland.core.engine.questions import RowsQuestion, TotalsQuestion
from moorland.core.engine.rules import RowRule, RowsRule
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.derived import ColumnKey, with_inputs
from moorland.core.language.dialects import Dialect
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.sql import Parameters, Rendering
from moorland.core.language.sql_parts import NotInSql, always, cast, function, is_null, never, number, text


@dataclass(frozen=True)
class Statement:
    """One SQL statement with its bound values: what it gives (`rows`, `count`, or `lines` of a measure at a depth).

    `types` are those of the values; `looks_up` the columns by which it finds single rows: without an index on one, each row read costs a look through that table.
    """

    gives: str
    sql: str
    parameters: dict[str, Any]
    types: dict[str, str]
    looks_up: list[str]
    measure: str | None = None
    depth: int = 0


def statements(model: ViewerModel, question: RowsQuestion | TotalsQuestion, measures: Measures, attributes: Attributes, dialect: Dialect) -> list[Statement]:
    """The SQL of a question. Raises Refused as its answer would, and NotInSql."""
    match question:
        case RowsQuestion():
            prepared = prepare_rows(question, model.data.schema, model.objects, attributes)
            return _rows_statements(model, question, prepared, dialect)
        case TotalsQuestion():
            return _totals_statements(model, prepare_totals(model, question, measures, attributes), dialect)
        case _:
            assert_never(question)


def _rows_statements(model: ViewerModel, question: RowsQuestion, asked: PreparedRows, dialect: Dialect) -> list[Statement]:
    schema, existing, table = model.data.schema, model.objects, asked.table
    columns, order, condition, read = asked.columns, asked.order, asked.condition, asked.filtered
    grants = model.listing(table)
    rules = [rows.role.beneath(table) for rows in (*grants, *model.limits)]
    if any(rule.only_under is not None for rule in rules):
        raise NotInSql("rows listed only under so many are not answered in SQL yet")
    caps = [grant.role.beneath(table).limit or 0 for grant in grants]
    cap = min([max(caps, default=0), *(rule.limit for rule in rules[len(grants) :] if rule.limit is not None)])
    found = []
    for gives in ("count", "rows"):
        writing = Writing(model, dialect, [*columns, *(key for key, _ in order), *read])
        where = writing.visible_row("t", table, grants)
        if condition is not None:
            where = [*where, writing.rendering("t", table).of(condition), *(writing.clear("t", table, key, grants) for key in sorted(read))]
        select = exp.select().from_(writing.source(table, "t")).where(*where, copy=False)
        if gives == "count":
            select = select.select(exp.alias_(exp.Count(this=exp.Star()), "visible"))
        else:
            for position, key in enumerate(columns):
                select = select.select(exp.alias_(writing.shown("t", table, key, grants), f"c{position + 1}", quoted=True))
            key_column = schema.tables[table].key
            keys = [*order, *([((table, key_column), False)] if key_column and (table, key_column) in existing.columns else [])]
            for key, descending in keys:
                value = writing.shown("t", table, key, grants)
                select = select.order_by(exp.Is(this=exp.Paren(this=value.copy()), expression=exp.Null()), copy=False)
                select = select.order_by(exp.Ordered(this=writing.sorted_by(value, key), desc=descending), copy=False)
            wanted = cap if question.limit is None else question.limit
            select = select.limit(max(min(question.offset + wanted, cap) - question.offset, 0)).offset(question.offset)
        found.append(writing.statement(gives, select))
    return found


def _totals_statements(model: ViewerModel, prepared: PreparedTotals, dialect: Dialect) -> list[Statement]:
    if model.has_whole_totals():
        raise NotInSql("whole totals are not answered in SQL yet")
    if prepared.asked.made or prepared.order:
        raise NotInSql("columns made for the occasion, and lines in an order, are not answered in SQL yet")
    found = []
    for measure in prepared.found.values():
        if counted_tables(measure) != {measure.table}:
            raise NotInSql(f"{measure.name} counts rows of several tables, which is not answered in SQL yet")
        grants = prepared.granting(model, measure)
        found += [_measure_statement(model, measure, prepared.asked, grants, depth, dialect) for depth in prepared.depths]
    return found


def _measure_statement(model: ViewerModel, measure: CheckedMeasure, asked: Asked, grants: list[RoleRows], depth: int, dialect: Dialect) -> Statement:
    """The lines of one measure at one depth: its keys, its value, and how many rows it counts."""
    by, condition = asked.by[:depth], asked.condition
    writing = Writing(model, dialect, [*measure.inputs, *asked.keys])
    rendering = writing.rendering("t", measure.table)
    inside = exp.select().from_(writing.source(measure.table, "t"))
    for position, key in enumerate(by):
        inside = inside.select(exp.alias_(writing.cell("t", measure.table, *key), f"k{position + 1}", quoted=True))
    inside = inside.select(exp.alias_(number(1), "one"))
    arguments: dict[tree.Aggregate, str] = {}
    for node in measure.tree.walk():
        if isinstance(node, tree.Aggregate) and node.argument is not None and node not in arguments:
            arguments[node] = f"a{len(arguments) + 1}"
            inside = inside.select(exp.alias_(rendering.of(node.argument), arguments[node], quoted=True))
    where = writing.visible_row("t", measure.table, grants)
    inside = inside.where(*where, *([rendering.of(condition)] if condition is not None else []), copy=False)

    def aggregate(node: tree.Aggregate) -> exp.Expression:
        if node.argument is None:
            return exp.Count(this=exp.Star())
        column: exp.Expression = exp.column(arguments[node], quoted=True)
        if node.function == "COUNT":
            return exp.Count(this=exp.Distinct(expressions=[column]) if node.distinct else column)
        if node.argument.type == "text":
            column = dialect.by_code_point(column)
        if node.function == "AVG":
            column = cast(column, dialect.types["number"])
        return function(node.function, column) if not node.distinct else exp.Anonymous(this=node.function, expressions=[exp.Distinct(expressions=[column])])

    around = Rendering(dialect, writing.parameters, model.data.as_of, lambda name: None, writing.no_cell, writing.inner, aggregate)
    outside = exp.select().from_(inside.subquery("counted"))
    for position in range(len(by)):
        key_column = exp.column(f"k{position + 1}", quoted=True)
        outside = outside.select(key_column).group_by(key_column.copy())
    outside = outside.select(exp.alias_(around.of(measure.tree), "value", quoted=True), exp.alias_(exp.Count(this=exp.Star()), "rows", quoted=True))
    return writing.statement("lines", outside, measure.name, depth)


class Writing:
    """Writes one statement: aliases, bound values, and the conditions under which rows are visible."""

    def __init__(self, model: ViewerModel, dialect: Dialect, reads: Iterable[ColumnKey]) -> None:
        self.model, self.dialect, self.data = model, dialect, model.data
        self.schema = model.data.schema
        self.parameters = Parameters(dialect)
        self._looks_up: dict[str, None] = {}
        self._numbers = itertools.count(1)
        self.refuse_unsaid(reads)

    def refuse_unsaid(self, reads: Iterable[ColumnKey]) -> None:
        """Raises NotInSql where a role held masks what is read, or a restriction travels up."""
        for rows in (*self.model.grants, *self.model.limits):
            names = {(mask.column[1], self.schema.original(mask.column[0])) for mask in rows.role.masks}
            if any((column, self.schema.original(owner)) in names for owner, column in with_inputs(reads, self.data.derived)):
                raise NotInSql(f"the role {rows.name} masks a column of this question; masks are not answered in SQL yet")
            self.refuse_upward(rows)

    def refuse_upward(self, rows: RoleRows) -> None:
        """Raises NotInSql where a restriction of a role travels up."""
        if any(step.carries_up and step.many in rows.restricted for steps in self.schema.parents.values() for step in steps):
            raise NotInSql("restrictions that travel up are not answered in SQL yet")

    def statement(self, gives: str, select: exp.Select, measure: str | None = None, depth: int = 0) -> Statement:
        """The statement as text, with its values."""
        written = select.sql(dialect=self.dialect.name, pretty=True)
        return Statement(gives, written, dict(self.parameters.values), dict(self.parameters.types), list(self._looks_up), measure, depth)

    def alias(self) -> str:
        return f"l{next(self._numbers)}"

    def source(self, table: str, alias: str) -> Any:
        """The stored table, under an alias."""
        return exp.alias_(exp.to_table(f'"{self.schema.original(table)}"'), alias, table=True, quoted=True)

    def column(self, alias: str, column: str) -> exp.Expression:
        return exp.column(column, table=alias, quoted=True)

    def no_cell(self, table: str, column: str) -> exp.Expression:
        raise NotInSql(f"{table}.{column} stands outside an aggregate")

    def rendering(self, alias: str, table: str) -> Rendering:
        """Renders conditions over the row of a table that an alias names."""
        return Rendering(
            self.dialect,
            self.parameters,
            self.data.as_of,
            self.model.viewer.values,
            lambda owner, column: self.cell(alias, table, owner, column),
            self.inner,
        )

    def cell(self, alias: str, table: str, owner: str, column: str) -> exp.Expression:
        """A cell of the row, or of the row it looks up; null where none matches."""
        if owner == table:
            return self.own(alias, table, column)
        step = self.schema.paths[table][owner][0]
        other = self.alias()
        select = exp.select(self.cell(other, step.one, owner, column)).from_(self.source(step.one, other))
        matches = exp.EQ(this=self.column(other, step.key), expression=self.own(alias, table, step.column))
        self._looks_up[f"{self.schema.original(step.one)}.{step.key}"] = None
        return select.where(matches, *self.base(other, step.one), copy=False).subquery()

    def own(self, alias: str, table: str, column: str) -> exp.Expression:
        """A cell of the row itself; derived ones are written out over the table that declares them."""
        original = self.schema.original(table)
        derived = self.data.derived.get((original, column))
        if derived is None:
            return self.column(alias, column)
        rendering = self.rendering(alias, original)
        if derived.expression is not None:
            return exp.Paren(this=rendering.of(derived.expression))
        assert derived.of is not None
        source = self.own(alias, original, derived.of[1])
        kind = self.schema.columns[derived.of].type
        ifs = [
            exp.If(this=exp.EQ(this=source.copy(), expression=self.literal(value, kind)), true=self.literal(result, derived.type))
            for value, result in derived.values.items()
        ]
        otherwise = self.literal(derived.otherwise, derived.type)
        return exp.Paren(this=exp.Case(ifs=ifs, default=otherwise)) if ifs else exp.Paren(this=otherwise)

    def literal(self, value: Any, type_: str) -> exp.Expression:
        return self.rendering("", "").of(tree.Literal(value=value, type=type_))

    def inner(self, query: tree.InnerQuery) -> exp.Select:
        """An inner query, whole and before base filters (4.6)."""
        alias = self.alias()
        assert isinstance(query.column, tree.ColumnRef)
        select = exp.select(self.own(alias, query.table, query.column.column)).from_(self.source(query.table, alias))
        return select if query.where is None else select.where(self.rendering(alias, query.table).of(query.where), copy=False)

    def has_base(self, table: str) -> bool:
        """Whether base filters remove rows of a table or of what it looks up."""
        own = self.schema.tables[self.schema.original(table)].base_filter
        return own is not None or any(self.has_base(step.one) for step in self.schema.parents[table])

    def base(self, alias: str, table: str) -> list[exp.Expression]:
        """What base filters ask of a row (3.7)."""
        original = self.schema.original(table)
        written = self.schema.tables[original].base_filter
        found = []
        if written is not None:
            condition = check_condition(written, Scope(schema=self.schema, table=original, viewer=False, inner=True))
            unknown = read_missing(self.schema, self.data.derived, self.data.missing, original, [condition])
            found.append(never() if unknown else self.rendering(alias, original).of(condition))
        for step in self.schema.parents[table]:
            if self.has_base(step.one):
                found.append(self.refers(alias, table, step.column, step.one, step.key, functools.partial(self._base_of, step.one)))
        return found

    def _base_of(self, table: str, alias: str) -> list[exp.Expression]:
        return self.base(alias, table)

    def _visible_of(self, rows: RoleRows, table: str, alias: str) -> list[exp.Expression]:
        return self.visible(rows, alias, table)

    def refers(self, alias: str, table: str, column: str, one: str, key: str, conditions: Callable[[str], list[exp.Expression]]) -> exp.Expression:
        """That a row's key is among those of the rows that satisfy conditions: a list the engine works out once, whatever the row."""
        other = self.alias()
        keys = exp.select(self.column(other, key)).from_(self.source(one, other)).where(*conditions(other), copy=False)
        return exp.In(this=self.own(alias, table, column), query=exp.Subquery(this=keys))

    def visible(self, rows: RoleRows, alias: str, table: str) -> list[exp.Expression]:
        """`V_r` of one role, as conditions on a row (6.1)."""
        if table not in rows.restricted:
            return []
        original = self.schema.original(table)
        own = self.base(alias, table)[: 1 if self.schema.tables[original].base_filter is not None else 0]
        found = [*own, *(self.rule(rule, alias) for rule in rows.role.rows if rule.table == table)]
        for step in self.schema.parents[table]:
            if step.one in rows.restricted:
                found.append(self.refers(alias, table, step.column, step.one, step.key, functools.partial(self._visible_of, rows, step.one)))
        return found

    def visible_row(self, alias: str, table: str, grants: list[RoleRows]) -> list[exp.Expression]:
        """Visible through some grant and left by every limit (6.4)."""
        found = [self.any_of([self.visible(grant, alias, table) for grant in grants])]
        for limit in self.model.limits:
            found += self.visible(limit, alias, table)
        return found

    def any_of(self, ways: list[list[exp.Expression]]) -> exp.Expression:
        if any(not way for way in ways):
            return always()
        if not ways:
            return never()
        return exp.Paren(this=exp.or_(*(exp.Paren(this=exp.and_(*way, copy=False)) for way in ways), copy=False))

    def clear(self, alias: str, table: str, key: ColumnKey, grants: list[RoleRows]) -> exp.Expression:
        """That a cell is clear: some grant that has the row shows the column (6.5)."""
        return self.any_of([self.visible(grant, alias, table) for grant in grants if key in grant.objects.columns])

    def shown(self, alias: str, table: str, key: ColumnKey, grants: list[RoleRows]) -> exp.Expression:
        """The cell where it is clear, else null."""
        value = self.cell(alias, table, *key)
        if all(key in grant.objects.columns for grant in grants):
            return value
        return exp.Paren(this=exp.Case(ifs=[exp.If(this=self.clear(alias, table, key, grants), true=value)]))

    def sorted_by(self, value: exp.Expression, key: ColumnKey) -> exp.Expression:
        return self.dialect.by_code_point(value) if self.schema.columns[key].type == "text" else value

    def rule(self, rule: RowRule, alias: str) -> exp.Expression:
        """One sentence that decides rows."""
        if isinstance(rule, RowsRule):
            return self.rendering(alias, rule.table).of(rule.condition)
        if isinstance(rule, EntitlementRule):
            return self.entitlement(rule, alias)
        if isinstance(rule, MembersRule) and rule.hierarchy.levels is not None:
            return self.members(rule, alias)
        if isinstance(rule, UndecidedRule):
            return never()
        raise NotInSql("parent hierarchies are not answered in SQL yet")

    def members(self, rule: MembersRule, alias: str) -> exp.Expression:
        """The longest listed prefix decides, `false` over `true`, else `unlisted`."""
        truth = self.dialect.truth
        levels = rule.hierarchy.levels or []
        ifs = []
        for depth in range(len(levels), 0, -1):
            for see in (False, True):
                for entry in rule.entries:
                    if entry.see == see and len(entry.path) == depth:
                        condition = self.entry(alias, rule, entry.path, see)
                        if condition is not None:
                            ifs.append(exp.If(this=condition, true=truth(see)))
        decision = exp.Case(ifs=ifs, default=truth(rule.unlisted)) if ifs else truth(rule.unlisted)
        return exp.EQ(this=exp.Paren(this=decision), expression=truth(True))

    def entry(self, alias: str, rule: MembersRule, path: tuple[Any, ...], see: bool) -> exp.Expression | None:
        """That a row lies under a listed path; None where it stands for nothing."""
        parts: list[exp.Expression] = [always()]
        for level, item in zip(rule.hierarchy.levels or [], path, strict=False):
            cell = self.own(alias, rule.table, level)
            if not isinstance(item, ViewerValues):
                parts.append(exp.EQ(this=cell, expression=self.parameters.bind(item)))
                continue
            among = self.among(cell, item.attribute, see, (rule.table, level))
            if among is None:
                return None
            parts.append(among)
        return exp.Paren(this=exp.and_(*parts, copy=False))

    def among(self, cell: exp.Expression, attribute: str, see: bool, key: ColumnKey) -> exp.Expression | None:
        """That a level is one of the values of an attribute. Where it is not set, an entry that shows stands for nothing (None), one that hides for everything."""
        values = self.model.viewer.values(attribute)
        if values is None:
            return None if see else always()
        return exp.In(this=cell, expressions=[self.parameters.bind(value) for value in values])

    def entitlement(self, rule: EntitlementRule, alias: str) -> exp.Expression:
        """Some line of the viewer matches in all pairs (5.3)."""
        sentence, line = rule.written, self.alias()
        person = self.own(line, sentence.through, sentence.person)
        is_text = self.schema.columns[sentence.through, sentence.person].type == "text"
        named = self.names_viewer(rule, function("LOWER", function("TRIM", person)) if is_text else person)
        if named is None:
            return never()
        conditions = [named, *self.base(line, sentence.through)]
        if rule.where is not None:
            conditions.append(self.rendering(line, sentence.through).of(rule.where))
        if len(sentence.match) == 1 and sentence.separator is None and sentence.everything is None:
            column, target = next(iter(sentence.match.items()))
            if isinstance(target, str):
                cells = exp.select(self.own(line, sentence.through, target)).from_(self.source(sentence.through, line))
                some = self.bound(rule, line, target)[2]
                return exp.In(this=self.own(alias, rule.table, column), query=exp.Subquery(this=cells.where(*conditions, some, copy=False)))
        conditions += [self.pair(rule, alias, line, column, target) for column, target in sentence.match.items()]
        self._looks_up[f"{self.schema.original(sentence.through)}.{sentence.person}"] = None
        return exp.Exists(this=exp.select("1").from_(self.source(sentence.through, line)).where(*conditions, copy=False))

    def names_viewer(self, rule: EntitlementRule, person: exp.Expression) -> exp.Expression | None:
        """That a line names the viewer, its person folded; None where nothing can name them."""
        wanted = self.model.viewer.values(rule.person_name) or ()
        keys = sorted({identity(value) if isinstance(value, str) else value for value in wanted} - {""}, key=str)
        return exp.In(this=person, expressions=[self.parameters.bind(key) for key in keys]) if keys else None

    def pair(self, rule: EntitlementRule, alias: str, line: str, column: str, target: str | BetweenColumns) -> exp.Expression:
        """That a line matches a row in one pair."""
        sentence = rule.written
        value = self.own(alias, rule.table, column)
        if isinstance(target, BetweenColumns):
            low, high = (self.bound(rule, line, name) for name in target.between)
            above = exp.or_(low[1], exp.and_(low[2], exp.GTE(this=self.ordered(value, rule, column), expression=low[0])))
            below = exp.or_(high[1], exp.and_(high[2], exp.LTE(this=self.ordered(value.copy(), rule, column), expression=high[0])))
            return exp.Paren(this=exp.and_(exp.Paren(this=above), exp.Paren(this=below)))
        cell, opens, usable = self.bound(rule, line, target)
        is_text = self.schema.columns[sentence.through, target].type == "text"
        if sentence.separator is None or not is_text:
            return exp.Paren(this=exp.or_(opens, exp.and_(usable, exp.EQ(this=value, expression=cell))))
        items = self.dialect.items(cell, sentence.separator, self.parameters.bind(sentence.separator))
        item = exp.column("item", table="items", quoted=True)
        trimmed = function("TRIM", item)
        matches: Any = exp.EQ(this=trimmed, expression=value)
        if isinstance(sentence.everything, EverythingText):
            matches = exp.or_(matches, exp.EQ(this=trimmed.copy(), expression=self.parameters.bind(sentence.everything.text)))
        nonempty = exp.NEQ(this=trimmed.copy(), expression=text(""))
        found = exp.Exists(this=exp.select("1").from_(items).where(nonempty, exp.Paren(this=matches), copy=False))
        return exp.Paren(this=exp.or_(opens, exp.and_(usable, found)))

    def ordered(self, value: exp.Expression, rule: EntitlementRule, column: str) -> exp.Expression:
        return self.sorted_by(value, (rule.table, column))

    def bound(self, rule: EntitlementRule, line: str, name: str) -> tuple[exp.Expression, exp.Expression, exp.Expression]:
        """A cell of a line; that it opens everything; that it holds a value."""
        sentence = rule.written
        cell = self.own(line, sentence.through, name)
        null = is_null(cell)
        is_text = self.schema.columns[sentence.through, name].type == "text"
        blank = exp.Paren(this=exp.or_(null, exp.EQ(this=function("TRIM", cell), expression=text("")))) if is_text else exp.Paren(this=null)
        if sentence.everything == "blank":
            return cell, blank, exp.Not(this=blank.copy())
        if isinstance(sentence.everything, EverythingText) and is_text:
            word = exp.Paren(this=exp.EQ(this=cell.copy(), expression=self.parameters.bind(sentence.everything.text)))
            return cell, word, exp.Paren(this=exp.and_(exp.Not(this=blank), exp.Not(this=word.copy())))
        return cell, never(), exp.Not(this=blank)
