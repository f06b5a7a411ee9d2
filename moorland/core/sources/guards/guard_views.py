"""The view of one table: the rows any held role opens and every held limit leaves, each cell in the state the roles give it (semantics.md 6, 7.1).

What a view cannot say is left out closed: a role whose sentences have no words in SQL opens nothing, or, a limit, leaves nothing; a cell whose
state or value has none is null. Each is told.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field

from sqlglot import exp

from moorland.core.bundle.model import Table
from moorland.core.engine.entitlements import EntitlementRule
from moorland.core.engine.mask_kinds import Clear, FixedText, Hash, Hidden, KeepCharacters, MaskKind, Period, Rounded, Withhold
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.pushdown import Writing
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.language.derived import ColumnKey
from moorland.core.language.sql import Rendering
from moorland.core.language.sql_parts import NotInSql, always, cast, function, never, number, text
from moorland.core.sources.guards.session_values import SessionRendering, SessionTables, WrittenOut
from moorland.core.sources.tables_in_place import SqlTable


@dataclass
class GuardedTable:
    """The view of one table, and what of it is left out closed, in sentences: whole roles, and columns that are empty for everybody."""

    table: str
    columns: list[str]
    select: exp.Select
    left_out: list[str] = field(default_factory=list)
    roles: set[str] = field(default_factory=set)
    empty: set[str] = field(default_factory=set)

    def without(self, role: RoleRows, why: str) -> None:
        """Leaves a role out: a grant opens nothing, and who holds a limit sees nothing."""
        title = role.role.role.title
        closed = f"{title} opens nothing here" if role.role.role.kind == "grant" else f"Who holds {title} sees nothing here"
        self.roles.add(role.name)
        self.left_out.append(f"{closed}: {why}.")


class GuardWriting(Writing):
    """Writes views of a model's tables in one database; tables that lie elsewhere are read from copies in the guard's schema."""

    def __init__(self, model: ViewerModel, held: dict[str, SqlTable], session: SessionTables, today: exp.Expression) -> None:
        super().__init__(model, session.dialect, [])
        self.parameters = WrittenOut(session.dialect)
        self.held, self.session, self.today = held, session, today
        #: The tables that are read from copies.
        self.copied: set[str] = set()
        self._of_alias: dict[str, str] = {}

    def refuse_unsaid(self, reads: Iterable[ColumnKey]) -> None:
        """What has no words is left out role by role, and cell by cell."""

    def source(self, table: str, alias: str) -> exp.Expression:
        original = self.schema.original(table)
        self._of_alias[alias] = original
        named = self.held[original].relation_named() if original in self.held else self.session.table(copy_of(original))
        if original not in self.held:
            self.copied.add(original)
        named.set("alias", exp.TableAlias(this=exp.to_identifier(alias, quoted=True)))
        return named

    def column(self, alias: str, column: str) -> exp.Expression:
        held = self.held.get(self._of_alias.get(alias, ""))
        return held.read_value(column, alias) if held is not None else super().column(alias, column)

    def rendering(self, alias: str, table: str) -> Rendering:
        made = SessionRendering(
            self.dialect, self.parameters, self.data.as_of, lambda name: None, lambda owner, column: self.cell(alias, table, owner, column), self.inner
        )
        made.session, made.today = self.session, self.today
        return made

    def among(self, cell: exp.Expression, attribute: str, see: bool, key: ColumnKey) -> exp.Expression | None:
        found: exp.Expression = exp.In(this=cell, query=exp.Subquery(this=self.session.values(attribute, self.schema.columns[key].type)))
        return found if see else exp.Paren(this=exp.or_(exp.Not(this=self.session.known(attribute)), found))

    def names_viewer(self, rule: EntitlementRule, person: exp.Expression) -> exp.Expression | None:
        is_text = self.schema.columns[rule.written.through, rule.written.person].type == "text"
        chosen = self.session.values(rule.person_name, self.schema.columns[rule.written.through, rule.written.person].type, folded=is_text)
        if is_text:
            chosen = chosen.where(exp.NEQ(this=exp.column("folded", quoted=True), expression=text("")))
        return exp.In(this=person, query=exp.Subquery(this=chosen))

    def view(self, table: Table) -> GuardedTable:
        """The view of a table that lies in the database."""
        found = GuardedTable(table.name, [], exp.select().from_(self.source(table.name, "t")))
        grants = [(grant, shown) for grant in self.model.grants if (shown := self._opens(grant, table.name, found)) is not None]
        limits = [(limit, self._leaves(limit, table.name, found)) for limit in self.model.limits]
        opened = [exp.and_(self.holds(grant), *rows) for grant, rows in grants]
        where = [exp.Paren(this=exp.or_(*opened)) if opened else never()]
        where += [exp.Paren(this=exp.or_(exp.Not(this=self.holds(limit)), exp.Paren(this=exp.and_(*rows, always())))) for limit, rows in limits]
        found.select = found.select.where(*where)
        for column in table.columns:
            cell = self._cell(table.name, column.name, grants, found)
            kind = self.dialect.types[column.type]
            found.columns.append(column.name)
            found.select = found.select.select(exp.alias_(cell if cell is not None else cast(exp.Null(), kind), column.name, quoted=True))
        return found

    def holds(self, rows: RoleRows) -> exp.Expression:
        """That the session's user holds a role today."""
        return self.session.holds(rows.name, self.today.copy())

    def _opens(self, grant: RoleRows, table: str, found: GuardedTable) -> list[exp.Expression] | None:
        """The conditions under which a grant lists a row; None where it lists none, or a view cannot say which."""
        beneath = grant.role.beneath(table)
        if table not in grant.objects.tables or not beneath.rows:
            return None
        if beneath.only_under is not None:
            found.without(grant, "it lists rows only where few match")
            return None
        try:
            self.refuse_upward(grant)
            return self.visible(grant, "t", table)
        except NotInSql as wrong:
            found.without(grant, str(wrong))
            return None

    def _leaves(self, limit: RoleRows, table: str, found: GuardedTable) -> list[exp.Expression]:
        """The conditions under which a limit leaves a row listed."""
        beneath = limit.role.beneath(table)
        if table not in limit.objects.tables or not beneath.rows:
            return [never()]
        if beneath.only_under is not None:
            found.without(limit, "it lists rows only where few match")
            return [never()]
        try:
            self.refuse_upward(limit)
            return self.visible(limit, "t", table)
        except NotInSql as wrong:
            found.without(limit, str(wrong))
            return [never()]

    def _cell(self, table: str, column: str, grants: list[tuple[RoleRows, list[exp.Expression]]], found: GuardedTable) -> exp.Expression | None:
        """A cell as it is shown: in the least covering state of the grants that have its row, then the most covering of the limits (6.5)."""
        key, ladder = (table, column), self.model.ladder
        try:
            value = self.own("t", table, column)
            state = self._state(key, grants)
        except NotInSql as wrong:
            found.left_out.append(f"{column} is empty for everybody: {wrong}.")
            found.empty.add(column)
            return None
        ifs = []
        type_ = self.schema.columns[key].type
        for place, kind in enumerate(ladder.kinds):
            shown = None if isinstance(kind, MaskKind) and type_ not in kind.types else self._shown(kind, value, type_)
            if shown is not None:
                ifs.append(exp.If(this=number(place), true=shown))
            elif isinstance(kind, Hash) and any(mask.kind == kind and mask.column == key for role in self.model.roles for mask in role.masks):
                found.left_out.append(f"{column} is empty where it is masked by a code: its key stays in Moorland.")
        if isinstance(state, int):
            return next((found_.args["true"] for found_ in ifs if found_.this == number(state)), None)
        return exp.Case(this=state, ifs=ifs)

    def _state(self, key: ColumnKey, grants: list[tuple[RoleRows, list[exp.Expression]]]) -> exp.Expression | int:
        """The number of a cell's state in a row that is shown; one for all where the roles agree: then no condition has to be looked at again."""
        ladder = self.model.ladder
        under = [(grant, rows, self._own_state(grant, key)) for grant, rows in grants]
        alike = {state for _, _, state in under if isinstance(state, int)}
        least: exp.Expression | int
        if not under:
            return ladder.hidden
        if len(alike) == 1 and all(isinstance(state, int) for _, _, state in under):
            least = alike.pop()
        else:
            states = [self._where(exp.Paren(this=exp.and_(self.holds(grant), *rows)), state, ladder.hidden) for grant, rows, state in under]
            least = function("LEAST", *states)
        narrowing = [(limit, state) for limit in self.model.limits if (state := self._own_state(limit, key)) != CLEAR]
        if not narrowing:
            return least
        most = [self._where(self.holds(limit), state, CLEAR) for limit, state in narrowing]
        return function("GREATEST", number(least) if isinstance(least, int) else least, *most)

    def _own_state(self, rows: RoleRows, key: ColumnKey) -> exp.Expression | int:
        """The number of a cell's state under a role."""
        if key not in rows.objects.columns:
            return self.model.ladder.hidden
        layers = list(self._layers(rows, key))
        return function("GREATEST", *layers, number(CLEAR)) if layers else CLEAR

    def _where(self, condition: exp.Expression, state: exp.Expression | int, otherwise: int) -> exp.Expression:
        """A state where a condition holds, and another elsewhere."""
        return exp.Case(ifs=[exp.If(this=condition, true=number(state) if isinstance(state, int) else state)], default=number(otherwise))

    def _layers(self, rows: RoleRows, key: ColumnKey) -> Iterable[exp.Expression]:
        """The states that the masks of a role give a cell: a mask lies where its condition is true or unknown (5.6)."""
        for mask in rows.role.masks:
            if mask.column == key:
                yield self._masked(self.model.ladder.state(mask.kind), None if mask.when is None else self.rendering("t", key[0]).of(mask.when))
        derived = self.data.derived.get(key)
        if derived is None or f"column:{key[0]}.{key[1]}" in rows.role.named:
            return
        for read in derived.reads:
            masks = [mask for mask in rows.role.masks if mask.column in (read, (self.schema.original(read[0]), read[1]))]
            if (masks and read[0] != key[0]) or read in self.data.derived:
                raise NotInSql("what it is derived from is masked, or derived itself")
            for mask in masks:
                yield self._masked(self.model.ladder.withheld, None if mask.when is None else self.rendering("t", key[0]).of(mask.when))

    def _masked(self, state: int, when: exp.Expression | None) -> exp.Expression:
        if when is None:
            return number(state)
        return exp.Case(ifs=[exp.If(this=function("COALESCE", when, self.dialect.truth(True)), true=number(state))], default=number(CLEAR))

    def _shown(self, kind: object, value: exp.Expression, type_: str) -> exp.Expression | None:
        """What is shown of a value in a state; None where nothing is, or the database has no words for it."""
        match kind:
            case Clear():
                return value.copy()
            case FixedText():
                return text(kind.text)
            case KeepCharacters():
                return _kept(value, kind)
            case Rounded():
                return self._rounded(value, kind.to, type_)
            case Period():
                return cast(function("DATE_TRUNC", text(kind.to), value), "DATE")
            case Hash() | Withhold() | Hidden():
                return None
        assert isinstance(kind, MaskKind)
        return None

    def _rounded(self, value: exp.Expression, to: float, type_: str) -> exp.Expression:
        """To the nearest multiple, half away from zero; where that lies beyond the type, the last one within it."""
        whole = type_ == "integer"
        wide = cast(value.copy(), "NUMERIC" if whole else "DOUBLE PRECISION")
        size = exp.Div(this=function("ABS", wide), expression=number(to), typed=True)

        def multiple(steps: exp.Expression) -> exp.Expression:
            return exp.Mul(this=exp.Mul(this=function("SIGN", wide), expression=function("FLOOR", steps)), expression=number(to))

        nearest = multiple(exp.Add(this=exp.Paren(this=size), expression=number(0.5)))
        fits = (
            exp.Between(this=exp.Paren(this=nearest), low=number(-(2**63)), high=number(2**63 - 1))
            if whole
            else exp.LT(this=function("ABS", wide), expression=number(1e290))
        )
        found = exp.Case(ifs=[exp.If(this=fits, true=nearest.copy())], default=multiple(size) if whole else wide.copy())
        return cast(found, self.dialect.types[type_])


def _kept(value: exp.Expression, kind: KeepCharacters) -> exp.Expression:
    length = function("LENGTH", value)
    stays = number(kind.first + kind.last)
    every = function("REPEAT", text(kind.fill), length)
    middle = function("REPEAT", text(kind.fill), exp.Sub(this=length.copy(), expression=stays))
    parts = [function("LEFT", value, number(kind.first)), middle, function("RIGHT", value, number(kind.last)) if kind.last else text("")]
    whole = exp.DPipe(this=exp.DPipe(this=parts[0], expression=parts[1]), expression=parts[2])
    return exp.Case(ifs=[exp.If(this=exp.LTE(this=length.copy(), expression=stays.copy()), true=every)], default=whole)


def copy_of(table: str) -> str:
    """The name of the copy of a table that lies elsewhere."""
    return f"moorland_copy_{table}"
