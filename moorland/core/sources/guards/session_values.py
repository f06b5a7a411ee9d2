"""Conditions of whoever reads: values of the viewer are looked up by the session's user, in tables only Moorland writes."""

from typing import Any

from sqlglot import exp

from moorland.core.language import tree
from moorland.core.language.dialects import Dialect
from moorland.core.language.sql import Parameters, Rendering
from moorland.core.language.sql_parts import cast, function, text

#: Who holds which role; whose value of what; and which values are known of whom, be they none.
HOLDS, VALUES, KNOWN = "moorland_holds", "moorland_values", "moorland_known"


class WrittenOut(Parameters):
    """Values as literals: a view has no parameters."""

    def bind(self, value: Any) -> exp.Expression:
        if value is None:
            return exp.Null()
        if isinstance(value, bool):
            return self.dialect.truth(value)
        if isinstance(value, str):
            return text(value)
        return self.dialect.day(value, "timestamp" if hasattr(value, "hour") else "date") if hasattr(value, "isoformat") else self.dialect.number(value)


class SessionTables:
    """The tables of a guard's schema, as conditions on the session's user."""

    def __init__(self, schema: str, dialect: Dialect) -> None:
        self.schema, self.dialect = schema, dialect

    def table(self, name: str) -> exp.Table:
        """A table of the schema."""
        return exp.Table(this=exp.to_identifier(name, quoted=True), db=exp.to_identifier(self.schema, quoted=True))

    def holds(self, role: str, today: exp.Expression) -> exp.Expression:
        """That the session's user holds a role today."""
        until = exp.column("until", quoted=True)
        good = exp.Paren(this=exp.or_(exp.Is(this=until, expression=exp.Null()), exp.GTE(this=until.copy(), expression=today)))
        return exp.Exists(this=exp.select("1").from_(self.table(HOLDS)).where(self._is_me(), self._named("role", role), good))

    def known(self, name: str) -> exp.Expression:
        """That a value of the session's user is known, be it none."""
        return exp.Exists(this=exp.select("1").from_(self.table(KNOWN)).where(self._is_me(), self._named("name", name)))

    def values(self, name: str, type_: str, folded: bool = False) -> exp.Select:
        """The values of the session's user under a name."""
        column = exp.column("folded" if folded else "value", quoted=True)
        wanted = column if folded or type_ == "text" else cast(column, self.dialect.types[type_])
        return exp.select(wanted).from_(self.table(VALUES)).where(self._is_me(), self._named("name", name))

    def _is_me(self) -> exp.Expression:
        return exp.EQ(this=exp.column("member", quoted=True), expression=exp.Var(this="SESSION_USER"))

    def _named(self, column: str, value: str) -> exp.Expression:
        return exp.EQ(this=exp.column(column, quoted=True), expression=text(value))


class SessionRendering(Rendering):
    """Renders conditions in which the viewer is the session's user, and the day is today's in the workspace's time zone."""

    session: SessionTables
    today: exp.Expression

    def of_currentdate(self, node: tree.CurrentDate) -> exp.Expression:
        return self.today.copy()

    def of_viewerref(self, node: tree.ViewerRef) -> exp.Expression:
        return self.session.values(node.name, str(node.type)).limit(1).subquery()

    def _side(self, node: tree.Node, folded: bool) -> exp.Expression:
        if folded and isinstance(node, tree.ViewerRef):
            return self.session.values(node.name, "text", folded=True).limit(1).subquery()
        return super()._side(node, folded)

    def of_isin(self, node: tree.IsIn) -> exp.Expression:
        first = node.items[0]
        if not (isinstance(first, tree.ViewerRef) and first.many):
            return super().of_isin(node)
        chosen = self.session.values(first.name, str(first.type), folded=node.identity)
        found: exp.Expression = exp.In(this=self._side(node.operand, node.identity), query=exp.Subquery(this=chosen))
        if node.exact:
            found = exp.Or(this=found, expression=exp.In(this=self._side(node.operand, folded=False), expressions=[self.of(item) for item in node.exact]))
        found = exp.Paren(this=found)
        decided = exp.Not(this=found) if node.negated else found
        # What is not set is unknown, not a list of nothing.
        return exp.Paren(this=exp.Case(ifs=[exp.If(this=self.session.known(first.name), true=decided)]))

    def _like(self, node: tree.Like) -> exp.Expression:
        if not isinstance(node.pattern, tree.ViewerRef):
            return super()._like(node)
        return self.dialect.like(self.of(node.operand), self.of(node.pattern), self.of(node.escape) if node.escape is not None else text(""))


def today_in_sql(time_zone: str) -> exp.Expression:
    """Today in a time zone."""
    return cast(function("TIMEZONE", text(time_zone), exp.Var(this="NOW()")), "DATE")
