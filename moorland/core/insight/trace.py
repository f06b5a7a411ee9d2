"""Why a viewer can or cannot: layer by layer, by the code that decides (semantics.md 11)."""

from collections.abc import Iterable, Iterator
from typing import Any, Literal

import numpy as np
from pydantic import Field, model_validator

from moorland.core.bundle.people import ViewerReference
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.bundle.shape import ConditionText, Name, Named, Scalar, Shape
from moorland.core.engine.asked import Asked, counted_tables
from moorland.core.engine.by_viewer import UndecidedRule
from moorland.core.engine.cells import cell_values
from moorland.core.engine.changes import try_row
from moorland.core.engine.counting import Radix, count
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.mask_kinds import CellKind, MaskKind
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.missing import chosen_by
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.opening import OnPage, answer_pages, facts_of, rule_truth
from moorland.core.engine.questions import ColumnName, PagesAnswer
from moorland.core.engine.roles import CompiledRole
from moorland.core.engine.rules import RowRule
from moorland.core.engine.table_view import listed_table, visible_table
from moorland.core.engine.through_strata import OneRow, through_strata
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.insight.bridge import BridgeQuestion, bridge
from moorland.core.insight.holders import held_by
from moorland.core.insight.naming_rows import row_of
from moorland.core.language.evaluation import true_rows
from moorland.core.people import Viewer

LayerName = Literal["account", "page", "model", "object", "rows", "masks", "limits"]
Verdict = Literal["passes", "masked", "stops"]


class Traced(Shape):
    """What is asked about: a page, an object, or a row with perhaps one of its cells or a measure it may count in.

    `row` is the value of the table's key; for tables without one, and only there, the number of the row from 0.
    """

    page: Name | None = None
    action: OnPage = "open"
    model: Name | None = None
    object: str | None = None
    table: Name | None = None
    row: Scalar | None = None
    column: Name | None = None
    measure: Name | None = None
    #: With an object `measure:…`, its figure in a line of totals: the rows that count in it.
    by: list[ColumnName] = Field(default_factory=list, max_length=20)
    key: list[Scalar | None] = Field(default_factory=list, max_length=20)
    where: ConditionText | None = None
    figure: bool = False
    #: A change of the row: an update to the values of `set`, or its deletion.
    change: Literal["update", "delete"] | None = None
    set: dict[str, Scalar | None] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _something(self) -> "Traced":
        if (self.page is not None) + (self.object is not None) + (self.table is not None) != 1:
            raise ValueError("a trace asks about one thing: a page, an object, or a row of a table")
        if self.page is None and self.model is None:
            raise ValueError("name the model")
        if self.table is not None and self.row is None:
            raise ValueError("name the row, by the value of its key")
        return self


class Compared(Shape):
    """A value that was looked at: a cell of the row, or a value of the viewer with where it comes from."""

    name: str
    value: Any
    source: str = ""


class Reason(Shape):
    """What one role, or one sentence of it, says."""

    role: str
    label: str
    kind: str
    held_by: list[str]
    sentence: int | None = None
    passes: bool
    message: str
    compared: list[Compared] = Field(default_factory=list)


class TraceLayer(Shape):
    """One layer with its verdict; the first that stops decides."""

    layer: LayerName
    verdict: Verdict
    message: str
    reasons: list[Reason] = Field(default_factory=list)


class Trace(Shape):
    """The layers in order, and the outcome: can, can in part (masked), or cannot."""

    viewer: str
    outcome: Literal["can", "masked", "cannot"]
    layers: list[TraceLayer]


def trace(evaluator: Evaluator, reference: ViewerReference, asked: Traced) -> Trace:
    """Why a viewer can or cannot. Raises BundleError for a name or row that does not exist."""
    return trace_viewer(evaluator, evaluator.viewer(reference), asked)


def trace_viewer(evaluator: Evaluator, viewer: Viewer, asked: Traced) -> Trace:
    """The same for a viewer already made."""
    return through_strata([evaluator], lambda on: _traced(on, viewer, asked), one_row(asked))


def one_row(asked: Traced) -> OneRow | None:
    """The row that is asked about; nothing of its table but that is looked at where the table is left in place."""
    return (asked.model, asked.table, asked.row) if asked.model and asked.table and asked.row is not None and not asked.figure else None


def _traced(evaluator: Evaluator, viewer: Viewer, asked: Traced) -> Trace:
    evaluator = evaluator if asked.model is None else evaluator.of(viewer, asked.model)
    layers = _Tracing(evaluator, viewer, asked).layers()
    verdicts = [layer.verdict for layer in layers]
    outcome: Literal["can", "masked", "cannot"] = "cannot" if "stops" in verdicts else "masked" if "masked" in verdicts else "can"
    return Trace(viewer=viewer.login or "an imagined viewer", outcome=outcome, layers=layers)


def where_they_part(first: Trace, second: Trace) -> tuple[TraceLayer, TraceLayer] | None:
    """The first layer on which two viewers' verdicts differ; None where they do not."""
    by_name = {layer.layer: layer for layer in second.layers}
    for layer in first.layers:
        other = by_name.get(layer.layer)
        if other is None or other.verdict != layer.verdict:
            return layer, other or second.layers[-1]
    return None


class _Tracing:
    def __init__(self, evaluator: Evaluator, viewer: Viewer, asked: Traced) -> None:
        self.evaluator, self.viewer, self.asked = evaluator, viewer, asked

    def layers(self) -> list[TraceLayer]:
        """The layers up to the first that stops."""
        found: list[TraceLayer] = []
        for layer in self._in_order():
            found.append(layer)
            if layer.verdict == "stops":
                break
        return found

    def _in_order(self) -> Iterator[TraceLayer]:
        yield self.account()
        if self.asked.page is not None:
            yield self.page(self.asked.page)
            return
        name = self.asked.model or ""
        if name not in self.evaluator.models:
            raise _unknown("model", name, self.evaluator.models)
        yield self.model(name)
        model = self.evaluator.viewer_model(self.viewer, name)
        yield self.object(model)
        if self.asked.figure and (self.asked.object or "").startswith("measure:"):
            measure = (self.asked.object or "").partition(":")[2]
            counted = self.evaluator.models[name].measures[measure].table
            yield self.not_chosen(model, counted) if counted in model.data.missing else self.figure(measure)
        if self.asked.table is None:
            return
        if self.asked.table in model.data.missing:
            yield self.not_chosen(model, self.asked.table)
            return
        row = row_of(model.data, self.asked.table, self.asked.row)
        yield self.rows(model, row)
        if self.asked.column is not None or self.asked.measure is not None:
            yield self.masks(model, row)
        yield self.limits(model, row)
        if self.asked.change is not None:
            yield self.change(model, row)

    def account(self) -> TraceLayer:
        if not self.viewer.enabled:
            return TraceLayer(layer="account", verdict="stops", message="The account is disabled.")
        return TraceLayer(layer="account", verdict="passes", message="The account is enabled.")

    def page(self, name: str) -> TraceLayer:
        page = next((item for item in self.evaluator.bundle.pages if item.name == name), None)
        if page is None:
            raise _unknown("page", name, [item.name for item in self.evaluator.bundle.pages])
        reasons = []
        for role in self.evaluator.held_roles(self.viewer):
            for rule in role.pages:
                for action in dict.fromkeys(("open", self.asked.action)):
                    truth = rule_truth(rule, action, facts_of(page), self.viewer, self.evaluator.as_of)
                    if truth is False:
                        continue
                    grants = role.role.kind == "grant"
                    said = "allows" if truth and grants else "denies" if not grants else "is unknown for"
                    reasons.append(self.reason(role, bool(truth) and grants, f"{said} {action} on this page", rule.sentence))
        allowed = self.evaluator.may_open(self.viewer, name) if self.asked.action == "open" else name in getattr(self._pages(), self.asked.action)
        nothing = "No role held says anything of this page." if not reasons else f"{self.asked.action} is not allowed."
        return TraceLayer(
            layer="page", verdict="passes" if allowed else "stops", message=f"{self.asked.action} is allowed." if allowed else nothing, reasons=reasons
        )

    def _pages(self) -> PagesAnswer:
        return answer_pages(self.evaluator.bundle.pages, self.evaluator.bundle.shelves, self.evaluator.opening(self.viewer))

    def model(self, name: str) -> TraceLayer:
        held = self.evaluator.held_roles(self.viewer, name)
        reasons = [self.reason(role, role.role.kind == "grant", f"a {role.role.kind} role on {self._model_title(name)}") for role in held]
        if any(role.role.kind == "grant" for role in held):
            return TraceLayer(layer="model", verdict="passes", message=f"A grant role opens {self._model_title(name)}.", reasons=reasons)
        why = "only limit roles are held, and they open nothing" if held else "no role on it is held"
        return TraceLayer(layer="model", verdict="stops", message=f"{self._model_title(name)} does not exist: {why}.", reasons=reasons)

    def _model_title(self, name: str) -> str:
        return self.evaluator.models[name].schema.model.title

    def object(self, model: ViewerModel) -> TraceLayer:
        wanted = self._objects(model)
        reasons = []
        for rows in (*model.grants, *model.limits):
            hidden = [name for name in wanted if not _has(rows, name)]
            message = f"hides {_and(self._titled(model, name) for name in hidden)}" if hidden else "shows it" if len(wanted) == 1 else "shows all of it"
            reasons.append(self.reason(rows.role, not hidden, message))
        opened = any(reason.passes for reason in reasons if reason.kind == "grant") and all(reason.passes for reason in reasons if reason.kind == "limit")
        names = _and(self._titled(model, name) for name in wanted)
        return TraceLayer(
            layer="object",
            verdict="passes" if opened else "stops",
            message=f"{names[0].upper()}{names[1:]} {_exists(opened, len(wanted))} for this viewer.",
            reasons=reasons,
        )

    def figure(self, measure: str) -> TraceLayer:
        """Which rows count in a figure, and what keeps the others out, as the bridge from all data tells it."""
        asked = self.asked
        question = BridgeQuestion(model=asked.model or "", measure=measure, by=asked.by, where=asked.where, subtotals=bool(asked.by), key=asked.key)
        found = bridge(self.evaluator, self.viewer, question)
        reasons = []
        for step in found.steps:
            role = self.evaluator.roles.get(step.role or "")
            if role is not None:
                reasons.append(self.reason(role, False, f"keeps {abs(step.rows):,} {'row' if abs(step.rows) == 1 else 'rows'} out", step.sentence))
        if found.first.rows == found.last.rows == 0:
            return TraceLayer(layer="rows", verdict="stops", message="There is no such line: no row counts in it, for anybody.")
        there = found.last.figure is not None or found.first.figure is None
        message = f"{found.last.rows:,} of {found.first.rows:,} rows count in it."
        if not there and found.steps:
            message = f"{found.steps[-1].message}" if found.steps[-1].kind in ("withheld", "absent") else "None of its rows counts."
        return TraceLayer(layer="rows", verdict="passes" if there else "stops", message=message, reasons=reasons)

    def _titled(self, model: ViewerModel, name: str) -> str:
        """An object in words, by its label."""
        kind, _, rest = name.partition(":")
        schema = model.data.schema
        if kind == "column":
            table, _, column = rest.partition(".")
            return f"the column {schema.columns[table, column].title} of {schema.tables[table].title}"
        known: dict[str, Named | None] = {
            "table": schema.tables.get(rest),
            "measure": schema.measures.get(rest),
            "hierarchy": next((item for item in schema.model.hierarchies if item.name == rest), None),
            "cube": next((item for item in schema.model.cubes if item.name == rest), None),
        }
        found = known.get(kind)
        return f"the {kind} {found.title if found is not None else rest}"

    def _objects(self, model: ViewerModel) -> list[str]:
        """What has to exist, under one and the same role."""
        asked, schema = self.asked, model.data.schema
        known = {
            "table": set(schema.tables),
            "column": {f"{table}.{column}" for table, column in schema.columns},
            "measure": set(schema.measures),
            "hierarchy": {item.name for item in schema.model.hierarchies},
            "cube": {item.name for item in schema.model.cubes},
        }
        wanted = [asked.object] if asked.object is not None else [f"table:{asked.table}"]
        if asked.column is not None:
            wanted.append(f"column:{asked.table}.{asked.column}" if "." not in asked.column else f"column:{asked.column}")
        if asked.measure is not None:
            wanted.append(f"measure:{asked.measure}")
        for name in wanted:
            kind, _, rest = name.partition(":")
            if rest not in known.get(kind, set()):
                raise _unknown(kind or "object", rest or name, known.get(kind, set()))
        return wanted

    def grants_asked(self, model: ViewerModel) -> list[RoleRows]:
        """The grant roles under which everything asked about exists."""
        wanted = self._objects(model)
        return [rows for rows in model.grants if all(_has(rows, name) for name in wanted)]

    def not_chosen(self, model: ViewerModel, table: str) -> TraceLayer:
        """That a table has no rows for the viewer: what chooses its source is not set, wherever it was looked for (sources.md 17.2)."""
        names = model.data.missing[table]
        message = f"{model.data.schema.tables[table].title} has no rows here: where they are is {chosen_by(names)}."
        looked = [self.looked_for(name) for name in names]
        return TraceLayer(layer="rows", verdict="stops", message=" ".join([message, *looked]))

    def looked_for(self, name: str) -> str:
        """Where an attribute that is not set was looked for, and so could be set."""
        resolution = self.viewer.attributes.get(name)
        if resolution is not None and resolution.conflict:
            return f"Several groups set viewer.{name} otherwise, so that none holds."
        chain = [f"the organization {item}" for item in self.viewer.organizations]
        return f"It can be set for the person, for a group they are in, or for {' or '.join(chain) if chain else 'an organization'}."

    def rows(self, model: ViewerModel, row: int) -> TraceLayer:
        table = self.asked.table or ""
        reasons, opened = [], False
        for grant in self.grants_asked(model):
            visible = _visible(grant, table, row)
            opened |= visible
            reasons += self.row_reasons(grant, table, row) or [self.reason(grant.role, visible, "restricts no row here")]
        message = "A grant role opens this row." if opened else "No grant role under which this exists opens this row."
        return TraceLayer(layer="rows", verdict="passes" if opened else "stops", message=message, reasons=reasons)

    def row_reasons(self, rows: RoleRows, table: str, row: int) -> list[Reason]:
        """What each sentence says of the row, and of the rows it looks up, nearest first."""
        data, reasons = rows.data, []
        places = {table: row, **{other: int(data.path(table, other)[row]) for other in data.schema.paths[table]}}
        for other, place in places.items():
            if other not in rows.restricted:
                continue
            if place < 0:
                unmatched = Compared(name=f"{table} → {other}", value=None)
                reasons.append(self.reason(rows.role, False, f"the key toward {other}, which is restricted, matches no row", compared=[unmatched]))
                continue
            base = data.base(other)
            if base is not None and not base[place]:
                reasons.append(self.reason(rows.role, False, f"the base filter removes the row of {other}"))
            for rule in rows.role.rows:
                if rule.table == other:
                    passes = bool(rows.rule_mask(rule)[place])
                    says = "is true" if passes else "is not true"
                    if isinstance(rule, UndecidedRule):
                        says = f"reads rows whose place is {chosen_by(rule.attributes)}: it is unknown"
                    kind = rows.role.role.sentences[rule.sentence].kind
                    reasons.append(
                        self.reason(rows.role, passes, f"the {kind} sentence on {other} {says}", rule.sentence, self.compared(data, rule, other, place))
                    )
        if not _visible(rows, table, row) and all(reason.passes for reason in reasons):
            reasons.append(self.reason(rows.role, False, "no visible row refers to it, as the relationship asks"))
        return reasons

    def compared(self, data: ModelData, rule: RowRule, table: str, row: int) -> list[Compared]:
        """The cells of the row and the values of the viewer that a sentence reads."""
        cells = [
            Compared(name=f"{owner}.{column}", value=cell_values(data, table, (owner, column), np.array([row]), np.array([True]))[0], source="the row")
            for owner, column in sorted(rule.reads)
        ]
        return [*cells, *(self.viewer_value(name) for name in sorted(rule.viewer_reads))]

    def viewer_value(self, name: str) -> Compared:
        """A value of the viewer with its provenance; secret ones are not told."""
        definition = self.evaluator.people.definitions.get(name)
        if definition is not None and definition.shown_to == "nobody":
            return Compared(name=f"viewer.{name}", value="(secret)", source="secret")
        values = self.viewer.values(name)
        resolution = self.viewer.attributes.get(name)
        source = "the person"
        if resolution is not None:
            rungs = [rung for rung in resolution.ladder if rung.decides]
            source = "in conflict" if resolution.conflict else ", ".join(" ".join(filter(None, (rung.kind, rung.name))) for rung in rungs) or "not set"
        shown = None if values is None else [str(value) if not isinstance(value, bool | int | float | str) else value for value in values]
        return Compared(name=f"viewer.{name}", value=shown, source=source)

    def masks(self, model: ViewerModel, row: int) -> TraceLayer:
        table, measure = self.asked.table or "", self.asked.measure
        schema = model.data.schema
        if measure is not None:
            checked = self.evaluator.models[self.asked.model or ""].measures[measure]
            keys = sorted(key for key in checked.inputs if schema.reaches(table, key[0]))
            return self._counting(model, measure, row, self._mask_reasons(model, keys, table, row))
        column = self.asked.column or ""
        owner, _, name = column.rpartition(".")
        key = (owner or table, name)
        listed, here = listed_table(model, table), np.array([row])
        in_rows, in_totals = (int(view.states_in(key, here)[0]) for view in (listed, visible_table(model, table)))
        kinds = model.ladder.kinds
        verdict: Verdict = "passes" if in_rows == CLEAR else "stops" if in_rows == model.ladder.hidden else "masked"
        if not listed.rows[row]:
            message = f"No role held lists this row of {table}, so {column} is not shown in rows."
        else:
            message = f"{column} is {_stated(kinds[in_rows])} in this row."
        if in_totals != in_rows:
            message += f" In totals by {column} it is {_stated(kinds[in_totals])}."
        return TraceLayer(layer="masks", verdict=verdict, message=message, reasons=self._mask_reasons(model, [key], table, row))

    def _counting(self, model: ViewerModel, measure: str, row: int, reasons: list[Reason]) -> TraceLayer:
        """Whether the row counts in a measure, as totals count it."""
        table = self.asked.table or ""
        checked = self.evaluator.models[self.asked.model or ""].measures[measure]
        if table not in counted_tables(checked):
            raise BundleError([Problem("measure", f"{measure} does not count rows of {table}.")])
        counted = count(model, checked, table, Asked((), None), 0, Radix(model, (), self.evaluator.secret), strata=False)
        counts = counted.rows is None or bool(np.isin(row, counted.rows))
        message = f"The row counts in {measure}." if counts else f"The row does not count in {measure}: a cell it reads is masked, or the row is withheld."
        return TraceLayer(layer="masks", verdict="passes" if counts else "stops", message=message, reasons=reasons)

    def _mask_reasons(self, model: ViewerModel, keys: list[tuple[str, str]], table: str, row: int) -> list[Reason]:
        reasons = []
        for rows in (*model.grants, *model.limits):
            for key in keys:
                states = rows.states(table, key)
                number = states if isinstance(states, int) else int(states[row])
                if number != CLEAR:
                    own = [
                        mask.sentence for mask in rows.role.masks if mask.column[1] == key[1] and mask.column[0] in (key[0], model.data.schema.original(key[0]))
                    ]
                    reasons.append(self.reason(rows.role, False, f"{'.'.join(key)}: {model.ladder.kinds[number].name}", own[0] if own else None))
        return reasons

    def limits(self, model: ViewerModel, row: int) -> TraceLayer:
        table = self.asked.table or ""
        reasons = []
        for limit in model.limits:
            found = self.row_reasons(limit, table, row)
            reasons += found or [self.reason(limit.role, True, "leaves the row")]
        stopped = any(not _visible(limit, table, row) for limit in model.limits)
        message = "A limit role takes the row away." if stopped else "No limit role takes the row away." if model.limits else "No limit role is held."
        return TraceLayer(layer="limits", verdict="stops" if stopped else "passes", message=message, reasons=reasons)

    def change(self, model: ViewerModel, row: int) -> TraceLayer:
        """Whether the row may be changed, as a change question tries it; the last word of the layer of limits."""
        table, kind = self.asked.table or "", self.asked.change or "update"
        missing = [column for column in self.asked.set if (table, column) not in model.data.schema.columns]
        if missing:
            raise _unknown("column", f"{table}.{missing[0]}", [column for owner, column in model.data.schema.columns if owner == table])
        why = try_row(model, table, row, dict(self.asked.set) if kind == "update" else None)
        reasons = []
        for rows in (*model.grants, *model.limits):
            rules = [rule for rule in rows.role.changes if rule.table == table]
            for rule in rules:
                condition = rule.update if kind == "update" else rule.delete
                frame = model.data.frame(table, self.viewer.values)
                true = condition is not None and bool(true_rows(condition, frame, table, model.data.rows(table))[row])
                says = "is true for the row as it is" if true else f"allows no {kind}" if condition is None else "is not true for the row as it is"
                reasons.append(self.reason(rows.role, true, f"the change sentence on {table} {says}", rule.sentence))
            if not rules and rows.role.role.kind == "grant":
                reasons.append(self.reason(rows.role, False, f"has no change sentence on {table}"))
        message = f"The {kind} is allowed." if why is None else f"The {kind} is refused: {why}."
        return TraceLayer(layer="limits", verdict="passes" if why is None else "stops", message=message, reasons=reasons)

    def reason(self, role: CompiledRole, passes: bool, message: str, sentence: int | None = None, compared: list[Compared] | None = None) -> Reason:
        paths = held_by(self.evaluator, self.viewer, role.role.name)
        return Reason(
            role=role.role.name,
            label=role.role.title,
            kind=role.role.kind,
            held_by=paths,
            sentence=sentence,
            passes=passes,
            message=message,
            compared=compared or [],
        )


def _and(parts: Iterable[str]) -> str:
    return " and ".join(parts)


def _exists(there: bool, several: int) -> str:
    return ("exist" if several > 1 else "exists") if there else ("do not exist" if several > 1 else "does not exist")


def _stated(kind: CellKind) -> str:
    """A state in words."""
    return f"masked ({kind.name})" if isinstance(kind, MaskKind) else kind.name


def _visible(rows: RoleRows, table: str, row: int) -> bool:
    mask = rows.of(table)
    return mask is None or bool(mask[row])


def _has(rows: RoleRows, written: str) -> bool:
    kind, _, name = written.partition(":")
    objects = rows.objects
    if kind == "column":
        table, _, column = name.partition(".")
        return (table, column) in objects.columns
    known = {"table": objects.tables, "measure": objects.measures, "hierarchy": objects.hierarchies, "cube": objects.cubes}
    return name in known[kind]


def _unknown(what: str, name: str, known: Any) -> BundleError:
    return BundleError([Problem("unknown_name", f"there is no {what} {name}.", nearest=nearest_name(name, list(known)))])
