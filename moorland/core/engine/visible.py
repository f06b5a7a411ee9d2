"""Visible rows: of one role through the relationships, and of all roles held together (semantics.md 6.1 to 6.4)."""

from collections.abc import Callable, Iterable, Iterator

import numpy as np

from moorland.core.bundle.policy import Role
from moorland.core.bundle.schema import Schema, Step
from moorland.core.engine.grouping import codes_with_null
from moorland.core.engine.mask_kinds import in_totals_of
from moorland.core.engine.masking import CLEAR, Ladder, Layer, states_of
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.objects import NOTHING, Objects
from moorland.core.engine.roles import CompiledRole
from moorland.core.engine.rules import RowRule
from moorland.core.language.derived import ColumnKey, is_made, with_inputs
from moorland.core.language.vectors import Array, Mask
from moorland.core.people import Viewer


class RoleRows:
    """`V_r` and the masks of one role for one viewer, table by table.

    A mask of rows has shape (rows,); None stands for all rows, of an unrestricted table. `without` leaves one sentence out
    of account, as if it were true everywhere (8.2).
    """

    def __init__(self, role: CompiledRole, viewer: Viewer, data: ModelData, ladder: Ladder, without: int | None = None) -> None:
        self.role, self._viewer, self.data, self.ladder = role, viewer, data, ladder
        self._without = without
        self._masks: dict[str, Mask | None] = {}
        self._layers: dict[ColumnKey, list[Layer]] = {}
        self._variants: dict[int, RoleRows] = {}
        self.restricted = restricted_tables(data.schema, {rule.table for rule in role.rows})
        self._goes_up = any(step.carries_up and step.many in self.restricted for steps in data.schema.parents.values() for step in steps)

    @property
    def name(self) -> str:
        """The role's name."""
        return self.role.role.name

    @property
    def objects(self) -> Objects:
        """`O_r`; nothing for a role of pages only."""
        return self.role.objects or NOTHING

    def of(self, table: str) -> Mask | None:
        """`V_r(T)` (6.1)."""
        if table not in self._masks:
            if self._goes_up:
                self._solve()
            else:
                self._masks[table] = self._downward(table)
        return self._masks[table]

    def own(self, table: str) -> Mask | None:
        """Rows that satisfy the table's base filter and its own sentences of the role (5.4)."""
        masks = [self.rule_mask(rule) for rule in self.role.rows if rule.table == table and rule.sentence != self._without]
        base = self.data.base(table)
        if base is not None:
            masks.append(base)
        return _all_of(masks)

    def rule_mask(self, rule: RowRule) -> Mask:
        """The rows one sentence leaves; cached under the sentence and the viewer values it reads."""
        return self.data.cache.get(("rule", rule.table, rule.text, rule.values(self._viewer)), lambda: rule.mask(self.data, self._viewer))

    def deciding(self, table: str) -> list[RowRule]:
        """The rules about the rows of a table: its own, and those of the lookups it follows, in the order of their sentences."""
        reached = {table, *self.data.schema.paths[table]}
        return sorted((rule for rule in self.role.rows if rule.table in reached), key=lambda rule: rule.sentence)

    def layers(self, key: ColumnKey) -> list[Layer]:
        """The masks on a column under the role: its own, those of the table it is an alias of, and of what a derived cell reads (3.3, 5.5, 5.6)."""
        if key not in self._layers:
            self._layers[key] = list(self._made_layers(key))
        return self._layers[key]

    def _made_layers(self, key: ColumnKey) -> Iterator[Layer]:
        table, column = key
        original = self.data.schema.original(table)
        for mask in self.role.masks:
            if mask.column == key or mask.column == (original, column):
                where = mask.where(self.data, self._viewer, table) if mask.when is not None else None
                yield Layer(self.ladder.state(mask.kind), in_totals_of(mask.written), mask.least_rows, where)
        derived = self.data.derived.get(key)
        if derived is None:
            return
        if f"column:{table}.{column}" not in self.role.named:
            for read in derived.reads:
                for layer in self.layers(read):
                    where = layer.where
                    if where is not None and read[0] != table:
                        where = where[self.data.path(original, read[0])]
                    yield Layer(self.ladder.withheld, "no", 0, where)
        if original != table:
            yield from (layer for layer in self.layers((original, column)) if layer.state == self.ladder.withheld)

    def states(self, table: str, key: ColumnKey) -> Array | int:
        """The state of a column, or of a lookup's column, in each row of a table: one for all, or shape (rows,) (6.2)."""
        if not self._has(key):
            return self.ladder.hidden
        states = states_of(self.layers(key), self.data.rows(key[0]))
        return CLEAR if states is None else lifted(self.data, table, key[0], states)

    def _has(self, key: ColumnKey) -> bool:
        """Whether a column exists under the role; one made for the occasion, where all it reads does (7.8)."""
        return self.objects.columns.issuperset(self.data.derived[key].inputs) if is_made(key) else key in self.objects.columns

    def counting(self, table: str, used: frozenset[ColumnKey], limits: "ViewerModel") -> Mask | None:
        """The rows that count under the role for a line that uses some columns: `V_r`, and what whole totals let in (8.2)."""
        mask = self.of(table)
        for rule in self.role.rows:
            if mask is not None and isinstance(rule, MembersRule) and rule.whole and self.data.schema.reaches(table, rule.table):
                mask = mask | self._whole(table, rule, used, limits)
        return mask

    def _whole(self, table: str, rule: MembersRule, used: frozenset[ColumnKey], limits: "ViewerModel") -> Mask:
        """Rows hidden only by a members sentence, whose ancestor at the level used has a visible row at or beneath it."""
        data, owner = self.data, rule.table
        if rule.sentence not in self._variants:
            self._variants[rule.sentence] = RoleRows(self.role, self._viewer, data, self.ladder, without=rule.sentence)
        without = self._variants[rule.sentence].of(table)
        visible = np.ones(data.rows(owner), dtype=np.bool_)
        for mask in (self.of(owner), limits.limit_rows(owner)):
            visible = visible if mask is None else visible & mask
        level = level_used(data, table, rule, used)
        members = np.full(len(visible) + 1, visible.any())
        if level:
            codes = [codes_with_null(data, owner, (owner, column))[:-1] for column in (rule.hierarchy.levels or [])[:level]]
            _, member = np.unique(np.stack(codes, axis=1), axis=0, return_inverse=True) if len(visible) else (None, np.zeros(0, dtype=np.int64))
            seen = np.zeros(len(visible) + 1, dtype=np.bool_)
            seen[member[visible]] = True
            members[:-1] = seen[member]
        members[-1] = False
        inside: Mask = members[:-1] if table == owner else members[data.path(table, owner)[:-1]]
        return inside if without is None else inside & without

    def signature(self) -> tuple[object, ...]:
        """What the visible rows depend on: the sentences and the viewer values they read."""
        return (self._without, *((rule.table, rule.text, rule.values(self._viewer)) for rule in self.role.rows))

    def _downward(self, table: str) -> Mask | None:
        if table not in self.restricted:
            return None
        return self.data.cache.get(("visible", table, self.signature()), lambda: self._computed(table))

    def _computed(self, table: str) -> Mask:
        masks = [self.own(table)]
        for step in self.data.schema.parents[table]:
            if step.one in self.restricted:
                masks.append(through(self.data, step, self.of(step.one)))
        result = _all_of(mask for mask in masks if mask is not None)
        return np.ones(self.data.rows(table), dtype=np.bool_) if result is None else result

    def _solve(self) -> None:
        """The largest sets that satisfy every relationship, where restrictions also travel up."""
        schema, data = self.data.schema, self.data
        current: dict[str, Mask] = {}
        for name in schema.order:
            own = self.own(name) if name in self.restricted else None
            current[name] = own if own is not None else np.ones(data.rows(name), dtype=np.bool_)
        changed = True
        while changed:
            changed = False
            for name in schema.order:
                kept = current[name]
                for step in schema.parents[name]:
                    if step.one in self.restricted:
                        kept = kept & through(data, step, current[step.one])
                if kept.sum() != current[name].sum():
                    current[name], changed = kept, True
            for name in reversed(schema.order):
                for step in schema.parents[name]:
                    if step.carries_up and step.many in self.restricted:
                        referred = np.zeros(data.rows(step.one) + 1, dtype=np.bool_)
                        referred[data.join(step)[:-1][current[name]]] = True
                        kept = current[step.one] & referred[:-1]
                        if kept.sum() != current[step.one].sum():
                            current[step.one], changed = kept, True
        self._masks = {name: mask if name in self.restricted else None for name, mask in current.items()}


def restricted_tables(schema: Schema, with_sentence: Iterable[str]) -> set[str]:
    """The tables that are restricted in a role with row sentences on some tables (6.1)."""
    restricted = set(with_sentence) | {name for name in schema.tables if schema.tables[schema.original(name)].base_filter}
    steps = [step for steps in schema.parents.values() for step in steps]
    while True:
        more = {step.many for step in steps if step.one in restricted} | {step.one for step in steps if step.carries_up and step.many in restricted}
        if more <= restricted:
            return restricted
        restricted |= more


def through(data: ModelData, step: Step, mask: Mask | None) -> Mask:
    """The rows of the many side whose key matches a visible row of the one side; unmatched and null keys match none."""
    index = data.join(step)[:-1]
    if mask is None:
        return index >= 0
    matched: Mask = np.append(mask, False)[index]
    return matched


def _all_of(masks: Iterable[Mask]) -> Mask | None:
    result: Mask | None = None
    for mask in masks:
        result = mask if result is None else result & mask
    return result


def _any_of(masks: Iterable[Mask | None]) -> Mask | None:
    """The union; None (all rows) where one of them is all rows."""
    result: Mask | None = None
    for mask in masks:
        if mask is None:
            return None
        result = mask if result is None else result | mask
    return result


def lifted(data: ModelData, table: str, owner: str, values: Array) -> Array:
    """Values of the rows of a table's lookup (rows + 1) in the rows of the table; shape (rows,)."""
    return values[:-1] if owner == table else values[data.path(table, owner)[:-1]]


def level_used(data: ModelData, table: str, rule: MembersRule, used: frozenset[ColumnKey]) -> int:
    """Down to which level a line uses a hierarchy, its finest where it uses anything else that tells its rows apart (8.2)."""
    schema, owner, levels = data.schema, rule.table, rule.hierarchy.levels or []
    steps = schema.paths[table][owner] if table != owner else ()
    telling = {owner, *schema.paths[owner], *(step.one for step in steps)}
    own = {(table, schema.tables[table].key), *((step.many, step.column) for step in steps)}
    level, waiting, looked_at = 0, list(used), set(used)
    while waiting:
        key = waiting.pop()
        if key[0] == owner and key[1] in levels:
            level = max(level, levels.index(key[1]) + 1)
        elif key in own:
            return len(levels)
        elif key in data.derived:
            waiting += data.derived[key].reads - looked_at
            looked_at |= data.derived[key].reads
        elif key[0] in telling:
            return len(levels)
    return level


class ViewerModel:
    """A model as a viewer's roles open and narrow it: grants widen, limits narrow (6.3, 6.4)."""

    def __init__(self, viewer: Viewer, roles: Iterable[CompiledRole], data: ModelData) -> None:
        self.viewer, self.data = viewer, data
        self.roles = list(roles)
        self.ladder = Ladder(mask.kind for role in self.roles for mask in role.masks)
        held = [RoleRows(role, viewer, data, self.ladder) for role in self.roles]
        self.grants = [rows for rows in held if rows.role.role.kind == "grant"]
        self.limits = [rows for rows in held if rows.role.role.kind == "limit"]
        self.objects = self._objects()

    #: Whether it compares all the data with what some viewers see (Unseen).
    compares = False

    @property
    def exists(self) -> bool:
        """Whether a grant role is held; without one the model does not exist (6.3)."""
        return bool(self.grants)

    def _objects(self) -> Objects:
        """What exists for the viewer: in some grant role and in every limit role (6.6)."""
        result = NOTHING
        for grant in self.grants:
            result = result.union(grant.objects)
        for limit in self.limits:
            result = result.intersection(limit.objects)
        return result

    def granting(self, columns: Iterable[tuple[str, str]], tables: Iterable[str] = (), measure: str | None = None) -> list[RoleRows]:
        """The grant roles under which everything named exists; none where a limit role hides any of it (6.4)."""
        names, owners = list(columns), list(tables)

        def has(rows: RoleRows) -> bool:
            objects = rows.objects
            return objects.has(names, owners) and (measure is None or measure in objects.measures)

        return [grant for grant in self.grants if has(grant)] if all(has(limit) for limit in self.limits) else []

    def limit_rows(self, table: str) -> Mask | None:
        """The rows every limit role leaves."""
        return _all_of(mask for limit in self.limits if (mask := limit.of(table)) is not None)

    def left_by_filters(self, table: str) -> Mask | None:
        """The rows base filters leave to everybody, those that travelled among them (3.7): what a role without sentences sees; None for all rows."""
        silent = CompiledRole(Role(name="base filters", kind="grant", model=self.data.schema.model.name))
        return RoleRows(silent, self.viewer, self.data, self.ladder).of(table)

    def rows(self, table: str, grants: Iterable[RoleRows]) -> Mask | None:
        """The rows of a table visible through any of the grants and left by every limit; None for all rows (6.4)."""
        chosen = list(grants)
        if not chosen:
            return np.zeros(self.data.rows(table), dtype=np.bool_)
        opened, narrowed = _any_of(grant.of(table) for grant in chosen), self.limit_rows(table)
        if opened is None or narrowed is None:
            return narrowed if opened is None else opened
        return opened & narrowed

    def opened_by(self, table: str) -> list[str]:
        """The grant roles through which at least one row of a table is visible (6.4)."""
        limits = self.limit_rows(table)

        def opens(grant: RoleRows) -> bool:
            if table not in grant.objects.tables or table not in self.objects.tables:
                return False
            rows = _all_of(mask for mask in (grant.of(table), limits) if mask is not None)
            return self.data.rows(table) > 0 if rows is None else bool(rows.any())

        return [grant.name for grant in self.grants if opens(grant)]

    def on(self, data: ModelData) -> "ViewerModel":
        """The same viewer and roles on other data of the same shape: strata in place of rows."""
        return ViewerModel(self.viewer, self.roles, data)

    def with_roles(self, roles: Iterable[CompiledRole]) -> "ViewerModel":
        """The same viewer and data with other roles."""
        return ViewerModel(self.viewer, roles, self.data)

    def listing(self, table: str) -> list[RoleRows]:
        """The grant roles that list rows of a table; none where a limit role lists none (5.7, 7.1)."""
        if any(not limit.role.beneath(table).rows for limit in self.limits):
            return []
        return [grant for grant in self.granting((), (table,)) if grant.role.beneath(table).rows and grant.role.beneath(table).only_under != 0]

    def exporting(self, table: str) -> list[RoleRows]:
        """The grant roles that list rows of a table and let them be exported; none where a limit role does not (5.7)."""
        if any(not limit.role.beneath(table).export for limit in self.limits):
            return []
        return [grant for grant in self.listing(table) if grant.role.beneath(table).export]

    def masks_any(self, keys: Iterable[ColumnKey]) -> bool:
        """Whether some role held masks one of these columns."""
        return any(rows.layers(key) for key in keys for rows in (*self.grants, *self.limits))

    def derived_inputs(self, keys: Iterable[ColumnKey]) -> frozenset[ColumnKey]:
        """Columns with all that the derived ones among them read."""
        return with_inputs(keys, self.data.derived)

    def counted_by_none(self, counted: Callable[["ViewerModel"], Mask]) -> Mask:
        """The rows that no viewer compared with counts; only for Unseen."""
        raise LookupError("nothing is compared")

    def has_whole_totals(self) -> bool:
        """Whether some grant role held has whole totals (8)."""
        return any(isinstance(rule, MembersRule) and rule.whole for grant in self.grants for rule in grant.role.rows)


class Unseen(ViewerModel):
    """What is left of all the data when everything some viewers see is taken away; for an administrator's comparison only."""

    compares = True

    def __init__(self, whole: ViewerModel, seen: Iterable[ViewerModel]) -> None:
        self.viewer, self.data, self.ladder = whole.viewer, whole.data, whole.ladder
        self.objects = whole.objects
        self._whole, self._seen = whole, list(seen)
        self.grants = [*whole.grants, *(rows for model in self._seen for rows in model.grants)]
        self.limits = [rows for model in self._seen for rows in model.limits]

    def on(self, data: ModelData) -> "Unseen":
        """The same comparison on other data of the same shape."""
        return Unseen(self._whole.on(data), [model.on(data) for model in self._seen])

    def granting(self, columns: Iterable[tuple[str, str]], tables: Iterable[str] = (), measure: str | None = None) -> list[RoleRows]:
        """All the data has everything."""
        return self._whole.granting(columns, tables, measure)

    def counted_by_none(self, counted: Callable[[ViewerModel], Mask]) -> Mask:
        """The rows that count for none of the viewers."""
        result = np.ones(0, dtype=np.bool_)
        for index, model in enumerate(self._seen):
            result = ~counted(model) if index == 0 else result & ~counted(model)
        return result if self._seen else counted(self._whole)


def roles_in(models: Iterable[ViewerModel]) -> list[RoleRows]:
    """The roles that act in some views of the same data, each once, as it acts in the first of them."""
    return list({id(rows.role): rows for model in models for rows in (*model.grants, *model.limits)}.values())
