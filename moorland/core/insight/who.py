"""Who can reach something, by which path, and how: a row, a cell, a member, a column, a measure, a figure or a page (semantics.md 11.4)."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property, partial
from typing import Any, Literal

import numpy as np
from pydantic import Field, model_validator

from moorland.core.bundle.policy import MemberEntry, MembersSentence, Role, Sentence
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.bundle.shape import ConditionText, Name, Scalar, Shape
from moorland.core.engine.asked import Asked, granting_measure
from moorland.core.engine.counting import Radix, count
from moorland.core.engine.distinct_views import Alike
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.naming import check_filter, column_key
from moorland.core.engine.questions import ColumnName
from moorland.core.engine.roles import compile_role
from moorland.core.engine.strata import chosen_rows, strata_for
from moorland.core.engine.through_strata import through_strata
from moorland.core.engine.visibility_matrix import VisibilityMatrix, rows_seen
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.insight.holders import held_by
from moorland.core.insight.naming_rows import row_of
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import true_rows
from moorland.core.language.vectors import Array, Mask
from moorland.core.people import Viewer

WhoState = Literal["clear", "masked", "partly", "listed", "counted", "opens"]
#: Up to so many rows are looked at alone, without the rest of their table.
FEW_ROWS = 4_096
#: So many cells a matrix of rows and viewers may have at once.
MOST_CELLS = 1 << 24


class WhoQuestion(Shape):
    """One subject: a page; or in a model rows (by key, by a condition, or at a member), a column or its cells in such rows, a measure, or its
    figure in a line."""

    page: Name | None = None
    model: Name | None = None
    table: Name | None = None
    row: Scalar | None = None
    where: ConditionText | None = None
    hierarchy: Name | None = None
    path: list[Scalar] = Field(default_factory=list, max_length=50)
    column: Name | None = None
    measure: Name | None = None
    by: list[ColumnName] = Field(default_factory=list, max_length=20)
    key: list[Scalar | None] = Field(default_factory=list, max_length=20)

    @model_validator(mode="after")
    def _one_thing(self) -> "WhoQuestion":
        if sum(item is not None for item in (self.page, self.table, self.hierarchy, self.measure)) != 1:
            raise ValueError("who is asked of one thing: a page, rows of a table, a member of a hierarchy, or a measure")
        if self.page is None and self.model is None:
            raise ValueError("name the model")
        if self.hierarchy is not None and not self.path:
            raise ValueError("name the member by its path")
        if self.column is not None and self.table is None:
            raise ValueError("name the table of the column")
        return self


class RolePart(Shape):
    """Through one role: how many of the rows, by which sentences (none: it leaves the table whole, or a lookup decides), and how it is held."""

    role: str
    label: str
    rows: int
    sentences: list[int]
    held_by: list[str]


class PersonWho(Shape):
    """Somebody who reaches it. Of the rows meant `rows` are reached, `listed` may be listed, and in `clear` the cell asked about is clear.

    Where sources depend on who asks, `of` are the rows meant in the content this person reads (sources.md 17.2); null where all read the same.
    """

    login: str
    name: str
    state: WhoState
    rows: int
    listed: int
    clear: int
    of: int | None = None
    through: list[RolePart]


class WhoAnswer(Shape):
    """How many rows are meant (of several contents the most that one has), how many enabled people there are, and everybody who reaches it, in login order."""

    rows: int
    enabled: int
    #: For how many of them it is not known: a source that is chosen for them does not answer.
    not_known: int = 0
    people: list[PersonWho]


class WhoChange(Shape):
    """Who is new and who is gone, against another state or day."""

    new: list[str]
    gone: list[str]


def who(evaluator: Evaluator, asked: WhoQuestion) -> WhoAnswer:
    """Everybody who reaches the subject. Raises Refused or BundleError for names, rows and conditions that cannot be used."""
    one = (asked.model, asked.table, asked.row) if asked.model and asked.table and asked.row is not None else None
    return through_strata([evaluator], lambda on: _who(on, asked), one)


def _who(evaluator: Evaluator, asked: WhoQuestion) -> WhoAnswer:
    enabled = sum(len(same.logins) for same in evaluator.alike)
    if asked.page is not None:
        return WhoAnswer(rows=0, enabled=enabled, people=_openers(evaluator, asked.page))
    model = asked.model or ""
    firsts = [same for same in evaluator.alike if evaluator.is_known(same.first, model)]
    contents = evaluator.by_content((same.first for same in firsts), model) or [(evaluator, [])]
    answers = [_in_content(on, asked, firsts, len(contents) > 1) for on, firsts in contents]
    found = [answer for answer in answers if isinstance(answer, WhoAnswer)]
    if not found:
        raise next(answer for answer in answers if isinstance(answer, BundleError))
    people = [person for answer in found for person in answer.people]
    rows = max(answer.rows for answer in found)
    known = sum(len(same.logins) for same in firsts)
    return WhoAnswer.model_construct(rows=rows, enabled=enabled, not_known=enabled - known, people=sorted(people, key=lambda person: person.login))


def _in_content(evaluator: Evaluator, asked: WhoQuestion, firsts: list[Viewer], one_of_several: bool) -> WhoAnswer | BundleError:
    """Who reaches it among those who read one content, the first of those who see the same given; what is wrong where it has no such row."""
    try:
        subject = _subject(evaluator, asked)
    except BundleError as wrong:
        if not one_of_several:
            raise
        return wrong
    rows = subject.data.counted(subject.table, subject.meant)
    parts = _Parts(evaluator, subject.table)
    wanted = {id(viewer) for viewer in firsts}
    alike = [same for same in evaluator.alike if id(same.first) in wanted]
    people = [_person(viewer, subject, found, parts, rows if one_of_several else None) for viewer, found in _reached(evaluator, subject, alike)]
    return WhoAnswer.model_construct(rows=rows, enabled=0, people=people)


def who_changed(before: WhoAnswer, after: WhoAnswer) -> WhoChange:
    """Who reaches it after and did not before, and the other way round."""
    old, new = ({person.login for person in answer.people} for answer in (before, after))
    return WhoChange(new=sorted(new - old), gone=sorted(old - new))


@dataclass(frozen=True)
class _Subject:
    """What is asked about, ready to look for: the rows of a table, and what must exist, or be shown, for them to be reached."""

    model: str
    table: str
    rows_of: Callable[[ModelData], Mask]
    reads: frozenset[ColumnKey]
    data: ModelData
    column: ColumnKey | None = None
    measure: str | None = None
    #: Whether it is one row by its place, which is no column to tell rows apart by.
    named: bool = False
    asked: Asked = field(default_factory=lambda: Asked((), None))

    @cached_property
    def meant(self) -> Mask:
        """The rows meant that base filters leave; shape (rows,)."""
        return self.rows_of(self.data)


@dataclass
class _Found:
    """What one viewer reaches."""

    rows: int = 0
    listed: int = 0
    clear: int = 0
    through: list[tuple[RoleRows, int]] = field(default_factory=list)


def _openers(evaluator: Evaluator, page: str) -> list[PersonWho]:
    known = [item.name for item in evaluator.bundle.pages]
    if page not in known:
        raise BundleError([Problem("unknown_name", f"there is no page {page}.", nearest=nearest_name(page, known))])
    return [_opener(evaluator, viewer) for viewer in evaluator.everyone() if evaluator.may_open(viewer, page)]


def _opener(evaluator: Evaluator, viewer: Viewer) -> PersonWho:
    through = [
        RolePart(
            role=role.role.name,
            label=role.role.title,
            rows=0,
            sentences=[rule.sentence for rule in role.pages if "open" in rule.actions],
            held_by=held_by(evaluator, viewer, role.role.name),
        )
        for role in evaluator.held_roles(viewer)
        if role.role.kind == "grant" and any("open" in rule.actions for rule in role.pages)
    ]
    return PersonWho(login=viewer.login or "", name=viewer.name or viewer.login or "", state="opens", rows=0, listed=0, clear=0, through=through)


class _Parts:
    """The parts of roles, each made once: most people reach a thing as others do."""

    def __init__(self, evaluator: Evaluator, table: str) -> None:
        self._evaluator, self._table = evaluator, table
        self._known: dict[tuple[object, ...], RolePart] = {}

    def of(self, viewer: Viewer, grant: RoleRows, rows: int) -> RolePart:
        """What a viewer reaches through one grant."""
        ways = held_by(self._evaluator, viewer, grant.name)
        key = (grant.name, rows, *ways)
        if key not in self._known:
            sentences = [rule.sentence for rule in grant.deciding(self._table)]
            self._known[key] = RolePart(role=grant.name, label=grant.role.role.title, rows=rows, sentences=sentences, held_by=ways)
        return self._known[key]


def _person(viewer: Viewer, subject: _Subject, found: _Found, parts: _Parts, of: int | None) -> PersonWho:
    if subject.column is not None:
        state: WhoState = "clear" if found.clear == found.rows else "partly" if found.clear else "masked"
    else:
        state = "listed" if found.listed and subject.measure is None else "counted"
    through = [parts.of(viewer, grant, rows) for grant, rows in found.through]
    name = viewer.name or viewer.login or ""
    # Made of what is typed already; for ten thousand people checking it again takes longer than looking.
    return PersonWho.model_construct(
        login=viewer.login or "", name=name, state=state, rows=found.rows, listed=found.listed, clear=found.clear, of=of, through=through
    )


def _subject(evaluator: Evaluator, asked: WhoQuestion) -> _Subject:
    model = asked.model or ""
    if model not in evaluator.models:
        raise BundleError([Problem("unknown_name", f"there is no model {model}.", nearest=nearest_name(model, list(evaluator.models)))])
    compiled, data = evaluator.models[model], evaluator.data(model)
    schema, everything = compiled.schema, evaluator.all_data()
    if asked.hierarchy is not None:
        entry = MemberEntry(path=list(asked.path), see=True)
        sentence = Sentence(members=MembersSentence(hierarchy=asked.hierarchy, list=[entry]))
        role, problems = compile_role(Role(name="member", kind="grant", model=model, sentences=[sentence]), compiled, {})
        if role is None:
            raise BundleError(problems)
        rule = role.rows[0]
        return _Subject(model, rule.table, _based(rule.table, lambda on: rule.mask(on, everything)), rule.reads, data)
    measure = compiled.measures.get(asked.measure or "")
    if asked.measure is not None and measure is None:
        raise _unknown("measure", asked.measure, list(compiled.measures))
    table = asked.table or (measure.table if measure else "")
    if table not in schema.tables:
        raise _unknown("table", table, list(schema.tables))
    existing = frozenset(schema.columns)
    condition = check_filter(asked.where, schema, table, existing, {})
    by = tuple(column_key(name, None, existing) for name in asked.by)
    column = (table, asked.column) if asked.column is not None else None
    if column is not None and column not in schema.columns:
        raise _unknown("column", f"{table}.{asked.column}", [f"{owner}.{name}" for owner, name in schema.columns])
    place = row_of(data, table, asked.row) if asked.row is not None else None
    number = Radix(evaluator.viewer_model(everything, model), by, evaluator.secret) if by else None

    def rows_of(on: ModelData) -> Mask:
        mask = np.full(on.rows(table), place is None)
        if place is not None:
            mask[place] = True
        if condition is not None:
            mask &= true_rows(condition, on.frame(table), table, on.rows(table))
        if number is not None and asked.key:
            wanted = number.number(asked.key)
            mask &= number.of(table, on) // number.divisor(len(asked.key)) == (-1 if wanted is None else wanted)
        return mask

    reads = frozenset(by) | (tree.columns_read(condition) if condition is not None else frozenset())
    asked_by = Asked(by[: len(asked.key)], condition)
    return _Subject(model, table, _based(table, rows_of), reads, data, column, asked.measure, place is not None, asked_by)


def _based(table: str, rows_of: Callable[[ModelData], Mask]) -> Callable[[ModelData], Mask]:
    def found(on: ModelData) -> Mask:
        base, mask = on.base(table), rows_of(on)
        return mask if base is None else mask & base

    return found


def _reached(evaluator: Evaluator, subject: _Subject, alike: list[Alike]) -> Iterator[tuple[Viewer, _Found]]:
    """What each viewer who reaches anything reaches; those who hold the same roles of the model are looked at together, those who see the same once."""
    together: dict[tuple[str, ...], list[Alike]] = {}
    for same in alike:
        held = evaluator.held_roles(same.first, subject.model)
        if any(role.role.kind == "grant" for role in held):
            together.setdefault(tuple(role.role.name for role in held), []).append(same)
    for views in together.values():
        for place, found in _together(evaluator, [same.first for same in views], subject):
            yield from ((evaluator.person(login), found) for login in views[place].logins)


def _together(evaluator: Evaluator, viewers: list[Viewer], subject: _Subject) -> Iterator[tuple[int, _Found]]:
    """What viewers who hold the same roles reach, by their place; nothing for those who reach nothing."""
    model = evaluator.viewer_model(viewers[0], subject.model)
    grants = _granting(evaluator, model, subject)
    if not grants:
        return
    keys = frozenset({subject.column}) if subject.column is not None else _inputs(evaluator, subject)
    if not _may_be_together(model, subject, keys):
        for place, viewer in enumerate(viewers):
            yield from ((place, found) for found in _alone(evaluator, evaluator.viewer_model(viewer, subject.model), subject))
        return
    data, weights, meant = _frame(model, subject, keys)
    framed = model.on(data)
    turn = max(1, MOST_CELLS // max(1, data.rows(subject.table), *(data.rows(name) for name in data.schema.paths[subject.table])))
    for start in range(0, len(viewers), turn):
        some = viewers[start : start + turn]
        matrices = {rows.name: VisibilityMatrix(rows.role, some, data).of(subject.table) for rows in (*framed.grants, *framed.limits)}
        yield from ((start + place, found) for place, found in _looked_at(evaluator, framed, subject, weights, meant, matrices, len(some)))


def _granting(evaluator: Evaluator, model: ViewerModel, subject: _Subject) -> list[RoleRows]:
    if subject.measure is None:
        return model.granting((), (subject.table,))
    return granting_measure(model, evaluator.models[subject.model].measures[subject.measure], subject.asked)


def _inputs(evaluator: Evaluator, subject: _Subject) -> frozenset[ColumnKey]:
    measure = evaluator.models[subject.model].measures.get(subject.measure or "")
    return measure.inputs | subject.asked.keys if measure is not None else frozenset()


def _may_be_together(model: ViewerModel, subject: _Subject, keys: frozenset[ColumnKey]) -> bool:
    """Whether rows of many can be looked at as matrices: nothing travels up, and masks that matter are the same for all."""
    if any(step.carries_up for steps in model.data.schema.parents.values() for step in steps):
        return False
    if subject.measure is not None:
        return not model.has_whole_totals() and not model.masks_any(keys)
    inputs = model.derived_inputs(keys)
    columns = inputs | {(model.data.schema.original(table), column) for table, column in inputs}
    return not any(mask.viewer_reads for role in model.roles for mask in role.masks if mask.column in columns)


def _frame(model: ViewerModel, subject: _Subject, keys: frozenset[ColumnKey]) -> tuple[ModelData, Array, Mask]:
    """The data to look at, how many rows each of its rows stands for, and which of them are meant."""
    few = np.flatnonzero(subject.meant)
    here = model.data.weights(subject.table) is None
    chosen = chosen_rows(model, subject.table, few) if here and len(few) <= FEW_ROWS else None
    if chosen is not None:
        return chosen, np.ones(len(few), np.int64), np.ones(len(few), np.bool_)
    when = {key for key in model.derived_inputs(keys) for role in model.roles for mask in role.masks if mask.column == key for key in (key, *mask.reads)}
    reached = frozenset(key for key in subject.reads | when if model.data.schema.reaches(subject.table, key[0]))
    strata = strata_for(model, subject.table, reached) if not subject.named else None
    if strata is not None:
        return strata.data, strata.counts, subject.rows_of(strata.data)
    return model.data, _each(model.data, subject), subject.meant


def _each(data: ModelData, subject: _Subject) -> Array:
    """How many rows each row of the subject's table stands for."""
    weights = data.weights(subject.table)
    return np.ones(len(subject.meant), np.int64) if weights is None else weights


def _looked_at(
    evaluator: Evaluator, model: ViewerModel, subject: _Subject, weights: Array, meant: Mask, matrices: dict[str, Mask | None], viewers: int
) -> Iterator[tuple[int, _Found]]:
    """What each of some viewers reaches of the rows of a frame, by place; nothing for those who reach none."""
    left = meant[:, np.newaxis]
    for limit in model.limits:
        mask = matrices[limit.name]
        left = left if mask is None else left & mask
    grants = sorted(_granting(evaluator, model, subject), key=lambda grant: grant.name)
    listing = {grant.name for grant in model.listing(subject.table)} if subject.measure is None else set()
    shown, listed = np.zeros((1, 1), np.bool_), np.zeros((1, 1), np.bool_)
    states: Array = np.full((1, 1), model.ladder.hidden, np.int16)
    own: list[tuple[RoleRows, Array]] = []
    for grant in grants:
        mask = matrices[grant.name]
        opened = left if mask is None else left & mask
        if subject.column is not None:
            state = np.broadcast_to(np.asarray(grant.states(subject.table, subject.column)), meant.shape)[:, np.newaxis]
            states = np.where(opened, np.minimum(states, state), states)
            opened = opened & (state < model.ladder.hidden)
        shown = shown | opened
        if grant.name in listing:
            listed = listed | opened
        own.append((grant, rows_seen(weights, opened, viewers)))
    if subject.column is not None:
        for limit in model.limits:
            states = np.maximum(states, np.broadcast_to(np.asarray(limit.states(subject.table, subject.column)), meant.shape)[:, np.newaxis])
        shown = shown & (states < model.ladder.hidden)
    clear = rows_seen(weights, shown & (states == CLEAR), viewers)
    rows, lists = rows_seen(weights, shown, viewers), rows_seen(weights, listed & shown, viewers)
    for place in np.flatnonzero(rows).tolist():
        through = [(grant, int(numbers[place])) for grant, numbers in own if numbers[place]]
        yield place, _Found(int(rows[place]), int(lists[place]), int(clear[place]), through)


def _alone(evaluator: Evaluator, model: ViewerModel, subject: _Subject) -> Iterator[_Found]:
    """What one viewer reaches, by the rows of the model as they are; nothing where it is none."""
    if subject.measure is None:
        matrices = {rows.name: None if (mask := rows.of(subject.table)) is None else mask[:, np.newaxis] for rows in (*model.grants, *model.limits)}
        yield from (found for _, found in _looked_at(evaluator, model, subject, _each(model.data, subject), subject.meant, matrices, 1))
        return
    measure = evaluator.models[subject.model].measures[subject.measure]
    radix = Radix(model, subject.asked.by, evaluator.secret)
    counted = count(model, measure, subject.table, subject.asked, len(subject.asked.by), radix, strata=False)
    counts = np.zeros(len(subject.meant), np.bool_)
    counts[counted.places] = True
    counts &= subject.meant
    if counts.any():
        opened = [(grant, counts if (mask := grant.of(subject.table)) is None else counts & mask) for grant in _granting(evaluator, model, subject)]
        number = partial(model.data.counted, subject.table)
        yield _Found(number(counts), 0, 0, [(grant, number(rows)) for grant, rows in opened if rows.any()])


def _unknown(what: str, name: str, known: Sequence[Any]) -> BundleError:
    return BundleError([Problem("unknown_name", f"there is no {what} {name}.", nearest=nearest_name(name, list(known)))])
