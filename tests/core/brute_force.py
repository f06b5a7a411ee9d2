"""What a viewer sees, worked out row by row from semantics.md alone; shares no code with the core.

Conditions are trees of tuples, which are evaluated here and rendered as text for the core.
"""

import datetime
from dataclasses import dataclass, field
from typing import Any

Condition = tuple[Any, ...]
Row = dict[str, Any]


@dataclass
class BruteRole:
    kind: str
    rows: list[tuple[str, Condition]] = field(default_factory=list)
    hidden: set[str] = field(default_factory=set)  # "table.column"


@dataclass
class BruteWorld:
    tables: dict[str, list[Row]]
    keys: dict[str, str | None]
    steps: list[tuple[str, str, str, bool]]  # many, column, one, carries up
    base: dict[str, Condition] = field(default_factory=dict)


def truth(condition: Condition, row: Row | None, table: str, world: BruteWorld, viewer: dict[str, Any]) -> bool | None:
    """True, false or None (unknown) for one row."""
    kind = condition[0]
    if kind == "and":
        parts = [truth(part, row, table, world, viewer) for part in condition[1:]]
        return False if False in parts else None if None in parts else True
    if kind == "or":
        parts = [truth(part, row, table, world, viewer) for part in condition[1:]]
        return True if True in parts else None if None in parts else False
    if kind == "not":
        inner = truth(condition[1], row, table, world, viewer)
        return None if inner is None else not inner
    value = read(condition[1], row, table, world)
    if kind == "null":
        return value is None
    if kind == "viewer":
        many = viewer.get(condition[2])
        return None if value is None or not many else value in many
    if kind == "in":
        if value is None:
            return None
        return True if value in condition[2] else None if None in condition[2] else False
    other = condition[2]
    if value is None or other is None:
        return None
    return {"=": value == other, "<>": value != other, "<": value < other, "<=": value <= other, ">": value > other, ">=": value >= other}[kind]


def read(column: str, row: Row | None, table: str, world: BruteWorld) -> Any:
    """The value of `table.column` for a row of `table`, through its lookups; null where there is none (3.2)."""
    owner, name = column.split(".")
    if row is None:
        return None
    if owner == table:
        return row[name]
    for many, key_column, one, _ in world.steps:
        if many == table and reaches(one, owner, world):
            return read(column, parent(row, key_column, one, world), one, world)
    raise AssertionError(f"{column} is not reached from {table}")


def reaches(table: str, other: str, world: BruteWorld) -> bool:
    return table == other or any(reaches(one, other, world) for many, _, one, _ in world.steps if many == table)


def parent(row: Row, column: str, one: str, world: BruteWorld) -> Row | None:
    """The row a key refers to; none where it is null, unmatched or removed by a base filter."""
    key = world.keys[one]
    found = next((other for other in world.tables[one] if row[column] is not None and other[key or ""] == row[column]), None)
    return found if found is not None and passes_base(found, one, world) else None


def passes_base(row: Row, table: str, world: BruteWorld) -> bool:
    """Whether base filters leave the row; they travel from lookups (3.7)."""
    if table in world.base and truth(world.base[table], row, table, world, {}) is not True:
        return False
    return all(parent(row, column, one, world) is not None for many, column, one, _ in world.steps if many == table and filtered(one, world))


def filtered(table: str, world: BruteWorld) -> bool:
    return table in world.base or any(filtered(one, world) for many, _, one, _ in world.steps if many == table)


def restricted(role: BruteRole, world: BruteWorld) -> set[str]:
    """The tables restricted in a role (6.1)."""
    found = {table for table, _ in role.rows} | set(world.base)
    while True:
        more = {many for many, _, one, _ in world.steps if one in found} | {one for many, _, one, up in world.steps if up and many in found}
        if more <= found:
            return found
        found |= more


def visible(role: BruteRole, world: BruteWorld, viewer: dict[str, Any]) -> dict[str, set[int]]:
    """`V_r` of every table, as positions: rows are struck out until nothing changes (6.1)."""
    bound = restricted(role, world)
    left = {table: set(range(len(rows))) for table, rows in world.tables.items()}
    for table, rows in world.tables.items():
        for position, row in enumerate(rows):
            own = [condition for name, condition in role.rows if name == table] + ([world.base[table]] if table in world.base else [])
            if any(truth(condition, row, table, world, viewer) is not True for condition in own):
                left[table].discard(position)
    changed = True
    while changed:
        changed = False
        for many, column, one, up in world.steps:
            key = world.keys[one] or ""
            if one in bound:
                keys = {world.tables[one][position][key] for position in left[one]}
                gone = {position for position in left[many] if world.tables[many][position][column] is None or world.tables[many][position][column] not in keys}
                changed |= bool(gone)
                left[many] -= gone
            if up and many in bound:
                used = {world.tables[many][position][column] for position in left[many]}
                gone = {position for position in left[one] if world.tables[one][position][key] not in used}
                changed |= bool(gone)
                left[one] -= gone
    return left


def rows_for(roles: list[BruteRole], world: BruteWorld, viewer: dict[str, Any], table: str, columns: set[str]) -> set[int]:
    """Visible rows of a table for a column set (6.4)."""
    grants = [role for role in roles if role.kind == "grant"]
    limits = [role for role in roles if role.kind == "limit"]
    if any(columns & limit.hidden for limit in limits):
        return set()
    opened: set[int] = set()
    for grant in grants:
        if not columns & grant.hidden:
            opened |= visible(grant, world, viewer)[table]
    for limit in limits:
        opened &= visible(limit, world, viewer)[table]
    return opened


def totals(
    roles: list[BruteRole], world: BruteWorld, viewer: dict[str, Any], table: str, column: str, by: list[str], where: Condition | None
) -> tuple[dict[tuple[Any, ...], list[float]], list[float]] | None:
    """Values of a column by key over the rows that count; None where the measure does not exist for the question (7.2)."""
    asked = {f"{table}.{column}", *by, *(columns_of(where) if where else set())}
    if not any(role.kind == "grant" and not asked & role.hidden for role in roles) or any(role.kind == "limit" and asked & role.hidden for role in roles):
        return None
    groups: dict[tuple[Any, ...], list[float]] = {}
    everything: list[float] = []
    for position in sorted(rows_for(roles, world, viewer, table, asked)):
        row = world.tables[table][position]
        if where is not None and truth(where, row, table, world, viewer) is not True:
            continue
        groups.setdefault(tuple(read(name, row, table, world) for name in by), []).append(row[column])
        everything.append(row[column])
    return groups, everything


def columns_of(condition: Condition) -> set[str]:
    """The columns a condition reads."""
    if condition[0] in ("and", "or", "not"):
        return set().union(*(columns_of(part) for part in condition[1:]))
    return {condition[1]}


def as_text(condition: Condition) -> str:
    """The condition in the language of the core."""
    kind = condition[0]
    if kind in ("and", "or"):
        return "(" + f" {kind.upper()} ".join(as_text(part) for part in condition[1:]) + ")"
    if kind == "not":
        return f"NOT ({as_text(condition[1])})"
    column = condition[1]
    if kind == "null":
        return f"{column} IS NULL"
    if kind == "viewer":
        return f"{column} IN viewer.{condition[2]}"
    if kind == "in":
        return f"{column} IN ({', '.join(literal(value) for value in condition[2])})"
    return f"{column} {kind} {literal(condition[2])}"


def literal(value: Any) -> str:
    if value is None:
        return "NULL"
    if isinstance(value, datetime.date):
        return f"DATE '{value.isoformat()}'"
    if isinstance(value, str):
        return "'" + value.replace("'", "''") + "'"
    return repr(value)
