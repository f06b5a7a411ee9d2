"""What a viewer sees, row by row, written from semantics.md alone; shares no code with the core.

Documents have the shape of bundle.md, with conditions as tuples (oracle.conditions) and measures as trees:
("SUM" | "AVG" | "MIN" | "MAX" | "COUNT", expression or None, distinct), ("ratio", a, b), ("plus", a, b), ("measure", name).
"""

from fractions import Fraction
from functools import cached_property
from typing import Any

from tests.core.oracle import conditions as cond
from tests.core.oracle.role_view import RoleView, Sight
from tests.core.oracle.shown import covering, shown_value

Row = dict[str, Any]


class NotFound(Exception):
    """What was asked for does not exist for the viewer."""


class Oracle:
    """One viewer's view of one model. `person` holds the viewer's values (None or missing: not set)."""

    def __init__(self, model: dict[str, Any], roles: list[dict[str, Any]], data: dict[str, list[Row]], person: dict[str, Any], every_role: list[Any]) -> None:
        self.model, self.person = model, person
        self.tables = {table["name"]: table for table in model["tables"]}
        self.rows = {name: data[self.original(name)] for name in self.tables}
        self.steps: dict[str, list[tuple[str, str, str, bool]]] = {name: [] for name in self.tables}
        for item in model.get("relationships", []):
            (many, column), (one, key) = item["from"].split("."), item["to"].split(".")
            self.steps[many].append((column, one, key, item.get("carries") == "down_and_up"))
        self.every_role = every_role
        self.roles = [RoleView(self, role) for role in roles]
        self.grants = [role for role in self.roles if role.kind == "grant"]
        self.limits = [role for role in self.roles if role.kind == "limit"]

    def original(self, table: str) -> str:
        return str(self.tables[table].get("alias_of") or table)

    def names_of(self, table: str) -> set[str]:
        return {name for name in self.tables if self.original(name) == self.original(table)}

    def columns(self, table: str) -> list[dict[str, Any]]:
        return list(self.tables[self.original(table)]["columns"])

    def column(self, key: str) -> dict[str, Any]:
        table, name = key.split(".")
        return next(column for column in self.columns(table) if column["name"] == name)

    def key(self, table: str) -> str | None:
        return self.tables[self.original(table)].get("key")

    @cached_property
    def all_columns(self) -> list[str]:
        return [f"{table}.{column['name']}" for table in self.tables for column in self.columns(table)]

    def reaches(self, table: str, other: str) -> bool:
        return table == other or any(self.reaches(one, other) for _, one, _, _ in self.steps[table])

    def path(self, table: str, other: str) -> list[tuple[str, str, str]]:
        """The steps from a table to a lookup: (many, column, one)."""
        if table == other:
            return []
        column, one = next((column, one) for column, one, _, _ in self.steps[table] if self.reaches(one, other))
        return [(table, column, one), *self.path(one, other)]

    def lookup(self, table: str, row: int | None, other: str) -> int | None:
        for many, column, one in self.path(table, other):
            if row is None:
                return None
            value = self.read(many, row, many, column)
            row = next((index for index, candidate in enumerate(self.rows[one]) if value is not None and candidate[self.key(one) or ""] == value), None)
            if row is not None and not self.base(one, row):
                row = None
        return row

    def read(self, table: str, row: int | None, owner: str, column: str) -> Any:
        """A cell of a row, or of the row it looks up; derived ones are computed over the rows of the original table."""
        index = self.lookup(table, row, owner)
        if index is None:
            return None
        shape = self.column(f"{owner}.{column}")
        if "expression" in shape:
            return cond.value_of(shape["expression"], Sight(self, self.original(owner), index))
        if "mapping" in shape:
            value = self.read(owner, index, owner, shape["mapping"]["of"])
            listed = shape["mapping"]["values"]
            return listed[str(value)] if value is not None and str(value) in listed else shape["mapping"]["else"]
        return self.rows[owner][index][column]

    def has_base(self, table: str) -> bool:
        return "base_filter" in self.tables[self.original(table)] or any(self.has_base(one) for _, one, _, _ in self.steps[table])

    def base(self, table: str, row: int) -> bool:
        """Whether base filters leave a row."""
        original = self.tables[self.original(table)]
        if "base_filter" in original and cond.truth(original["base_filter"], Sight(self, original["name"], row)) is not True:
            return False
        return all(self.lookup(table, row, one) is not None for _, one, _, _ in self.steps[table] if self.has_base(one))

    def reads(self, key: str) -> set[str]:
        """The columns a derived column names, for an alias those of the alias."""
        table, _ = key.split(".")
        shape, original = self.column(key), self.original(table)
        if "mapping" in shape:
            return {f"{table}.{shape['mapping']['of']}"}
        found = {name if "." in name else f"{table}.{name}" for name in cond.columns_of(shape.get("expression"))}
        return {f"{table}.{name.split('.')[1]}" if name.split(".")[0] == original else name for name in found}

    def derived(self, key: str) -> bool:
        return "expression" in self.column(key) or "mapping" in self.column(key)

    def inputs(self, keys: set[str]) -> set[str]:
        """Columns and all that the derived ones read."""
        found = set(keys)
        for key in keys:
            found |= self.inputs(self.reads(key))
        return found

    def quarantined(self, key: str) -> bool:
        table = key.split(".")[0]
        tables = self.tables[table], self.tables[self.original(table)]
        if self.column(key).get("quarantine") or any(shape.get("quarantine") for shape in tables):
            return True
        return any(self.quarantined(read) for read in self.reads(key))

    def existing(self, key: str) -> bool:
        return any(key in role.columns for role in self.grants) and all(key in role.columns for role in self.limits)

    def existing_tables(self) -> set[str]:
        found = set().union(*(role.tables for role in self.grants))
        for role in self.limits:
            found &= role.tables
        return found

    def measure(self, name: str) -> dict[str, Any]:
        return next(item for item in self.model.get("measures", []) if item["name"] == name)

    def measure_inputs(self, name: str) -> set[str]:
        return self.inputs(set().union(*(cond.columns_of(item[1]) for item, _ in self.aggregates(name)), set()))

    def aggregates(self, name: str) -> list[tuple[Any, str]]:
        """The aggregates of a measure with the table whose rows each counts."""

        def inside(node: Any, table: str) -> list[tuple[Any, str]]:
            if node[0] == "measure":
                return inside(self.measure(node[1])["expression"], self.measure(node[1])["table"])
            return [*inside(node[1], table), *inside(node[2], table)] if node[0] in ("ratio", "plus") else [(node, table)]

        return inside(self.measure(name)["expression"], self.measure(name)["table"])

    # Rows

    def granting(self, columns: set[str], tables: set[str], measure: str | None = None) -> list[RoleView]:
        def has(role: RoleView) -> bool:
            return columns <= role.columns and tables <= role.tables and (measure is None or role.shows_measure(measure))

        return [role for role in self.grants if has(role)] if all(has(role) for role in self.limits) else []

    def left_by_limits(self, table: str, row: int) -> bool:
        return all(row in role.visible()[table] for role in self.limits)

    def state(self, table: str, row: int, key: str, roles: list[RoleView]) -> Any:
        """The state of a cell in a row as those of some roles that have the row show it, less what limits cover (6.5)."""
        states = [role.state(table, row, key) for role in roles if row in role.visible()[table]]
        least = min(states, key=covering, default="hidden")
        return max([least, *(role.state(table, row, key) for role in self.limits)], key=covering)

    def opened(self, table: str, where: cond.Node | None) -> tuple[list[RoleView], list[int]]:
        """The roles that list rows of a table in an answer, and the rows that match; before any cap (5.7, 7.1)."""
        roles = [role for role in self.granting(set(), {table}) if role.lists(table)]
        if any(not role.lists(table) for role in self.limits):
            roles = []
        matching = self.matching(table, where, roles)
        left = [role for role in roles if role.under(table) is None or len(matching) <= role.under(table)]
        if left != roles:
            roles, matching = left, self.matching(table, where, left)
        if any(role.under(table) is not None and len(matching) > role.under(table) for role in self.limits):
            return [], []
        return roles, matching

    def list_rows(self, table: str, columns: list[str], where: cond.Node | None) -> tuple[int, list[tuple[Any, ...]]]:
        """How many rows match, and for each its shown values and states; before any cap (7.1)."""
        roles, matching = self.opened(table, where)
        shown = []
        for row in matching:
            states = [self.state(table, row, key, roles) for key in columns]
            values = [shown_value(state, self.read(table, row, *key.split(".")), key) for state, key in zip(states, columns, strict=True)]
            words = [state if state in ("clear", "hidden") else "masked" for state in states]
            shown.append((tuple(values), tuple(words)))
        return len(matching), shown

    def cap(self, table: str, where: cond.Node | None) -> int:
        """How many rows may be given at most."""
        limits = [most for role in self.limits if (most := role.most(table)) is not None]
        return min([max([role.most(table) or 0 for role in self.opened(table, where)[0]], default=0), *limits])

    def matching(self, table: str, where: cond.Node | None, roles: list[RoleView]) -> list[int]:
        found = []
        for row in range(len(self.rows[table])):
            if not self.left_by_limits(table, row) or not any(row in role.visible()[table] for role in roles):
                continue
            if where is not None:
                if cond.truth(where, Sight(self, table, row)) is not True:
                    continue
                if any(self.state(table, row, self.full(key, table), roles) != "clear" for key in cond.columns_of(where)):
                    continue
            found.append(row)
        return found

    @staticmethod
    def full(key: str, table: str) -> str:
        return key if "." in key else f"{table}.{key}"

    # Totals

    def totals(self, by: list[str], measures: list[str], where: cond.Node | None, subtotals: bool) -> dict[str, Any]:
        """Lines, totals, bases and what is withheld (7.2, 7.3, 8)."""
        filtered = cond.columns_of(where)
        if any(not self.existing(key) for key in {*by, *filtered}):
            raise NotFound
        found = [name for name in measures if self.granting(self.measure_inputs(name) | {*by, *filtered}, self.measure_tables(name), name)]
        lines: list[tuple[list[Any], dict[str, Any]]] = []
        withheld: list[tuple[list[Any], str]] = []
        dropped: set[tuple[str, str, int]] = set()
        depths = [len(by), *(range(len(by) - 1, 0, -1) if subtotals else []), *([0] if by else [])]
        total: dict[str, Any] = {}
        basis: dict[str, int] = {}
        for depth in depths:
            counted = {(name, table): self.counting(name, table, by, where, depth) for name in found for table in {table for _, table in self.tables_of(name)}}
            keys = {row["key"][:depth] for (name, table), rows in counted.items() if table == self.measure(name)["table"] for row in rows}
            now_dropped: set[tuple[str, str, int]] = set()
            for key in keys | ({()} if depth == 0 else set()):
                values = {}
                for name in found:
                    every = {
                        table: [row for row in counted[name, table] if row["key"][:depth] == key] for table in {table for _, table in self.tables_of(name)}
                    }
                    parts = {table: [row for row in rows if (name, table, row["row"]) not in dropped] for table, rows in every.items()}
                    if depth == 0:
                        basis[name] = len(parts[self.measure(name)["table"]])
                    emptied = any(every[table] and not rows for table, rows in parts.items())
                    if emptied or any(rows and max(row["least"] for row in rows) > len(rows) for rows in parts.values()):
                        withheld.append((list(key), name))
                        values[name] = None
                        now_dropped |= {(name, table, row["row"]) for table, rows in parts.items() for row in rows}
                    else:
                        values[name] = self.combined(self.measure(name)["expression"], self.measure(name)["table"], parts)
                if depth == 0:
                    total = values
                if depth or (not by and any(counted[name, self.measure(name)["table"]] for name in found)):
                    lines.append((list(key), values))
            dropped |= now_dropped
        return {"lines": lines, "total": total, "basis": basis, "withheld": withheld, "not_found": [name for name in measures if name not in found]}

    def tables_of(self, name: str) -> list[tuple[Any, str]]:
        return [*self.aggregates(name), (None, self.measure(name)["table"])]

    def measure_tables(self, name: str) -> set[str]:
        return {table for _, table in self.tables_of(name)} | {key.split(".")[0] for key in self.measure_inputs(name)}

    def counting(self, name: str, table: str, by: list[str], where: cond.Node | None, depth: int) -> list[dict[str, Any]]:
        """The rows of a table that count for a measure: their key as shown, the values that enter, the rows their line needs."""
        inputs = sorted(key for key in self.measure_inputs(name) if self.reaches(table, key.split(".")[0]))
        filtered = cond.columns_of(where)
        bare = self.bare(name)
        roles = sorted(self.granting(self.measure_inputs(name) | {*by, *filtered}, self.measure_tables(name), name), key=lambda role: role.name)
        counted = []
        for row in range(len(self.rows[table])):
            if not self.left_by_limits(table, row) or (where is not None and cond.truth(where, Sight(self, table, row)) is not True):
                continue
            if not all(self.passes(role, table, row, inputs, filtered, bare) for role in self.limits):
                continue
            through = [
                role
                for role in roles
                if (row in role.visible()[table] or role.lets_in(table, row, {*by[:depth], *filtered}))
                and self.passes(role, table, row, inputs, filtered, bare)
            ]
            if not through:
                continue
            order = [(sorted((covering(role.state(table, row, key)) for key in inputs), reverse=True), role.name) for role in through]
            chosen = through[order.index(min(order))]
            layers = {key: [layer for role in [chosen, *self.limits] for layer in role.layers(table, row, key)] for key in inputs}
            key = []
            for column in by:
                least = min((role.state(table, row, column) for role in through), key=covering)
                state = max([least, *(role.state(table, row, column) for role in self.limits)], key=covering)
                key.append(shown_value(state, self.read(table, row, *column.split(".")), column))
            counted.append(
                {
                    "key": tuple(key),
                    "row": row,
                    "enters": {key: max((kind for kind, how in entries if how == "shown"), key=covering, default="clear") for key, entries in layers.items()},
                    "least": max((how["full"]["at_least"] for entries in layers.values() for _, how in entries if isinstance(how, dict)), default=0),
                }
            )
        return counted

    def passes(self, role: RoleView, table: str, row: int, inputs: list[str], filtered: set[str], bare: set[str]) -> bool:
        if any(role.state(table, row, key) != "clear" for key in filtered):
            return False
        return all(
            isinstance(how, dict) or (how == "shown" and (kind != "hash" or key in bare)) for key in inputs for kind, how in role.layers(table, row, key)
        )

    def bare(self, name: str) -> set[str]:
        counted = {node[1][1] for node, _ in self.aggregates(name) if node[0] == "COUNT" and node[1] is not None and node[1][0] == "col"}
        others = set().union(
            *(cond.columns_of(node[1]) for node, _ in self.aggregates(name) if not (node[0] == "COUNT" and node[1] is not None and node[1][0] == "col")), set()
        )
        beneath = set().union(*(self.inputs(self.reads(key)) for key in counted | others), set())
        return counted - others - beneath

    def combined(self, node: Any, table: str, parts: dict[str, list[dict[str, Any]]]) -> Any:
        """The value of a measure over the rows of a line."""
        if node[0] == "measure":
            inner = self.measure(node[1])
            return self.combined(inner["expression"], inner["table"], parts)
        if node[0] in ("ratio", "plus"):
            left, right = self.combined(node[1], table, parts), self.combined(node[2], table, parts)
            if left is None or right is None or (node[0] == "ratio" and right == 0):
                return None
            return cond.within(left / right if node[0] == "ratio" else left + right)
        function, argument, distinct = node
        rows = parts[table]
        if argument is None:
            return len(rows)
        values = [value for row in rows if (value := cond.value_of(argument, Entered(self, table, row))) is not None]
        if distinct:
            values = list(dict.fromkeys(values))
        if function == "COUNT":
            return len(values)
        if not values:
            return None
        if function in ("MIN", "MAX"):
            return min(values) if function == "MIN" else max(values)
        total = summed(values)
        return total if total is None or function == "SUM" else total / len(values)

    # Changes

    def change(self, table: str, kind: str, where: cond.Node | None, values: list[Row]) -> tuple[int, int]:
        """How many rows are meant, and how many of them may be changed; each tried in a world of its own (9)."""
        if kind == "insert":
            return len(values), sum(self.may_change(table, kind, None, new, set()) for new in values)
        _, meant = self.opened(table, where)
        read = {self.full(key, table) for key in cond.columns_of(where)}
        return len(meant), sum(self.may_change(table, kind, row, values[0] if values else {}, read) for row in meant)

    def may_change(self, table: str, kind: str, row: int | None, new: Row, read: set[str]) -> bool:
        data = {name: [dict(item) for item in rows] for name, rows in self.rows.items() if self.original(name) == name}
        if row is None:
            data[table].append(
                {column["name"]: new.get(column["name"]) for column in self.columns(table) if "expression" not in column and "mapping" not in column}
            )
        elif kind == "update":
            data[table][row].update(new)
        after = self if kind == "delete" else Oracle(self.model, [role.role for role in self.roles], data, self.person, self.every_role)
        place = len(data[table]) - 1 if row is None else row
        key = self.key(table)
        if kind != "delete" and key is not None:
            keys = [item[key] for item in data[table]]
            if None in keys or keys.count(keys[place]) > 1 or after.circle(table):
                return False
        sets = {f"{table}.{column}" for column in new}
        after_roles = {role.name: role for role in after.roles}

        def fits(role: RoleView, clear: set[str]) -> bool:
            sights = [(self, row, role)] if row is not None else []
            sights += [(after, place, after_roles[role.name])] if kind != "delete" else []
            for oracle, index, held in sights:
                if index not in held.visible()[table] or not held.allows_change(table, kind, Sight(oracle, table, index)):
                    return False
            first = sights[0]
            read_clear = all(first[2].state(table, first[1], name) == "clear" for name in clear)
            return read_clear and all(held.state(table, index, name) == "clear" for _, index, held in sights for name in sets)

        grants = [role for role in self.grants if table in role.tables]
        return any(fits(role, sets | (read if row is not None else set())) for role in grants) and all(fits(role, sets) for role in self.limits)

    def circle(self, table: str) -> bool:
        """Whether the parents of some hierarchy of the table lead in a circle."""
        for hierarchy in self.model["hierarchies"]:
            if hierarchy["table"] == table and "levels" not in hierarchy:
                above = {item[hierarchy["key"]]: item[hierarchy["parent"]] for item in self.rows[table]}
                for start in above:
                    seen, current = set(), start
                    while current in above and current not in seen:
                        seen.add(current)
                        current = above[current]
                    if current in seen:
                        return True
        return False

    # Members

    def members(self, name: str) -> list[tuple[list[Any], int]] | None:
        """The members of a hierarchy as shown, with the rows at or beneath each (7.5); None where it does not exist."""
        hierarchy = next(item for item in self.model["hierarchies"] if item["name"] == name)
        table = hierarchy["table"]
        columns = [f"{table}.{column}" for column in hierarchy.get("levels") or [hierarchy["key"], hierarchy["parent"]]]
        roles = [role for role in self.granting(set(columns), {table}) if role.shows_hierarchy(hierarchy)]
        if not roles or not all(role.shows_hierarchy(hierarchy) for role in self.limits):
            return None
        rows = [row for row in range(len(self.rows[table])) if self.left_by_limits(table, row) and any(row in role.visible()[table] for role in roles)]
        counts: dict[tuple[Any, ...], int] = {}
        left = RoleView(self, {"name": "", "kind": "grant", "sentences": []}).visible()[table]
        for row in rows:
            if "levels" in hierarchy:
                path = [shown_value(self.state(table, row, key, roles), self.read(table, row, *key.split(".")), key) for key in columns]
                for depth in range(1, len(path) + 1):
                    counts[tuple(path[:depth])] = counts.get(tuple(path[:depth]), 0) + 1
            else:
                chain = [member for member in self.ancestors(hierarchy, row)[::-1] if member in left]
                names = [self.rows[table][member][hierarchy["key"]] for member in chain]
                for depth in range(1, len(chain) + 1):
                    counts[tuple(names[:depth])] = counts.get(tuple(names[:depth]), 0) + 1
        return [(list(path), count) for path, count in counts.items()]

    def ancestors(self, hierarchy: dict[str, Any], row: int) -> list[int]:
        """A row and its parents, nearest first."""
        table = hierarchy["table"]
        parent = self.rows[table][row][hierarchy["parent"]]
        above = next((index for index, item in enumerate(self.rows[table]) if parent is not None and item[hierarchy["key"]] == parent), None)
        return [row] if above is None else [row, *self.ancestors(hierarchy, above)]


def summed(values: list[Any]) -> Any:
    """The exact sum, rounded once; null where it is beyond its type."""
    if isinstance(values[0], int):
        return cond.within(sum(values))
    try:
        return float(sum(map(Fraction, values)))
    except OverflowError:
        return None


class Entered(Sight):
    """A row whose masked cells have the values that enter totals."""

    def __init__(self, oracle: Oracle, table: str, counted: dict[str, Any]) -> None:
        super().__init__(oracle, table, counted["row"])
        self.enters = counted["enters"]

    def cell(self, name: str) -> Any:
        return shown_value(self.enters.get(name, "clear"), super().cell(name), name)
