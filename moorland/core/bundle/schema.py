"""The graph of a model: which tables each table reaches, and by which path (semantics.md 3.2)."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

from moorland.core.bundle.model import Column, Measure, Model, Table
from moorland.core.bundle.problems import Problem, nearest_name


@dataclass(frozen=True)
class Step:
    """One many-to-one step of a relationship."""

    many: str
    column: str
    one: str
    key: str
    carries_up: bool

    def __str__(self) -> str:
        return f"{self.many}.{self.column} → {self.one}.{self.key}"


@dataclass(frozen=True)
class Schema:
    """A model made ready to look names up in; an alias stands among `tables` with the key and columns of its original (3.3).

    `paths[t][p]` is the one path of steps from table t to its lookup p; `order` lists lookups before what refers to them.
    """

    model: Model
    tables: dict[str, Table]
    columns: dict[tuple[str, str], Column]
    measures: dict[str, Measure]
    parents: dict[str, tuple[Step, ...]]
    paths: dict[str, dict[str, tuple[Step, ...]]]
    order: tuple[str, ...]
    problems: tuple[Problem, ...] = field(default=(), compare=False)

    @cached_property
    def written(self) -> str:
        """The model as text: what is the same for it is the same for the data joined by it. Written once, it is looked up at every answer."""
        return self.model.model_dump_json()

    def reaches(self, table: str, other: str) -> bool:
        """Whether `other` is `table` itself or one of its lookups."""
        return other == table or other in self.paths[table]

    def original(self, table: str) -> str:
        """The table whose rows a table reads: itself, or what it is an alias of."""
        return self.tables[table].alias_of or table

    def names_of(self, table: str) -> frozenset[str]:
        """Every name under which the rows of a table are read (3.3)."""
        return frozenset(name for name in self.tables if self.original(name) == self.original(table))

    def reached_from(self, table: str) -> list[str]:
        """`table` and every table that reads it as a lookup."""
        return [name for name in self.order if self.reaches(name, table)]


def build_schema(model: Model) -> Schema:
    """The schema of a model, with the problems of its relationships (cycles, ambiguous paths, unknown ends)."""
    problems: list[Problem] = []
    tables = _with_aliases(model, problems)
    columns = {(table.name, column.name): column for table in tables.values() for column in table.columns}
    parents: dict[str, list[Step]] = {name: [] for name in tables}
    for index, relationship in enumerate(model.relationships):
        step = Step(*relationship.many, *relationship.one, relationship.carries == "down_and_up")
        place = f"relationships[{index}]"
        ends = columns.get((step.many, step.column)), columns.get((step.one, step.key))
        if ends[0] is None or ends[1] is None:
            missing = relationship.from_ if ends[0] is None else relationship.to
            problems.append(Problem("unknown_name", f"there is no column {missing}.", path=place))
        elif tables[step.one].key != step.key:
            problems.append(Problem("not_a_key", f"{relationship.to} is not the key of {step.one}.", path=place))
        elif ends[0].type != ends[1].type:
            problems.append(Problem("type", f"{relationship.from_} is {ends[0].type}, but {relationship.to} is {ends[1].type}.", path=place))
        else:
            parents[step.many].append(step)
    order = list(_lookups_first(parents, problems))
    paths: dict[str, dict[str, tuple[Step, ...]]] = {name: {} for name in tables}
    for name in order:
        for step in parents[name]:
            for target, tail in (*((step.one, ()),), *paths[step.one].items()):
                path = (step, *tail)
                if target in paths[name]:
                    both = " and ".join("; ".join(map(str, way)) for way in (paths[name][target], path))
                    problems.append(Problem("ambiguous_path", f"two paths lead from {name} to {target}: {both}. Give one its own alias.", path="relationships"))
                else:
                    paths[name][target] = path
    return Schema(
        model=model,
        tables=tables,
        columns=columns,
        measures={measure.name: measure for measure in model.measures},
        parents={name: tuple(steps) for name, steps in parents.items()},
        paths=paths,
        order=tuple(order),
        problems=tuple(problems),
    )


def _with_aliases(model: Model, problems: list[Problem]) -> dict[str, Table]:
    """The tables by name, each alias with the key and columns of its original."""
    stored = {table.name: table for table in model.tables if table.alias_of is None}
    tables: dict[str, Table] = {}
    for index, table in enumerate(model.tables):
        place = f"tables[{index}]"
        if table.alias_of is None:
            tables[table.name] = table
            continue
        original = stored.get(table.alias_of)
        if original is None:
            why = "is an alias itself; name its original" if any(item.name == table.alias_of for item in model.tables) else "is no table of this model"
            problems.append(Problem("unknown_name", f"{table.alias_of} {why}.", path=f"{place}.alias_of", nearest=nearest_name(table.alias_of, stored)))
            continue
        taken = [key for key in ("columns", "data", "base_filter") if getattr(table, key)]
        if taken or table.key not in (None, original.key):
            problems.append(Problem("alias", f"an alias takes its {taken[0] if taken else 'key'} from {original.name}; leave it out.", path=place))
        tables[table.name] = table.model_copy(update={"key": original.key, "columns": original.columns, "base_filter": None})
    return tables


def _lookups_first(parents: dict[str, list[Step]], problems: list[Problem]) -> Iterator[str]:
    """Tables in an order in which every lookup stands before what refers to it; steps that close a cycle are dropped and reported."""
    done: set[str] = set()
    for start in parents:
        stack: list[tuple[str, list[Step]]] = [] if start in done else [(start, list(parents[start]))]
        while stack:
            name, left = stack[-1]
            open_names = [entry[0] for entry in stack]
            if left:
                step = left.pop()
                if step.one in open_names:
                    cycle = [*open_names[open_names.index(step.one) :], step.one]
                    problems.append(Problem("cycle", f"the relationships form a cycle: {' → '.join(cycle)}.", path="relationships"))
                    parents[name].remove(step)
                elif step.one not in done:
                    stack.append((step.one, list(parents[step.one])))
            else:
                done.add(name)
                stack.pop()
                yield name
