"""The graph of a model: which tables each table reaches, and by which path (semantics.md 3.2)."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from moorland.core.bundle.model import Column, Measure, Model, Table
from moorland.core.bundle.problems import Problem


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
    """A model made ready to look names up in.

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

    def reaches(self, table: str, other: str) -> bool:
        """Whether `other` is `table` itself or one of its lookups."""
        return other == table or other in self.paths[table]

    def reached_from(self, table: str) -> list[str]:
        """`table` and every table that reads it as a lookup."""
        return [name for name in self.order if self.reaches(name, table)]


def build_schema(model: Model) -> Schema:
    """The schema of a model, with the problems of its relationships (cycles, ambiguous paths, unknown ends)."""
    problems: list[Problem] = []
    tables = {table.name: table for table in model.tables}
    columns = {(table.name, column.name): column for table in model.tables for column in table.columns}
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
