"""Worlds made from a seed: a snowflake with an alias, derived columns and an entitlement table, people and roles of every kind of sentence."""

import datetime
from random import Random
from typing import Any

from moorland.core.engine.evaluator import Evaluator
from tests.core.oracle import conditions as cond
from tests.core.oracle.evaluation import Oracle
from tests.core.worlds import Tables, evaluator

Document = dict[str, Any]
COLUMNS: dict[str, dict[str, str]] = {
    "area": {"id": "integer", "name": "text", "rank": "integer"},
    "site": {"id": "integer", "area_id": "integer", "status": "text", "size": "integer"},
    "crew": {"id": "integer", "lead_id": "integer", "trade": "text"},
    "calendar": {"id": "integer", "day": "date", "season": "text"},
    "job": {"site_id": "integer", "crew_id": "integer", "done_id": "integer", "due_id": "integer", "fault": "text", "cost": "number"},
    "scope": {"who": "text", "status": "text", "low": "integer", "high": "integer", "since": "date"},
}
KEYS = {"area": "id", "site": "id", "crew": "id", "calendar": "id", "job": None, "scope": None}
STEPS = [("site.area_id", "area.id"), ("job.site_id", "site.id"), ("job.crew_id", "crew.id"), ("job.done_id", "calendar.id"), ("job.due_id", "due.id")]
LOOKUPS = {"area": ["area"], "site": ["site", "area"], "crew": ["crew"], "calendar": ["calendar"], "due": ["due"], "scope": ["scope"]}
LOOKUPS["job"] = ["job", "site", "area", "crew", "calendar", "due"]
DERIVED: dict[str, dict[str, Any]] = {
    "site.kind": {"type": "text", "mapping": {"of": "status", "values": {"a": "x", "b": None}, "else": "y"}},
    "site.place": {"type": "text", "expression": ("coalesce", ("col", "area.name"), ("col", "status"))},
    "site.area_size": {"type": "integer", "expression": ("+", ("col", "size"), ("col", "area.rank"))},
    "job.dearer": {"type": "number", "expression": ("+", ("col", "cost"), ("coalesce", ("col", "site.area_size"), ("lit", 1)))},
    "calendar.part": {"type": "text", "mapping": {"of": "season", "values": {"a": "b"}, "else": None}},
}
MEASURES: dict[str, tuple[str, Any]] = {
    "cost": ("job", ("SUM", ("col", "job.cost"), False)),
    "costs": ("job", ("COUNT", ("col", "job.cost"), False)),
    "jobs": ("job", ("COUNT", None, False)),
    "faults": ("job", ("COUNT", ("col", "job.fault"), True)),
    "mean": ("job", ("AVG", ("col", "site.size"), False)),
    "dearest": ("job", ("MAX", ("col", "job.dearer"), False)),
    "first": ("job", ("MIN", ("col", "job.fault"), False)),
    "sizes": ("site", ("SUM", ("col", "site.size"), False)),
    "share": ("job", ("ratio", ("SUM", ("col", "job.cost"), False), ("measure", "sizes"))),
    "mixed": ("job", ("plus", ("COUNT", ("col", "site.status"), True), ("measure", "jobs"))),
}
HIERARCHIES = [
    {"name": "geography", "table": "site", "levels": ["status", "size", "id"]},
    {"name": "line", "table": "crew", "key": "id", "parent": "lead_id"},
]
WORDS = ["a", "b", "A", "", " b "]
#: Values at the edges of their types, and texts of other scripts and of combining characters.
EDGES: dict[str, list[Any]] = {
    "text": ["", "ß", "e\u0301", "é", "水", "\U0001f300", "İ"],
    "integer": [2**63 - 1, -(2**63), 2**53, 0],
    "number": [1e308, 1.7e308, 5e-324, -0.0, 0.0],
    "date": [datetime.date(1, 1, 1), datetime.date(9999, 12, 31)],
}
PERSON = {"login": "ann", "email": "Ann@x.example", "name": "Ann"}


class Maker:
    """Draws a world from a seed."""

    def __init__(self, seed: int, about: str | None = None) -> None:
        self.random = Random(seed)
        #: What the world is about, so that rare combinations are met often: anything, masks and totals, or whole totals.
        self.about = about or self.random.choice(["anything", "masks", "whole"])
        #: Whether values at the edges of their types stand among the others.
        self.edges = self.about != "sql" and self.random.random() < 0.2

        self.hierarchies = [dict(item) for item in HIERARCHIES]

    def chance(self, share: float) -> bool:
        return self.random.random() < share

    def some(self, items: list[Any], most: int) -> list[Any]:
        return self.random.sample(items, self.random.randint(0, min(most, len(items))))

    def value(self, type_: str) -> Any:
        if self.edges and self.chance(0.3):
            return self.random.choice(EDGES[type_])
        values: dict[str, list[Any]] = {
            "text": WORDS,
            "integer": [-2, -1, 0, 1, 2, 3],
            "number": [-2.5, 0.0, 0.25, 1.5, 8.0],
            "date": [datetime.date(2026, month, day) for month in (1, 3, 4) for day in (1, 15)],
        }
        return self.random.choice(values[type_])

    def data(self) -> dict[str, list[dict[str, Any]]]:
        rows: dict[str, list[dict[str, Any]]] = {}
        for table, columns in COLUMNS.items():
            rows[table] = []
            for position in range(self.random.randint(*((2, 9) if table == "job" else (1, 4)))):
                row = {column: None if self.chance(0.2) else self.value(type_) for column, type_ in columns.items()}
                if KEYS[table]:
                    row["id"] = position - 1
                for many, _ in STEPS:
                    owner, column = many.split(".")
                    if owner == table and self.chance(0.75):
                        row[column] = self.random.choice([-1, 0, 1])
                if table == "crew":
                    row["lead_id"] = self.random.choice([None, *(range(-1, position - 1)), 9])
                if table == "site" and self.chance(0.6):
                    row["status"] = self.random.choice(["a", "b"])
                if table == "scope" and self.chance(0.5):
                    row["who"] = self.random.choice(["ann", "ANN ", "g1", "G2", "ann@x.example", "o1", "r0"])
                if table == "scope" and self.chance(0.3):
                    row["status"] = self.random.choice(["a,b", "ALL", " a , ,ALL", "b , A", ","])
                rows[table].append(row)
        return rows

    def columns(self, table: str) -> list[tuple[str, str]]:
        """Every column a condition of a table may read, with its type."""
        found = []
        for owner in LOOKUPS[table]:
            original = "calendar" if owner == "due" else owner
            found += [(f"{owner}.{name}", type_) for name, type_ in COLUMNS[original].items()]
            found += [(f"{owner}.{key.split('.')[1]}", shape["type"]) for key, shape in DERIVED.items() if key.split(".")[0] == original]
        return found

    def condition(self, table: str, depth: int = 1, viewer: bool = True, inner: bool = True) -> cond.Node:
        if depth and self.chance(0.5):
            kind = self.random.choice(["and", "or", "not"])
            parts = [self.condition(table, depth - 1, viewer, inner) for _ in range(1 if kind == "not" else 2)]
            return (kind, *parts)
        name, type_ = self.random.choice(self.columns(table))
        column = ("col", name)
        if viewer and type_ == "text" and self.chance(0.4):
            if self.chance(0.2):
                return ("in_some", column, self.random.choice(["login", "word"]), [self.value("text"), self.random.choice(["ANN", " ann"])])
            if self.chance(0.5):
                return ("in_viewer", column, self.random.choice(["words", "groups"]))
            return (self.random.choice(["=", "<>"]), column, ("viewer", self.random.choice(["login", "word"])))
        if viewer and type_ == "integer" and self.chance(0.3):
            return (self.random.choice(["=", ">="]), column, ("viewer", "clearance"))
        if inner and self.chance(0.06):
            return self.inner(column, type_, viewer)
        kind = self.random.choice(["=", "<>", "<", ">=", "in", "null", "between", "like" if type_ == "text" else "in"])
        if kind == "null":
            return ("null", column)
        if kind == "in":
            return ("in", column, [None if self.chance(0.2) else self.value(type_) for _ in range(2)])
        if kind == "between":
            return ("between", column, ("lit", self.value(type_)), ("lit", self.value(type_)))
        if kind == "like":
            return ("like", column, self.random.choice(["a%", "_", "%b%"]))
        return (kind, column, ("lit", self.value(type_)))

    def inner(self, column: cond.Node, type_: str, viewer: bool) -> cond.Node:
        tables = [(table, name) for table, columns in COLUMNS.items() for name, own in columns.items() if own == type_ or {own, type_} == {"integer", "number"}]
        table, name = self.random.choice(tables)
        where = None
        if self.chance(0.6):
            own, own_type = self.random.choice(list(COLUMNS[table].items()))
            where = (self.random.choice(["=", "<>"]), ("col", f"{table}.{own}"), ("lit", self.value(own_type)))
            if viewer and own_type == "text" and self.chance(0.5):
                where = ("=", ("col", f"{table}.{own}"), ("viewer", "login"))
        return ("in_query", column, table, name, where)

    def model(self) -> Document:
        tables: list[Document] = []
        for name, columns in COLUMNS.items():
            table: Document = {"name": name, "columns": [{"name": column, "type": type_} for column, type_ in columns.items()]}
            table["columns"] += [{"name": key.split(".")[1], **shape} for key, shape in DERIVED.items() if key.split(".")[0] == name]
            if KEYS[name]:
                table["key"] = KEYS[name]
            if self.chance(0.05):
                table["base_filter"] = self.condition(name, 1, viewer=False)
            for column in table["columns"]:
                if self.chance(0.01):
                    column["quarantine"] = True
                if self.chance(0.15) or (name, column["name"]) == ("area", "rank"):
                    column["tags"] = ["t"]
            tables.append(table)
        tables.append({"name": "due", "alias_of": "calendar", **({"tags": ["t"]} if self.chance(0.1) else {})})
        if self.chance(0.3):
            self.hierarchies[0] = {**HIERARCHIES[0], "levels": self.random.choice([["kind", "status", "id"], ["kind", "id"], ["status", "area_size", "id"]])}
        steps = [{"from": many, "to": one, "carries": "down_and_up" if self.chance(0.08) and self.about != "sql" else "down"} for many, one in STEPS]
        measures = [{"name": name, "table": table, "expression": tree} for name, (table, tree) in MEASURES.items()]
        return {"name": "farm", "tables": tables, "relationships": steps, "hierarchies": self.hierarchies, "measures": measures}

    def sentence(self, grant: bool) -> Document:
        kinds = {
            "anything": ["rows", "rows", "entitlement", "members", "objects", "mask", "mask", "beneath"],
            "masks": ["mask", "mask", "mask", "mask", "objects", "rows"],
            "whole": ["rows", "mask", "objects"],
            "sql": ["rows", "rows", "entitlement", "entitlement", "members", "objects"],
        }
        kind = self.random.choice(kinds[self.about])
        made: Document = getattr(self, f"make_{kind}")(grant)
        return {kind: made}

    def make_rows(self, grant: bool) -> Document:
        table = self.random.choice(sorted(LOOKUPS))
        return {"table": table, "where": self.condition(table)}

    def make_entitlement(self, grant: bool) -> Document:
        person_is = self.random.choice(["login", "email", "organization", "group", "role", {"attribute": "words"}])
        match = self.random.choice(
            [{"status": "status"}, {"size": "low"}, {"size": {"between": ["low", "high"]}}, {"status": "status", "size": {"between": ["low", "high"]}}]
        )
        made: Document = {"table": "site", "through": "scope", "person": "who", "person_is": person_is, "match": match}
        if self.chance(0.3):
            made["where"] = self.condition("scope", 1, inner=False)
        if self.chance(0.4):
            made["separator"] = ","
        if self.chance(0.5):
            made["everything"] = self.random.choice(["blank", {"text": "ALL"}])
        return made

    def make_members(self, grant: bool) -> Document:
        if self.chance(0.3) and self.about not in ("whole", "sql"):
            entries = [
                {"path": [self.random.choice([-1, 0, 1, 2, {"viewer": "clearance"}])], "see": self.chance(0.6)} for _ in range(self.random.randint(0, 3))
            ]
            return {"hierarchy": "line", "unlisted": self.random.choice(["hidden", "visible"]), "list": entries}
        entries = []
        for _ in range(self.random.randint(0, 4)):
            items = [self.member(level) for level in self.hierarchies[0]["levels"]]
            entries.append({"path": items[: self.random.randint(1, len(items))], "see": self.chance(0.6)})
        if self.about == "whole":
            first = ["x", "y"] if self.hierarchies[0]["levels"][0] == "kind" else ["a", "b"]
            entries = [{"path": [word], "see": True} for word in self.some(first, 2)] + entries[:1]
        made = {"hierarchy": "geography", "unlisted": "hidden" if self.chance(0.8) else "visible", "list": entries}
        return {**made, "totals": "whole"} if grant and self.about != "sql" and self.chance(0.8 if self.about == "whole" else 0.3) else made

    def member(self, level: str) -> Any:
        """An item of a path for a level of the hierarchy of sites."""
        if level == "id":
            return self.random.choice([-1, 0, 1, 2])
        words = level in ("status", "kind")
        if self.chance(0.3):
            return {"viewer": "words" if words else "clearance"}
        return self.random.choice(["x", "y"] if level == "kind" else ["a", "b", "a", "A"]) if words else self.value("integer")

    def make_objects(self, grant: bool) -> Document:
        columns = [f"column:{name}" for table in ("job", "scope") for name, _ in self.columns(table)] + ["column:due.season"]
        others = ["table:due", "table:scope", "table:site", "tag:t", "measure:cost", "measure:sizes", "hierarchy:geography", "table:calendar"]
        made: Document = {"hide": self.some(columns, 2) + self.some(others, 1 if self.chance(0.3) else 0), "show": self.some(columns, 3) + self.some(others, 2)}
        return {**made, "default": "hidden"} if self.chance(0.08) else made

    def make_mask(self, grant: bool) -> Document:
        table = self.random.choice(["area", "site", "job", "job", "calendar", "due"])
        owned = [(name, type_) for name, type_ in self.columns(table) if name.split(".")[0] == table]
        name, type_ = self.random.choice(owned)
        if self.about == "masks" and self.chance(0.6):
            table, name, type_ = self.random.choice([("job", "job.cost", "number"), ("site", "site.size", "integer"), ("job", "job.fault", "text")])
        kinds: dict[str, list[Any]] = {
            "text": [{"fixed": {"text": "zz"}}, {"keep": {"first": 1, "fill": "*"}}, {"keep": {"first": 1, "last": 1, "fill": "*"}}],
            "integer": [{"round": {"to": 2}}, {"round": {"to": 5}}],
            "number": [{"round": {"to": 0.5}}, {"round": {"to": 4}}],
            "date": [{"period": {"to": "month"}}, {"period": {"to": "quarter"}}],
        }
        kind = self.random.choice([*kinds[type_], *kinds[type_], "withhold", "hash"])
        made: Document = {"column": name, "with": kind}
        if self.chance(0.6):
            made["when"] = self.condition(table, 1, inner=self.chance(0.2))
        shown = kind == "hash" or (isinstance(kind, dict) and next(iter(kind)) in ("round", "period"))
        in_totals = self.random.choice(
            ["no", "shown" if shown else "no", "shown" if shown else {"full": {"at_least": 1}}, {"full": {"at_least": self.random.choice([2, 3])}}]
        )
        return {**made, "in_totals": in_totals} if self.chance(0.9) else made

    def make_change(self, table: str) -> Document:
        return {"table": table, **{kind: self.condition(table, 1) for kind in ("insert", "update", "delete") if self.chance(0.8)}}

    def make_beneath(self, grant: bool) -> Document:
        made: Document = {"tables": self.some(sorted(LOOKUPS), 2), "rows": self.chance(0.7)}
        if self.chance(0.4):
            made["limit"] = self.random.randint(0, 3)
        if self.chance(0.4):
            made["only_under"] = self.random.randint(0, 4)
        return made

    def roles(self) -> list[Document]:
        found = []
        for kind, least, most in (("grant", 1, 3), ("limit", 0, 2)):
            for _ in range(self.random.randint(least, most)):
                most_sentences = 1 if self.about == "whole" else 4 if kind == "grant" else 2
                sentences = [self.sentence(kind == "grant") for _ in range(self.random.randint(0, most_sentences))]
                if self.about == "whole" and kind == "grant":
                    sentences.append({"members": self.make_members(grant=True)})
                found.append({"name": f"r{len(found)}", "kind": kind, "model": "farm", "sentences": sentences})
        return found

    def person(self, roles: list[Document]) -> dict[str, Any]:
        """The viewer's values as conditions see them."""
        return {
            **PERSON,
            "mail_domain": "x.example",
            "organization": "o1",
            "organizations": ["o1", "root"],
            "branch": ["o1"],
            "groups": self.random.sample(["g1", "G2"], self.random.randint(0, 2)),
            "roles": [role["name"] for role in roles],
            "words": self.random.choice([None, ["a"], ["b", "A"]]),
            "word": self.random.choice([None, "a", "A"]),
            "clearance": self.random.choice([None, 0, 1, 2]),
        }


class World:
    """A model, roles all held by one viewer, and data, for both evaluators."""

    def __init__(self, seed: int, about: str | None = None) -> None:
        self.maker = Maker(seed, about)
        self.model, self.roles, self.data = self.maker.model(), self.maker.roles(), self.maker.data()
        self.person = self.maker.person(self.roles)

    def oracle(self) -> Oracle:
        return Oracle(self.model, self.roles, self.data, self.person, self.roles)

    def with_changes(self, table: str) -> None:
        """Gives roles sentences about changes of a table."""
        for role in self.roles:
            if self.maker.chance(0.8 if role["kind"] == "grant" else 0.3):
                role["sentences"].append({"change": self.maker.make_change(table)})

    def core(self) -> Evaluator:
        return self.evaluator_of(self.document())

    def evaluator_of(self, document: Document) -> Evaluator:
        """An evaluator of a bundle over the world's rows."""
        tables: Tables = {name: (KEYS[name], columns, self.rows(name)) for name, columns in COLUMNS.items()}
        return evaluator(document, tables)

    def rows(self, table: str) -> list[tuple[Any, ...]]:
        """The stored rows of a table, columns in their order."""
        return [tuple(row[column] for column in COLUMNS[table]) for row in self.data[table]]

    def opened(self, *sentences: Document) -> "World":
        """The same world with nothing filtered or in quarantine, and one grant role of these sentences."""
        for table in self.model["tables"]:
            table.pop("base_filter", None)
            for column in table.get("columns", []):
                column.pop("quarantine", None)
        self.roles = [{"name": "r0", "kind": "grant", "model": "farm", "sentences": list(sentences)}]
        return self

    def document(self) -> Document:
        """The bundle of the core."""
        attributes = [
            {"name": "words", "type": "text", "multiple": True},
            {"name": "word", "type": "text"},
            {"name": "clearance", "type": "integer"},
        ]
        values = {name: self.person[name] for name in ("words", "word", "clearance") if self.person[name] is not None}
        return {
            "organizations": [{"name": "root"}, {"name": "o1", "parent": "root"}],
            "attributes": attributes,
            "groups": [{"name": name, "users": ["ann"]} for name in self.person["groups"]],
            "users": [{**PERSON, "organization": "o1", "attributes": values}],
            "models": [written(self.model)],
            "roles": [{**written(role), "assigned": [{"user": "ann"}]} for role in self.roles],
        }


def written(part: Any) -> Any:
    """A document with its conditions and measures as text."""
    if isinstance(part, tuple):
        return measure_text(part) if part[0].isupper() or part[0] in ("ratio", "plus", "measure") else cond.text(part)
    if isinstance(part, list):
        return [written(item) for item in part]
    return {key: written(item) for key, item in part.items()} if isinstance(part, dict) else part


def measure_text(node: Any) -> str:
    if node[0] == "measure":
        return f"measure.{node[1]}"
    if node[0] in ("ratio", "plus"):
        return f"({measure_text(node[1])} {'/' if node[0] == 'ratio' else '+'} {measure_text(node[2])})"
    argument = "*" if node[1] is None else ("DISTINCT " if node[2] else "") + cond.text(node[1])
    return f"{node[0]}({argument})"
