"""One role as it is for a viewer: its objects, its visible rows, its masks, its changes; read row by row."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Any

from tests.core.oracle import conditions as cond
from tests.core.oracle.shown import covering

if TYPE_CHECKING:
    from tests.core.oracle.evaluation import Oracle


class Sight:
    """What conditions see from a row of a table (None: an unmatched one)."""

    def __init__(self, oracle: Oracle, table: str, row: int | None) -> None:
        self.oracle, self.table, self.row = oracle, table, row

    def cell(self, name: str) -> Any:
        owner, _, column = name.rpartition(".")
        return self.oracle.read(self.table, self.row, owner or self.table, column)

    def viewer(self, name: str) -> Any:
        return self.oracle.person.get(name)

    def selected(self, table: str, column: str, where: cond.Node | None) -> list[Any]:
        rows = range(len(self.oracle.rows[table]))
        return [Sight(self.oracle, table, row).cell(column) for row in rows if where is None or cond.truth(where, Sight(self.oracle, table, row)) is True]


class RoleView:
    """One role as it is for the viewer: its objects, its visible rows, its masks."""

    def __init__(self, oracle: Oracle, role: dict[str, Any]) -> None:
        self.oracle, self.role, self.name, self.kind = oracle, role, role["name"], role["kind"]
        self.sentences = role["sentences"]
        self._visible: dict[int | None, dict[str, set[int]]] = {}
        self._states: dict[Any, Any] = {}

    def of_kind(self, kind: str) -> list[dict[str, Any]]:
        return [sentence[kind] for sentence in self.sentences if kind in sentence]

    # Objects

    @cached_property
    def mentioned(self) -> tuple[set[str], set[str], bool]:
        objects = self.of_kind("objects")
        hide = {name for item in objects for name in item.get("hide", [])}
        show = {name for item in objects for name in item.get("show", [])}
        return hide, show, not any(item.get("default") == "hidden" for item in objects)

    def said(self, *ranks: list[str]) -> bool | None:
        hide, show, _ = self.mentioned
        for rank in ranks:
            if hide & set(rank):
                return False
            if show & set(rank):
                return True
        return None

    @cached_property
    def reading(self) -> set[str]:
        """The tables hidden because they entitle, or inner queries of this role read them (3.9)."""
        oracle = self.oracle
        found = {sentence["entitlement"]["through"] for role in oracle.every_role for sentence in role["sentences"] if "entitlement" in sentence}
        for sentence in self.sentences:
            for body in sentence.values():
                if isinstance(body, dict):
                    found |= set().union(*(cond.queried(part) for part in body.values() if isinstance(part, tuple)), set())
        return set().union(*(oracle.names_of(name) for name in found), set())

    def open_table(self, table: str) -> bool | None:
        """Shown, hidden, or None: hidden by default only."""
        oracle = self.oracle
        if oracle.tables[table].get("quarantine") or oracle.tables[oracle.original(table)].get("quarantine"):
            return False
        if table in self.reading and f"table:{table}" not in self.mentioned[1]:
            return False
        said = self.said([f"table:{table}"], [f"tag:{tag}" for tag in oracle.tables[table].get("tags", [])])
        return said if said is not None else True if self.mentioned[2] else None

    @cached_property
    def columns(self) -> set[str]:
        """The columns of `O_r`."""
        return {key for key in self.oracle.all_columns if self.shows_column(key)}

    @cached_property
    def tables(self) -> set[str]:
        return {table for table in self.oracle.tables if self.shows_table(table)}

    def shows_table(self, table: str) -> bool:
        opened = self.open_table(table)
        if opened is None:
            named = [f"{table}.{column['name']}" for column in self.oracle.columns(table) if self.by_name(f"{table}.{column['name']}")]
            opened = any(self.shows_itself(key) for key in named)
        original = self.oracle.original(table)
        return bool(opened) and (original == table or self.shows_table(original))

    def by_name(self, key: str) -> bool:
        return f"column:{key}" in self.mentioned[1]

    def shows_itself(self, key: str) -> bool:
        """Whether nothing but its table may hide a column."""
        oracle, (table, name) = self.oracle, key.split(".")
        if oracle.quarantined(key):
            return False
        said = self.said([f"column:{key}"], [f"tag:{tag}" for tag in oracle.column(key).get("tags", [])], [f"table:{table}"])
        if not (said if said is not None else self.mentioned[2]):
            return False
        original = oracle.original(table)
        if original != table and not self.shows_column(f"{original}.{name}"):
            return False
        return self.by_name(key) or all(self.shows_column(read) for read in oracle.reads(key))

    def shows_column(self, key: str) -> bool:
        return self.shows_itself(key) and self.shows_table(key.split(".")[0])

    def shows_measure(self, name: str) -> bool:
        table = self.oracle.measure(name)["table"]
        said = self.said([f"measure:{name}"], [f"table:{table}"])
        if not (said if said is not None else self.mentioned[2]):
            return False
        return self.oracle.measure_inputs(name) <= self.columns and self.oracle.measure_tables(name) <= self.tables

    def shows_hierarchy(self, hierarchy: dict[str, Any]) -> bool:
        table = hierarchy["table"]
        said = self.said([f"hierarchy:{hierarchy['name']}"], [f"table:{table}"])
        columns = hierarchy.get("levels") or [hierarchy["key"], hierarchy["parent"]]
        return (said if said is not None else self.mentioned[2]) and all(f"{table}.{column}" in self.columns for column in columns)

    # Rows

    def deciding(self) -> list[tuple[int, str, str]]:
        """The sentences that decide rows: their place, kind and table."""
        found = []
        for index, sentence in enumerate(self.sentences):
            if "rows" in sentence or "entitlement" in sentence:
                kind = "rows" if "rows" in sentence else "entitlement"
                found.append((index, kind, sentence[kind]["table"]))
            elif "members" in sentence:
                found.append((index, "members", self.hierarchy(sentence["members"])["table"]))
        return found

    def hierarchy(self, sentence: dict[str, Any]) -> dict[str, Any]:
        return next(item for item in self.oracle.model["hierarchies"] if item["name"] == sentence["hierarchy"])

    def passes(self, table: str, row: int, without: int | None) -> bool:
        """Whether a row satisfies the base filter and the role's own sentences on its table."""
        if not self.oracle.base(table, row):
            return False
        tests = {"rows": self.by_condition, "entitlement": self.by_entitlement, "members": self.by_members}
        return all(tests[kind](self.sentences[index][kind], row) for index, kind, own in self.deciding() if own == table and index != without)

    def by_condition(self, sentence: dict[str, Any], row: int) -> bool:
        return cond.truth(sentence["where"], Sight(self.oracle, sentence["table"], row)) is True

    def by_entitlement(self, sentence: dict[str, Any], row: int) -> bool:
        oracle, through = self.oracle, sentence["through"]
        who = sentence["person_is"]
        values = oracle.person.get(who["attribute"] if isinstance(who, dict) else {"group": "groups", "role": "roles"}.get(who, who))
        names = {cond.fold(value) for value in (values if isinstance(values, list | tuple) else [values]) if value is not None} - {""}
        for line in range(len(oracle.rows[through])):
            person = cond.fold(oracle.read(through, line, through, sentence["person"]))
            if person not in names or not oracle.base(through, line):
                continue
            if sentence.get("where") is not None and cond.truth(sentence["where"], Sight(oracle, through, line)) is not True:
                continue
            if all(self.matches(sentence, column, target, line, row) for column, target in sentence["match"].items()):
                return True
        return False

    def matches(self, sentence: dict[str, Any], column: str, target: Any, line: int, row: int) -> bool:
        oracle, through, everything = self.oracle, sentence["through"], sentence.get("everything")
        value = oracle.read(sentence["table"], row, sentence["table"], column)

        def kind_of(cell: Any) -> str:
            blank = cell is None or (isinstance(cell, str) and not cell.strip(" "))
            if blank:
                return "open" if everything == "blank" else "nothing"
            return "open" if isinstance(everything, dict) and cell == everything["text"] else "value"

        if isinstance(target, dict):
            low, high = (oracle.read(through, line, through, name) for name in target["between"])
            kinds = kind_of(low), kind_of(high)
            if "nothing" in kinds:
                return False
            if kinds == ("open", "open"):
                return True
            return value is not None and (kinds[0] == "open" or low <= value) and (kinds[1] == "open" or value <= high)
        cell = oracle.read(through, line, through, target)
        if kind_of(cell) != "value":
            return kind_of(cell) == "open"
        items = [cell]
        if sentence.get("separator") and isinstance(cell, str):
            items = [item.strip(" ") for item in cell.split(sentence["separator"]) if item.strip(" ")]
            if any(kind_of(item) == "open" for item in items):
                return True
        return value in items

    def by_members(self, sentence: dict[str, Any], row: int) -> bool:
        oracle, hierarchy = self.oracle, self.hierarchy(sentence)
        table = hierarchy["table"]
        unlisted = sentence.get("unlisted") == "visible"
        if "levels" not in hierarchy:
            for member in oracle.ancestors(hierarchy, row):
                said = self.listed(sentence, [oracle.rows[table][member][hierarchy["key"]]])
                if said is not None:
                    return said
            return unlisted
        path = [oracle.read(table, row, table, level) for level in hierarchy["levels"]]
        for depth in range(len(path), 0, -1):
            said = self.listed(sentence, path[:depth])
            if said is not None:
                return said
        return unlisted

    def listed(self, sentence: dict[str, Any], path: list[Any]) -> bool | None:
        found = {entry["see"] for entry in sentence["list"] if len(entry["path"]) == len(path) and self.names(entry, path)}
        return None if not found else False not in found

    def names(self, entry: dict[str, Any], path: list[Any]) -> bool:
        for item, value in zip(entry["path"], path, strict=True):
            if isinstance(item, dict):
                values = self.oracle.person.get(item["viewer"])
                if values is None:
                    if entry["see"]:
                        return False
                    continue
                if value is None or value not in (values if isinstance(values, list | tuple) else [values]):
                    return False
            elif value is None or value != item:
                return False
        return True

    @cached_property
    def restricted(self) -> set[str]:
        oracle = self.oracle
        found = {table for _, _, table in self.deciding()} | {name for name in oracle.tables if "base_filter" in oracle.tables[oracle.original(name)]}
        while True:
            more = {many for many, steps in oracle.steps.items() for _, one, _, _ in steps if one in found}
            more |= {one for many, steps in oracle.steps.items() for _, one, _, up in steps if up and many in found}
            if more <= found:
                return found
            found |= more

    def visible(self, without: int | None = None) -> dict[str, set[int]]:
        """`V_r`: start from all rows, take away until nothing changes (6.1)."""
        if without in self._visible:
            return self._visible[without]
        oracle = self.oracle
        found = {
            name: {row for row in range(len(oracle.rows[name])) if name not in self.restricted or self.passes(name, row, without)} for name in oracle.tables
        }
        changed = True
        while changed:
            changed = False
            for many, steps in oracle.steps.items():
                for _, one, _, up in steps:
                    if one in self.restricted:
                        left = {row for row in found[many] if oracle.lookup(many, row, one) in found[one]}
                        changed, found[many] = changed or left != found[many], left
                    if up and many in self.restricted:
                        referred = {oracle.lookup(many, row, one) for row in found[many]}
                        kept = found[one] & {row for row in referred if row is not None}
                        changed, found[one] = changed or kept != found[one], kept
        self._visible[without] = found
        return found

    def lets_in(self, table: str, row: int, used: set[str]) -> bool:
        """Whether a whole total counts a row the role hides (8.2)."""
        oracle = self.oracle
        for index, kind, owner in self.deciding():
            sentence = self.sentences[index][kind]
            if kind != "members" or sentence.get("totals") != "whole" or not oracle.reaches(table, owner):
                continue
            ancestor = oracle.lookup(table, row, owner)
            if ancestor is None or row not in self.visible(index)[table]:
                continue
            levels = self.hierarchy(sentence)["levels"]
            depth = self.level_used(table, owner, levels, used)
            path = [oracle.read(owner, ancestor, owner, level) for level in levels[:depth]]
            for other in self.visible()[owner]:
                if oracle.left_by_limits(owner, other) and [oracle.read(owner, other, owner, level) for level in levels[:depth]] == path:
                    return True
        return False

    def level_used(self, table: str, owner: str, levels: list[str], used: set[str]) -> int:
        oracle = self.oracle
        steps = oracle.path(table, owner)
        telling = {name for name in oracle.tables if oracle.reaches(owner, name)} | {one for _, _, one in steps}
        own = {f"{many}.{column}" for many, column, _ in steps} | {f"{table}.{oracle.key(table)}"}

        def told(key: str) -> int:
            name, column = key.split(".")
            if name == owner and column in levels:
                return levels.index(column) + 1
            if key in own:
                return len(levels)
            if oracle.derived(key):
                return max((told(read) for read in oracle.reads(key)), default=0)
            return len(levels) if name in telling else 0

        return max((told(key) for key in used), default=0)

    # Cells

    def layers(self, table: str, row: int | None, key: str) -> list[tuple[Any, Any]]:
        """The masks that lie on a cell: kind and how it enters totals."""
        oracle, (owner, column) = self.oracle, key.split(".")
        index = oracle.lookup(table, row, owner) if row is not None else None
        place = (owner, index, column)
        if place in self._states:
            return list(self._states[place])
        found: list[tuple[Any, Any]] = []
        original = oracle.original(owner)
        for mask in self.of_kind("mask"):
            if mask["column"] in (key, f"{original}.{column}"):
                context = mask["column"].split(".")[0]
                when = mask.get("when")
                if when is None or cond.truth(when, Sight(oracle, context, index)) is not False:
                    found.append((mask["with"], mask.get("in_totals", "no")))
        derived = oracle.reads(key)
        if derived:
            if not self.by_name(key) and any(self.layers(owner if read.split(".")[0] == owner else original, index, read) for read in derived):
                found.append(("withhold", "no"))
            if original != owner:
                found += self.layers(original, index, f"{original}.{column}")
        self._states[place] = found
        return list(found)

    def state(self, table: str, row: int, key: str) -> Any:
        """hidden, a kind of mask, or clear."""
        if key not in self.columns:
            return "hidden"
        return max((kind for kind, _ in self.layers(table, row, key)), key=covering, default="clear")

    # Changes

    def allows_change(self, table: str, kind: str, sight: Sight) -> bool:
        """Whether the role's change sentences allow a kind of change to a row; a limit role without one is silent."""
        sentences = [item for item in self.of_kind("change") if item["table"] == table]
        if not sentences:
            return self.kind == "limit"
        return all(kind in item and cond.truth(item[kind], sight) is True for item in sentences)

    # Rows beneath

    def beneath(self, table: str) -> list[dict[str, Any]]:
        return [item for item in self.of_kind("beneath") if table in item["tables"]]

    def lists(self, table: str) -> bool:
        return all(item.get("rows", True) for item in self.beneath(table))

    def under(self, table: str) -> int | None:
        return min((item["only_under"] for item in self.beneath(table) if item.get("only_under") is not None), default=None)

    def most(self, table: str) -> int | None:
        default = 1000 if self.kind == "grant" else None
        said = [item.get("limit", default) for item in self.beneath(table)]
        return min((limit for limit in said if limit is not None), default=default)
