"""How a figure becomes another: from all data to what a viewer sees, or from one viewer to another, in steps that add up (semantics.md 11.3).

Every step is the engine's own arithmetic over the rows left so far; none is the difference to something that was not counted.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
from pydantic import Field

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.shape import ConditionText, Name, Scalar, Shape
from moorland.core.engine.asked import Asked, PreparedTotals, counted_tables, granting_measure, prepare_totals
from moorland.core.engine.counting import Counted
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.missing import chosen_by
from moorland.core.engine.questions import ColumnName, Refused, TotalsQuestion
from moorland.core.engine.through_strata import on_strata
from moorland.core.engine.totals import Counting, Groups, line_figure
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.insight.keeping_out import Cause, kept_out
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.vectors import Mask
from moorland.core.people import Viewer

StepKind = Literal[
    "absent", "apart", "outside", "limit", "masked", "shown", "moved_out", "moved_in", "lifted", "withheld", "unwithheld", "otherwise", "gained", "regrouped"
]
#: The rows of each table a figure counts, in one line.
Rows = dict[str, Counted]


class BridgeQuestion(Shape):
    """A measure in a line of totals: the values of the first columns of `by`, none for the grand total."""

    model: Name
    measure: Name
    cube: Name | None = None
    by: list[ColumnName] = Field(default_factory=list, max_length=20)
    where: ConditionText | None = None
    subtotals: bool = False
    key: list[Scalar | None] = Field(default_factory=list, max_length=20)


class BridgeStep(Shape):
    """One change: how many rows of the measure's table more or fewer, by how much the figure moves, and the figure after it.

    `amount` takes a figure that is null as 0; it is null where figures are not numbers. `sentence` counts from 0.
    """

    kind: StepKind
    message: str
    role: str | None = None
    label: str | None = None
    sentence: int | None = None
    rows: int
    amount: int | float | None
    figure: Any


class BridgeEnd(Shape):
    """Whose figure it is, the figure, and how many rows count in it."""

    viewer: str
    figure: Any
    rows: int


class Bridge(Shape):
    """From the first figure over the steps to the last: the first and all amounts add up to the last, null counting as 0."""

    measure: str
    key: list[Any]
    first: BridgeEnd
    steps: list[BridgeStep]
    last: BridgeEnd


@on_strata
def bridge(evaluator: Evaluator, viewer: Viewer, asked: BridgeQuestion, start: Viewer | None = None) -> Bridge:
    """How a viewer's figure comes about from that of all data, or of another viewer.

    Raises BundleError where all data, or the viewer started from, has no such figure; Refused where it cannot be asked for.
    """
    evaluator = evaluator.of(viewer, asked.model)
    if start is not None and evaluator.of(start, asked.model) is not evaluator:
        raise Refused("invalid", "These two read different databases: one figure does not lead to the other.")
    compiled = evaluator.models.get(asked.model)
    if compiled is None or asked.measure not in compiled.measures:
        raise BundleError([Problem("unknown_name", f"there is no measure {asked.measure} in {asked.model}.")])
    if len(asked.key) > len(asked.by):
        raise BundleError([Problem("key", "a line has no more values than columns it is asked by.")])
    try:
        return _Building(evaluator, compiled.measures[asked.measure], asked, viewer, start, strata=True).bridge()
    except _Unlike:
        return _Building(evaluator, compiled.measures[asked.measure], asked, viewer, start, strata=False).bridge()


class _Unlike(Exception):
    """Some rows are known as rows and others as strata."""


class _Building:
    def __init__(self, evaluator: Evaluator, measure: CheckedMeasure, asked: BridgeQuestion, viewer: Viewer, start: Viewer | None, strata: bool) -> None:
        self.evaluator, self.measure, self.asked, self.viewer, self.start, self.strata = evaluator, measure, asked, viewer, start, strata
        self.question = TotalsQuestion(model=asked.model, cube=asked.cube, by=asked.by, measures=[asked.measure], where=asked.where, subtotals=asked.subtotals)
        self._steps: list[BridgeStep] = []

    def bridge(self) -> Bridge:
        whole = self.evaluator.whole_model(self.asked.model, self.viewer)
        missing = whole.data.missing.get(self.measure.table)
        if missing:
            title = whole.data.schema.tables[self.measure.table].title
            raise Refused("invalid", f"{title} has no rows for {_named(self.viewer)}: where they are is {chosen_by(missing)}.")
        models = [whole]
        ends: list[_End | str] = []
        for someone in (self.start, self.viewer):
            found = self._seen(someone) if someone is not None else whole
            ends.append(found if isinstance(found, str) else _End(self, found))
            if isinstance(found, ViewerModel) and found is not whole:
                models += [found, _without_whole_totals(found)]
        for end in ends:
            if isinstance(end, _End):
                end.beside = models
        first, last = ends
        names = [_named(self.start) if self.start is not None else "All data", _named(self.viewer)]
        if isinstance(first, str):
            if self.start is None:
                raise BundleError([Problem("not_found", first)])
            return self._from_nothing(first, last, names)
        self._walk(first, last)
        return Bridge(
            measure=self.measure.name,
            key=self.asked.key,
            first=_end(names[0], first),
            steps=self._steps,
            last=BridgeEnd(viewer=names[1], figure=None, rows=0) if isinstance(last, str) else _end(names[1], last),
        )

    def _seen(self, viewer: Viewer) -> ViewerModel | str:
        """The viewer's model, or why there is no such figure."""
        title = self.evaluator.models[self.asked.model].schema.measures[self.measure.name].title
        try:
            model = self.evaluator.viewer_model(viewer, self.asked.model)
            if not self.prepared(model).found:
                return f"{title} does not exist for {_named(viewer)} in this line: no role shows it with everything it is made of."
        except Refused as refused:
            if refused.code == "invalid":
                raise
            return f"{title} does not exist for {_named(viewer)}: {refused.message}"
        return model

    def prepared(self, model: ViewerModel) -> PreparedTotals:
        """The question over what exists for a viewer. Raises Refused."""
        prepared = prepare_totals(model, self.question, {self.measure.name: self.measure}, self.evaluator.people.definitions)
        if len(self.asked.key) not in prepared.depths:
            raise BundleError([Problem("key", "a line in between is asked for with subtotals.")])
        return prepared

    def _from_nothing(self, why: str, last: "_End | str", names: list[str]) -> Bridge:
        """Where whom it starts from has no such figure: nothing, and then everything the other counts."""
        if isinstance(last, str):
            steps = [BridgeStep(kind="absent", message=message, rows=0, amount=0, figure=None) for message in dict.fromkeys((why, last))]
            end = BridgeEnd(viewer=names[1], figure=None, rows=0)
        else:
            end = _end(names[1], last)
            steps = [BridgeStep(kind="absent", message=why, rows=end.rows, amount=_amount(None, end.figure), figure=end.figure)]
        return Bridge(measure=self.measure.name, key=self.asked.key, first=BridgeEnd(viewer=names[0], figure=None, rows=0), steps=steps, last=end)

    def _walk(self, first: "_End", last: "_End | str") -> None:
        counted = [end.lifted for end in (first, last) if isinstance(end, _End)]
        counted += [{table: plain.all for table, plain in end.plain.items()} for end in (first, last) if isinstance(end, _End)]
        if any(rows.strata is not counted[0][table].strata for each in counted for table, rows in each.items()):
            raise _Unlike
        self._model, self._rows, self._figure = first.model, first.standing, first.figure
        if isinstance(last, str):
            self._step("absent", last, {}, None, None)
        elif self.start is None:
            self._from_all_data(last)
        else:
            self._between(first, last)

    def _from_all_data(self, last: "_End") -> None:
        for cause, masks in last.causes(self._rows):
            self._step(cause.kind, cause.message, {table: _without(rows, masks.get(table)) for table, rows in self._rows.items()}, cause=cause)
        true = {table: _mask(last.size(table), rows) for table, rows in self._rows.items()}
        own = last.plain
        self._model = last.model
        entering = {table: _within(own[table].all, true[table]) for table in own}
        if any(rows.values for rows in entering.values()):
            self._step("shown", f"Values of {self._titles(entering)} enter as they are shown, in place of the true ones.", entering)
        staying = {table: _within(own[table].line, true[table]) for table in own}
        by = f"{self._by_titles()} is masked"
        self._step("moved_out", f"Rows that stand in another line, because {by}.", staying)
        self._step("moved_in", f"Rows of other lines that stand in this one, because {by}.", {table: own[table].line for table in own})
        self._step("lifted", "Rows that are hidden, and that whole totals count here.", last.lifted)
        self._withhold(last)

    def _withhold(self, last: "_End") -> None:
        message = "The line is withheld: too few cells that are masked in full." if last.withheld else "Rows of finer lines that are withheld."
        if last.withheld:
            self._step("withheld", message, last.standing, figure=last.figure)
        else:
            self._step("withheld", message, last.standing)
            if last.figure is None and self._figure is not None:
                self._step("absent", f"No row of {self.measure.table} counts in this line, so there is none.", last.standing, figure=None)

    def _between(self, first: "_End", last: "_End") -> None:
        if first.withheld or _counts(first.lifted) != _counts(first.standing):
            self._step("unwithheld", f"Rows that lines of {_named(self.start)} withhold.", first.lifted)
        theirs = {table: _mask(last.size(table), rows) for table, rows in last.lifted.items()}
        mine = {table: _mask(first.size(table), rows) for table, rows in first.lifted.items()}
        only = {table: mask & ~theirs[table] for table, mask in mine.items()}
        for cause, masks in last.causes({table: _within(rows, only[table]) for table, rows in self._rows.items()}):
            gone = {table: masks[table] & only[table] for table in masks}
            self._step(cause.kind, cause.message, {table: _without(rows, gone.get(table)) for table, rows in self._rows.items()}, cause=cause)
        name = _named(self.viewer)
        self._step("regrouped", f"Rows that {name} counts in another line.", {table: _without(rows, only[table]) for table, rows in self._rows.items()})
        self._model = last.model
        both = {table: mask & theirs[table] for table, mask in mine.items()}
        otherwise = {table: _within(rows, both[table]) for table, rows in last.lifted.items()}
        if any(rows.values for rows in (*otherwise.values(), *self._rows.values())):
            self._step("otherwise", f"Rows both count, with values as they are shown to {name}.", otherwise)
        more = {table: _within(rows, ~mine[table]) for table, rows in last.lifted.items()}
        for cause, masks in first.causes(more):
            added = {table: masks[table] & ~mine[table] & theirs[table] if table in masks else np.zeros_like(theirs[table]) for table in theirs}
            message = f"Only {name} counts them; for {_named(self.start)}: {cause.message[0].lower()}{cause.message[1:]}"
            self._step("gained", message, self._grown(last.lifted, added), cause=cause)
        self._step("gained", f"Rows that {_named(self.start)} counts in another line.", last.lifted)
        self._withhold(last)

    def _grown(self, every: Rows, added: dict[str, Mask]) -> Rows:
        """Those of the rows that are there already or are added now."""
        return {table: _within(rows, _mask(len(added[table]), self._rows[table]) | added[table]) for table, rows in every.items()}

    def _step(self, kind: StepKind, message: str, rows: Rows, figure: Any = ..., cause: Cause | None = None) -> None:
        """Notes a step to these rows, unless it changes nothing."""
        before, after = _counts(self._rows), _counts(rows)
        if figure is ...:
            same = all(np.array_equal(self._rows[table].places, rows[table].places) for table in rows)
            plain = not any(counted.values for counted in (*rows.values(), *self._rows.values()))
            figure = self._figure if same and plain else line_figure(self._model, self.measure, rows, self.evaluator.secret)
            if same and figure == self._figure:
                self._rows = rows
                return
        own = self.measure.table
        self._steps.append(
            BridgeStep(
                kind=kind,
                message=message,
                role=cause.role if cause else None,
                label=cause.label if cause else None,
                sentence=cause.sentence if cause else None,
                rows=after.get(own, 0) - before.get(own, 0),
                amount=_amount(self._figure, figure),
                figure=figure,
            )
        )
        self._rows, self._figure = rows, figure

    def _titles(self, rows: Rows) -> str:
        columns = self.evaluator.models[self.asked.model].schema.columns
        return ", ".join(sorted({columns[key].title for counted in rows.values() for key in counted.values}))

    def _by_titles(self) -> str:
        columns = self.evaluator.models[self.asked.model].schema.columns
        return " or ".join(columns[table, column].title for table, _, column in (name.partition(".") for name in self.asked.by) if (table, column) in columns)


@dataclass(frozen=True)
class _Plain:
    """What counts without whole totals: in any line, and in this one."""

    all: Counted
    line: Counted


class _End:
    """What a viewer counts in the line."""

    beside: list[ViewerModel]

    def __init__(self, building: _Building, model: ViewerModel) -> None:
        self.building, self.model = building, model
        self.measure, self.depth = building.measure, len(building.asked.key)
        self.prepared = building.prepared(model)
        self.asked: Asked = self.prepared.asked
        self.tables = sorted(counted_tables(self.measure))

    @cached_property
    def _counting(self) -> Counting:
        return self._counted_by(self.model)

    def _counted_by(self, model: ViewerModel) -> Counting:
        found = {self.measure.name: self.measure}
        return Counting(model, self.asked, found, self.building.evaluator.secret, self.beside, self.building.strata)

    @cached_property
    def plain(self) -> dict[str, _Plain]:
        """The rows that count without whole totals."""
        if not self.model.has_whole_totals():
            every = {table: self._counting.rows(self.measure.name, table, self.depth) for table in self.tables}
            return {table: _Plain(_one_line(rows, None), self.lifted[table]) for table, rows in every.items()}
        counting = self._counted_by(_without_whole_totals(self.model))
        every = {table: counting.rows(self.measure.name, table, self.depth) for table in self.tables}
        return {table: _Plain(_one_line(rows, None), self._line(counting, rows)) for table, rows in every.items()}

    @cached_property
    def lifted(self) -> Rows:
        """The rows that count, whole totals included, before lines are withheld."""
        return {table: self._line(self._counting, self._counting.rows(self.measure.name, table, self.depth)) for table in self.tables}

    def _line(self, counting: Counting, rows: Counted) -> Counted:
        number = counting.radix.number(self.building.asked.key)
        inside = np.zeros(len(rows.groups), np.bool_) if number is None else Groups(counting.radix, self.depth).of(rows) == number
        return _one_line(rows, inside)

    @cached_property
    def _withholding(self) -> tuple[bool, Rows]:
        """Whether the line is withheld, and the rows that no line withholds."""
        name, counting = self.measure.name, self._counting
        depths = [depth for depth in self.prepared.depths if depth >= self.depth]
        if all(counting.rows(name, table, depth).least is None for table in self.tables for depth in depths):
            return False, self.lifted
        withheld = False
        for depth in depths:
            level = counting.level(depth)
            if depth == self.depth:
                withheld = self.building.asked.key in level.keys and bool(level.withheld[name][level.keys.index(self.building.asked.key)])
        return withheld, {table: self._line(counting, counting.standing(name, table, self.depth)) for table in self.tables}

    @property
    def withheld(self) -> bool:
        """Whether the line is withheld."""
        return self._withholding[0]

    @property
    def standing(self) -> Rows:
        """The rows that count in the line as it is answered."""
        return self._withholding[1]

    @cached_property
    def figure(self) -> Any:
        """The figure as it is answered; null where it is withheld, or there is no such line."""
        if self.withheld or (self.depth and not len(self.lifted[self.measure.table].groups)):
            return None
        return line_figure(self.model, self.measure, self.standing, self.building.evaluator.secret)

    def size(self, table: str) -> int:
        """How many rows, or strata, the table has."""
        strata = self._counting.rows(self.measure.name, table, self.depth).strata
        return self.model.data.rows(table) if strata is None else len(strata.counts)

    def causes(self, rows: Rows) -> Iterator[tuple[Cause, dict[str, Mask]]]:
        """What keeps some rows out, cause by cause, with its rows in each table."""
        found: dict[Cause, dict[str, Mask]] = {}
        for table, counted in rows.items():
            own = self.plain[table].all
            model = self.model if counted.strata is None else self.model.on(counted.strata.data)
            needed: list[RoleRows] = granting_measure(model, self.measure, self.asked)
            read = self.measure.inputs | self.asked.keys
            reached = frozenset(key for key in read if model.data.schema.reaches(table, key[0]))
            asked = _mask(self.size(table), counted)
            for cause, mask in kept_out(model, table, needed, reached, _mask(self.size(table), own) | ~asked):
                found.setdefault(cause, {})[table] = mask
        yield from found.items()


def _without_whole_totals(model: ViewerModel) -> ViewerModel:
    return model.with_roles(
        replace(role, rows=tuple(replace(rule, whole=False) if isinstance(rule, MembersRule) else rule for rule in role.rows)) for role in model.roles
    )


def _one_line(rows: Counted, inside: Mask | None) -> Counted:
    """Counted rows, or some of them, as one line."""
    places = rows.places if inside is None else rows.places[inside]
    values = {key: states if inside is None else states[inside] for key, states in rows.values.items()}
    return Counted(places, np.zeros(len(places), np.int64), rows.strata, None, values)


def _within(rows: Counted, mask: Mask) -> Counted:
    return _one_line(rows, mask[rows.places])


def _without(rows: Counted, mask: Mask | None) -> Counted:
    return rows if mask is None else _within(rows, ~mask)


def _mask(size: int, rows: Counted) -> Mask:
    mask = np.zeros(size, np.bool_)
    mask[rows.places] = True
    return mask


def _counts(rows: Rows) -> dict[str, int]:
    return {table: counted.basis for table, counted in rows.items()}


def _amount(before: Any, after: Any) -> int | float | None:
    """How far a figure moved; null where it is no number."""
    numbers = [0 if value is None else value for value in (before, after)]
    if any(isinstance(value, bool) or not isinstance(value, int | float) for value in numbers):
        return None
    moved: int | float = numbers[1] - numbers[0]
    return moved


def _end(name: str, end: _End) -> BridgeEnd:
    return BridgeEnd(viewer=name, figure=end.figure, rows=0 if end.withheld else end.standing[end.measure.table].basis)


def _named(viewer: Viewer | None) -> str:
    if viewer is None or viewer.everything:
        return "all data"
    return viewer.name or viewer.login or "the imagined viewer"
