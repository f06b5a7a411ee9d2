"""What many people see of one model, and the hash by which who sees the same is known (semantics.md 11.5)."""

import hashlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from pydantic import Field

from moorland.core.bundle.shape import Shape
from moorland.core.engine.asked import Asked, counted_tables, granting_measure
from moorland.core.engine.counting import Radix, count, strata_of_measure, when_columns
from moorland.core.engine.distinct_views import Alike
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.roles import CompiledRole
from moorland.core.engine.strata import strata_for
from moorland.core.engine.visibility_matrix import VisibilityMatrix, rows_seen
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.language.derived import ColumnKey
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.vectors import Array, Mask
from moorland.core.people import Viewer
from moorland.core.price import step

ColumnReach = Literal["clear", "masked", "hidden", "mixed"]
#: So many cells a matrix of rows and viewers may have at once.
MOST_CELLS = 1 << 25
_NOTHING = Asked((), None)


#: Told how many people have been looked at, of how many.
Progress = Callable[[int, int], None]


class TableName(Shape):
    """A table with its model, and how many rows base filters leave of it."""

    name: str
    of: int


class ReachClass(Shape):
    """People who see exactly the same, in login order, and what they see; `roles` are all that any of them holds.

    `rows` of each table, the `states` of each column (a letter of STATES each), and how many rows count in each measure (null: it does
    not exist), in the order in which Reach names them: thousands of classes of hundreds of columns are told in little.
    """

    logins: list[str]
    roles: list[str]
    rows: list[int]
    states: str
    counted: list[int | None]
    pages: list[str]
    #: Cubes that exist, each with its model.
    cubes: list[str] = Field(default_factory=list)
    export: list[str] = Field(default_factory=list)
    #: How many rows tables have in the content these people read, where their source depends on who asks (sources.md 17.2).
    of: dict[str, int] = Field(default_factory=dict)
    #: Models of which it cannot be told what these people see: a source that is chosen for them does not answer.
    not_known: list[str] = Field(default_factory=list)


#: How the state of a column over the rows seen is told, by its letter.
STATES: dict[str, ColumnReach] = {"c": "clear", "m": "masked", "h": "hidden", "x": "mixed"}
_LETTERS = {state: letter for letter, state in STATES.items()}


@dataclass
class Seen:
    """What people of one view see: told, and as a hash of every bit of it."""

    rows: list[int] = field(default_factory=list)
    states: list[str] = field(default_factory=list)
    counted: list[int | None] = field(default_factory=list)
    pages: list[str] = field(default_factory=list)
    cubes: list[str] = field(default_factory=list)
    export: list[str] = field(default_factory=list)
    of: dict[str, int] = field(default_factory=dict)
    not_known: list[str] = field(default_factory=list)
    _hash: Any = field(default_factory=lambda: hashlib.blake2b(digest_size=20))

    def note(self, *parts: object) -> None:
        """Takes something into the hash."""
        self._hash.update(_written(parts))

    def note_written(self, text: bytes) -> None:
        """Takes what is the same for several into the hash, written once."""
        self._hash.update(text)

    def of_nothing(self, model: str, evaluator: Evaluator) -> None:
        """Notes that what is seen of a model is not known."""
        schema = evaluator.models[model].schema
        self.note(model, "not known")
        self.not_known.append(model)
        self.rows += [0] * len(schema.tables)
        self.states += ["h"] * sum(len(table.columns) for table in schema.tables.values())
        self.counted += [None] * len(evaluator.models[model].measures)

    @property
    def digest(self) -> bytes:
        """Equal for those who see exactly the same."""
        result: bytes = self._hash.digest()
        return result

    def as_class(self, people: list[Alike]) -> ReachClass:
        """The class of some people."""
        return ReachClass(
            logins=sorted(login for same in people for login in same.logins),
            roles=sorted({role for same in people for role in same.first.held}),
            rows=self.rows,
            states="".join(self.states),
            counted=self.counted,
            pages=self.pages,
            cubes=self.cubes,
            export=self.export,
            of=self.of,
            not_known=self.not_known,
        )


def _written(parts: Iterable[object]) -> bytes:
    """Parts as they are hashed."""
    return b"".join((part if isinstance(part, bytes) else repr(part).encode()) + b"\x00" for part in parts)


@dataclass
class Looked:
    """How many people have been looked at, over all models; `sizes` are those who see the same, by place."""

    sizes: list[int]
    models: int
    progress: Progress | None
    done: int = 0

    def among(self, places: Sequence[int]) -> "Looked":
        """The same for some of them, counted by their places among these."""
        return LookedAmong(self.sizes, self.models, self.progress, 0, self, places)

    def add(self, places: Iterable[int]) -> None:
        """Tells of people who have been looked at in one model."""
        self.done += sum(self.sizes[place] for place in places)
        if self.progress is not None:
            self.progress(self.done, self.models * sum(self.sizes))


@dataclass
class LookedAmong(Looked):
    """Some of the people who are looked at."""

    whole: Looked | None = None
    places: Sequence[int] = ()

    def add(self, places: Iterable[int]) -> None:
        assert self.whole is not None
        self.whole.add([self.places[place] for place in places])


@dataclass(frozen=True)
class _Frame:
    """The rows, or strata, of a table everybody is looked at by."""

    data: ModelData
    weights: Array


class ModelReach:
    """One model, for people of every set of roles."""

    def __init__(self, evaluator: Evaluator, name: str) -> None:
        self.evaluator, self.name = evaluator, name
        self.compiled = evaluator.models[name]
        self.data = evaluator.data(name)
        self.schema = self.compiled.schema

    def look(self, seen_as: Sequence[tuple[Evaluator, Viewer]], found: Sequence[Seen], looked: Looked) -> list[TableName]:
        """Notes for each viewer what is seen of the model, under an evaluator of the same data; its tables in their order."""
        viewers = [viewer for _, viewer in seen_as]
        alike: dict[tuple[int, ...], list[int]] = {}
        without: list[int] = []
        for place, (evaluator, viewer) in enumerate(seen_as):
            held = evaluator.held_roles(viewer, self.name)
            if any(role.role.kind == "grant" for role in held):
                alike.setdefault(tuple(id(role) for role in held), []).append(place)
            else:
                without.append(place)
        self.models = [seen_as[places[0]][0].viewer_model(viewers[places[0]], self.name) for places in alike.values()]
        self.models = self.models or [self.evaluator.whole_model(self.name, self.evaluator.all_data())]
        self.goes_up = any(step.carries_up for steps in self.schema.parents.values() for step in steps)
        self.frames = {table: self._frame(table) for table in self.schema.tables}
        self._measured: dict[tuple[str, str], _Frame] = {}
        self.left = {table: self._left(table, frame) for table, frame in self.frames.items()}
        for place in without:
            found[place].note(self.name, "absent")
            for table in self.schema.tables:
                self.absent(table, found[place])
            found[place].counted += [None] * len(self.compiled.measures)
        looked.add(without)
        for model, places in zip(self.models, alike.values(), strict=False):
            largest = max(max(frame.data.rows(table), *map(frame.data.rows, self.schema.paths[table]), 1) for table, frame in self.frames.items())
            turn = max(1, MOST_CELLS // largest)
            for start in range(0, len(places), turn):
                some = places[start : start + turn]
                _Looking(self, model, [viewers[place] for place in some], [found[place] for place in some]).look()
                looked.add(some)
        return [TableName(name=f"{self.name}.{table}", of=self.left[table]) for table in self.schema.tables]

    def absent(self, table: str, one: Seen) -> None:
        """Notes that nothing is seen of a table."""
        one.rows.append(0)
        one.states += ["h"] * len(self.schema.tables[table].columns)

    def _frame(self, table: str) -> _Frame:
        own = frozenset((table, column.name) for column in self.schema.tables[table].columns)
        strata = strata_for(self.models[0], table, when_columns(self.models, table, own), (), self.models[1:])
        return _Frame(strata.data, strata.counts) if strata is not None else _Frame(self.data, self.each(table))

    def measured(self, measure: CheckedMeasure, table: str) -> _Frame:
        """The rows, or strata, of a table by which a measure is looked at."""
        key = (measure.name, table)
        if key not in self._measured:
            strata = strata_of_measure(self.models, measure, table, _NOTHING)
            self._measured[key] = _Frame(strata.data, strata.counts) if strata else _Frame(self.data, self.each(table))
        return self._measured[key]

    def each(self, table: str) -> Array:
        """How many rows each row of the data stands for."""
        weights = self.data.weights(table)
        return np.ones(self.data.rows(table), np.int64) if weights is None else weights

    def _left(self, table: str, frame: _Frame) -> int:
        mask = self.models[0].on(frame.data).left_by_filters(table)
        return int(frame.weights.sum() if mask is None else frame.weights[mask].sum())


class _Looking:
    """Some viewers who hold the same roles."""

    def __init__(self, reach: ModelReach, model: ViewerModel, viewers: list[Viewer], found: list[Seen]) -> None:
        self.reach, self.model, self.viewers, self.found = reach, model, viewers, found
        self.together = not reach.goes_up
        self._visible: dict[tuple[int, str, tuple[str, ...]], tuple[Mask, list[bytes]]] = {}
        self._matrices: dict[tuple[int, str, str], Mask | None] = {}
        self._of_roles: dict[tuple[int, str], VisibilityMatrix] = {}

    def look(self) -> None:
        """Notes objects, rows, cells, measures and listings."""
        objects = self.model.objects
        told = _written((self.reach.name, sorted(objects.tables), sorted(objects.hierarchies), sorted(objects.cubes)))
        for one in self.found:
            one.note_written(told)
            one.cubes += [f"{self.reach.name}.{name}" for name in sorted(objects.cubes)]
        for table in self.reach.schema.tables:
            step()
            if table in objects.tables:
                self._table(table)
                continue
            for one in self.found:
                self.reach.absent(table, one)
        for measure in self.reach.compiled.measures.values():
            step()
            self._measure(measure)

    def _named(self, table: str, column: str) -> str:
        return f"{self.reach.name}.{table}.{column}"

    def _table(self, table: str) -> None:
        frame, model = self.reach.frames[table], self.model
        grants = model.granting((), (table,))
        visible, bits = self.visible(frame.data, table, grants)
        rows = rows_seen(frame.weights, visible, len(self.viewers))
        listing = model.listing(table)
        _, listed = self.visible(frame.data, table, listing) if len(listing) != len(grants) else (visible, bits)
        beneath = [rows_of.role.beneath(table) for rows_of in (*listing, *model.limits)]
        how = sorted({(rule.limit, rule.only_under, rule.export) for rule in beneath}, key=repr)
        exported = sorted(grant.name for grant in model.exporting(table))
        before, after = _written((table,)), _written((how, bool(exported)))
        for one, number, seen, lists in zip(self.found, rows.tolist(), bits, listed, strict=True):
            one.rows.append(number)
            one.note_written(before + _written((seen, lists)) + after)
        for column in self.reach.schema.tables[table].columns:
            self._column(frame, (table, column.name), grants, visible, rows)

    def _column(self, frame: _Frame, key: ColumnKey, grants: list[RoleRows], visible: Mask, rows: Array) -> None:
        named = self._named(*key)
        if key not in self.model.objects.columns:
            for one in self.found:
                one.states.append("h")
            return
        plain = all(key in rows_of.objects.columns for rows_of in (*grants, *self.model.limits)) and not self.model.masks_any([key])
        if plain:
            told = _written((named, "clear"))
            for one, some in zip(self.found, rows.tolist(), strict=True):
                one.states.append("c" if some else "h")
                one.note_written(told)
            return
        kinds = np.array([_hash_of(kind) for kind in self.model.ladder.kinds], dtype="<u8")
        for place, states in enumerate(self._states(frame, key, grants)):
            here = visible[:, place] if visible.shape[1] > 1 else visible[:, 0]
            inside = states[here]
            self.found[place].states.append(_LETTERS[_summed_up(inside, self.model.ladder.hidden)])
            self.found[place].note(named, kinds[inside].tobytes())

    def _states(self, frame: _Frame, key: ColumnKey, grants: list[RoleRows]) -> Iterator[Array]:
        """The states of a column in the rows of a frame, viewer by viewer."""
        model = self.model.on(frame.data)
        inputs = model.derived_inputs([key])
        columns = inputs | {(model.data.schema.original(table), column) for table, column in inputs}
        alone = any(mask.viewer_reads for role in model.roles for mask in role.masks if mask.column in columns)
        by_name = {rows.name: rows for rows in (*model.grants, *model.limits)}
        size = len(frame.weights)
        known: dict[bytes, Array] = {}
        for place, viewer in enumerate(self.viewers):
            own = {rows.name: rows for rows in _rows_of(ViewerModel(viewer, model.roles, frame.data))} if alone else by_name
            masks = [self._one(frame.data, key[0], grant.name, place) for grant in grants]
            told = b"" if alone else b"".join(b"*" if mask is None else np.packbits(mask).tobytes() for mask in masks)
            if told in known and not alone:
                yield known[told]
                continue
            result = np.full(size, model.ladder.hidden, np.int16)
            for grant, mask in zip(grants, masks, strict=True):
                state = np.minimum(result, own[grant.name].states(key[0], key))
                result = state if mask is None else np.where(mask, state, result)
            for limit in model.limits:
                result = np.maximum(result, own[limit.name].states(key[0], key))
            known[told] = result = result.astype(np.int16)
            yield result

    def _measure(self, measure: CheckedMeasure) -> None:
        named = f"{self.reach.name}.{measure.name}"
        grants = granting_measure(self.model, measure, _NOTHING)
        if not grants:
            for one in self.found:
                one.note(named, "absent")
                one.counted.append(None)
            return
        plain = not self.model.has_whole_totals() and not self.model.masks_any(measure.inputs)
        for table in sorted(counted_tables(measure)):
            if plain:
                frame = self.reach.measured(measure, table)
                visible, bits = self.visible(frame.data, table, grants)
                rows = rows_seen(frame.weights, visible, len(self.viewers))
                parts: Iterable[tuple[int, bytes]] = zip(rows.tolist(), bits, strict=True)
            else:
                parts = self._counted(measure, table)
            for one, (number, told) in zip(self.found, parts, strict=True):
                one.note(named, table, told)
                if table == measure.table:
                    one.counted.append(int(number))

    def _counted(self, measure: CheckedMeasure, table: str) -> Iterator[tuple[int, bytes]]:
        """How many rows count for each viewer, where masks or whole totals have a say; and every bit of it."""
        radix = Radix(self.model, (), self.reach.evaluator.secret)
        for viewer in self.viewers:
            model = ViewerModel(viewer, self.model.roles, self.reach.data)
            counted = count(model, measure, table, _NOTHING, 0, radix, True, self.reach.models)
            bits = np.zeros(len(counted.strata.counts) if counted.strata else self.reach.data.rows(table), np.bool_)
            bits[counted.places] = True
            values = b"".join(repr(key).encode() + states.tobytes() for key, states in sorted(counted.values.items()))
            least = b"" if counted.least is None else counted.least.tobytes()
            yield counted.basis, np.packbits(bits).tobytes() + (b"\x01" + values + least if values or least else b"")

    def visible(self, data: ModelData, table: str, grants: Sequence[RoleRows]) -> tuple[Mask, list[bytes]]:
        """The rows each viewer sees through some grants, shape (rows, viewers) or (rows, 1) where it is the same for all; and as bytes."""
        names = tuple(grant.name for grant in grants)
        key = (id(data), table, names)
        if key not in self._visible:
            mask = self._visible_now(data, table, names)
            packed = np.packbits(mask, axis=0)
            told = [packed[:, place].tobytes() for place in range(packed.shape[1])]
            self._visible[key] = mask, told * len(self.viewers) if len(told) == 1 else told
        return self._visible[key]

    def _visible_now(self, data: ModelData, table: str, names: Sequence[str]) -> Mask:
        rows = data.rows(table)
        result = np.zeros((rows, 1), np.bool_)
        for name in names:
            mask = self._matrix(data, table, name)
            result = np.ones((rows, 1), np.bool_) if mask is None else result | mask
            if mask is None:
                break
        for limit in self.model.limits:
            mask = self._matrix(data, table, limit.name)
            result = result if mask is None else result & mask
        return result

    def _one(self, data: ModelData, table: str, role: str, place: int) -> Mask | None:
        """One viewer's rows under a role; shape (rows,)."""
        mask = self._matrix(data, table, role)
        return None if mask is None else mask[:, place if mask.shape[1] > 1 else 0]

    def _matrix(self, data: ModelData, table: str, role: str) -> Mask | None:
        """The rows every viewer sees under a role."""
        key = (id(data), table, role)
        if key not in self._matrices:
            compiled = next(item for item in self.model.roles if item.role.name == role)
            if self.together:
                self._matrices[key] = self._of_role(compiled, data).of(table)
            else:
                masks = [RoleRows(compiled, viewer, data, self.model.ladder).of(table) for viewer in self.viewers]
                full = [np.ones(data.rows(table), np.bool_) if mask is None else mask for mask in masks]
                self._matrices[key] = np.stack(full, axis=1)
        return self._matrices[key]

    def _of_role(self, role: CompiledRole, data: ModelData) -> VisibilityMatrix:
        """What every viewer sees under a role; the same for all tables, as lookups are seen on the way to others."""
        key = (id(data), role.role.name)
        if key not in self._of_roles:
            self._of_roles[key] = VisibilityMatrix(role, self.viewers, data)
        return self._of_roles[key]


def _rows_of(model: ViewerModel) -> list[RoleRows]:
    return [*model.grants, *model.limits]


def _summed_up(states: Array, hidden: int) -> ColumnReach:
    """What is seen of a column over the visible rows."""
    if not len(states) or (states == hidden).all():
        return "hidden"
    if (states == CLEAR).all():
        return "clear"
    return "masked" if ((states != CLEAR) & (states != hidden)).all() else "mixed"


def _hash_of(kind: object) -> int:
    """A kind of cell as a number, the same under every set of roles."""
    return int.from_bytes(hashlib.blake2b(repr(kind).encode(), digest_size=8).digest(), "little")
