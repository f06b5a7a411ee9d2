"""Decisions for other applications: may somebody do something with a page, an object or a row (semantics.md 11.8)."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args

import numpy as np

from moorland.core.bundle.values import TypedValue, value_of_text
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import codes_with_null, group_labels
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.opening import ACTIONS
from moorland.core.engine.questions import ChangeAnswer, ChangeQuestion, Question, Refused, RowsAnswer, RowsQuestion
from moorland.core.engine.table_view import TableView, visible_table
from moorland.core.engine.visible import ViewerModel
from moorland.core.insight.trace import Traced
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array
from moorland.core.language.writing import literal_text, name_text
from moorland.core.people import Viewer

ResourceKind = Literal["page", "model", "table", "column", "measure", "row"]
#: What may be asked of each kind; any other pair is false.
ACTIONS_OF: dict[ResourceKind, tuple[str, ...]] = {
    "page": ACTIONS,
    "model": ("see",),
    "table": ("see",),
    "column": ("see",),
    "measure": ("see",),
    "row": ("see", "insert", "update", "delete"),
}
KINDS: tuple[ResourceKind, ...] = get_args(ResourceKind)
#: So many rows a search lists at most.
MOST_ROWS = 1000


@dataclass(frozen=True)
class Resource:
    """What a decision is about: a page by its name, a model, or `model/table`, `model/table.column`, `model/measure`, `model/table/key`."""

    kind: ResourceKind
    id: str

    @property
    def model(self) -> str | None:
        """The model it is of; None for a page."""
        return None if self.kind == "page" else self.id.partition("/")[0]

    @property
    def rest(self) -> str:
        """What follows the model."""
        return self.id.partition("/")[2]


class Deciding:
    """Decisions of one evaluator. What is worked out for a viewer, and for a table of theirs, is kept for the next decision."""

    def __init__(self, evaluator: Evaluator) -> None:
        self.evaluator = evaluator
        self._models: dict[tuple[int, str], ViewerModel | None] = {}
        self._tables: dict[tuple[int, str, str], TableView] = {}
        self._viewers: dict[int, Viewer] = {}

    def may(self, viewer: Viewer, action: str, resource: Resource, values: Mapping[str, Any] | None = None) -> bool:
        """Whether the viewer may; false for anything that does not exist for them. `values` are the new ones of a row."""
        if action not in ACTIONS_OF[resource.kind] or not viewer.enabled:
            return False
        if resource.kind == "page":
            page = next((item for item in self.evaluator.bundle.pages if item.name == resource.id), None)
            return page is not None and action in ACTIONS and self.evaluator.may(viewer, action, page)
        model = self._model(viewer, resource.model or "")
        if model is None:
            return False
        match resource.kind:
            case "model":
                return not resource.rest and bool(model.objects.tables)
            case "table":
                return resource.rest in model.objects.tables
            case "column":
                return _column(resource.rest) in model.objects.columns
            case "measure":
                return resource.rest in model.objects.measures
            case "row":
                return self._row(viewer, model, action, resource, values or {})

    def actions(self, viewer: Viewer, resource: Resource) -> list[str]:
        """What the viewer may do, of what needs no new values."""
        return [action for action in ACTIONS_OF[resource.kind] if action not in ("insert", "update") and self.may(viewer, action, resource)]

    def subjects(self, viewers: Iterable[Viewer], action: str, resource: Resource, values: Mapping[str, Any] | None = None) -> Iterator[str]:
        """The logins of those who may; people who see the same are decided once."""
        wanted = {viewer.login for viewer in viewers}
        for alike in self.evaluator.alike:
            asked = [login for login in alike.logins if login in wanted]
            if asked and self.may(alike.first, action, resource, values):
                yield from asked

    def resources(self, viewer: Viewer, action: str, kind: ResourceKind, within: str | None) -> Iterator[str]:
        """The ids of the resources of a kind on which the viewer may do something; rows of the table `within`, as far as they may be listed."""
        if kind == "page":
            names = (page.name for page in self.evaluator.bundle.pages)
            yield from (name for name in names if self.may(viewer, action, Resource(kind, name)))
            return
        if kind == "row":
            yield from self._rows(viewer, action, within or "")
            return
        for name in self.evaluator.models:
            model = self._model(viewer, name)
            if model is None or action != "see" or within not in (None, name):
                continue
            match kind:
                case "model":
                    found: Iterable[str] = [""] if model.objects.tables else []
                case "table":
                    found = sorted(model.objects.tables)
                case "column":
                    found = sorted(f"{table}.{column}" for table, column in model.objects.columns)
                case "measure":
                    found = sorted(model.objects.measures)
            yield from (f"{name}/{item}" if item else name for item in found)

    def _model(self, viewer: Viewer, name: str) -> ViewerModel | None:
        key = (id(viewer), name)
        if key not in self._models:
            self._viewers[id(viewer)] = viewer
            try:
                self._models[key] = self.evaluator.viewer_model(viewer, name)
            except Refused:
                self._models[key] = None
        return self._models[key]

    def _row(self, viewer: Viewer, model: ViewerModel, action: str, resource: Resource, values: Mapping[str, Any]) -> bool:
        table, _, named = resource.rest.partition("/")
        schema = model.data.schema
        key = schema.tables[table].key if table in model.objects.tables else None
        if key is None or (table, key) not in model.objects.columns:
            return False
        try:
            value = value_of_text(named, schema.columns[table, key].type)
        except (ValueError, OverflowError):
            return False
        if action == "insert":
            return self._changed(viewer, resource, table, {"insert": {"rows": [{key: value, **values}]}})
        row = _place(model.data, (table, key), value)
        if row is None or not self._seen(viewer, model, table, row, key):
            return False
        if action == "see":
            return True
        where = f"{name_text(key)} = {literal_text(value, schema.columns[table, key].type)}"
        change = {"update": {"set": dict(values), "where": where}} if action == "update" else {"delete": {"where": where}}
        return (action == "delete" or bool(values)) and self._changed(viewer, resource, table, change)

    def _seen(self, viewer: Viewer, model: ViewerModel, table: str, row: int, key: str) -> bool:
        """Whether a row is visible (6.4), and its key clear: who may not read the key does not learn by it which rows there are."""
        place = (id(viewer), model.data.schema.model.name, table)
        if place not in self._tables:
            self._tables[place] = visible_table(model, table)
        view = self._tables[place]
        states = view.states((table, key))
        return bool(view.rows[row]) and (states if isinstance(states, int) else int(states[row])) == CLEAR

    def _changed(self, viewer: Viewer, resource: Resource, table: str, change: dict[str, Any]) -> bool:
        """Whether a change of one row would be allowed (9.2)."""
        try:
            question = Question(change=ChangeQuestion.model_validate({"model": resource.model, "table": table, **change}))
        except ValueError:
            return False
        answer = self.evaluator.answer(viewer, question)
        return isinstance(answer, ChangeAnswer) and answer.meant == answer.allowed == 1

    def _rows(self, viewer: Viewer, action: str, within: str) -> Iterator[str]:
        model, _, table = within.partition("/")
        found = self._model(viewer, model)
        key = found.data.schema.tables[table].key if found is not None and table in found.objects.tables else None
        if key is None or action not in ("see", "delete"):
            return
        answer = self.evaluator.answer(viewer, Question(rows=RowsQuestion(model=model, table=table, columns=[f"{table}.{key}"], limit=MOST_ROWS)))
        if not isinstance(answer, RowsAnswer):
            return
        for (value,), (state,) in zip(answer.rows, answer.states, strict=True):
            name = f"{model}/{table}/{_text(value)}"
            if state == "clear" and value is not None and (action == "see" or self.may(viewer, action, Resource("row", name))):
                yield name


def traced(action: str, resource: Resource) -> Traced | None:
    """The same as a trace asks it (11.1); None for an insertion, and for what is written in no such way."""
    model, rest = resource.model, resource.rest
    if resource.kind == "page":
        return Traced(page=resource.id, action=action) if action in ACTIONS else None
    if resource.kind in ("table", "column", "measure"):
        return Traced(model=model, object=f"{resource.kind}:{rest}")
    if resource.kind == "row" and action in ("see", "delete"):
        table, _, named = rest.partition("/")
        row: Any = int(named) if named.lstrip("-").isdigit() else named
        return Traced(model=model, table=table, row=row, change="delete" if action == "delete" else None)
    return None


def _column(written: str) -> ColumnKey:
    table, _, column = written.partition(".")
    return table, column


def _text(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _place(data: ModelData, key: ColumnKey, value: TypedValue) -> int | None:
    """The row with a value of the key. The rows in the order of their keys are worked out once."""
    labels, _ = group_labels(data, key)
    if not len(labels):
        return None
    wanted = np.array([value], dtype=labels.dtype)[0]
    place = int(np.searchsorted(labels, wanted))
    if place >= len(labels) or labels[place] != wanted:
        return None
    row = int(data.cache.get(("row of key", key), lambda: _rows_of(data, key, len(labels)))[place])
    return row if row >= 0 else None


def _rows_of(data: ModelData, key: ColumnKey, size: int) -> Array:
    codes = codes_with_null(data, key[0], key)[:-1]
    rows = np.full(size + 1, -1, dtype=np.int64)
    rows[codes] = np.arange(len(codes))
    return rows[:-1]
