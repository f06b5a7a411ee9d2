"""Runs promises: whether what must hold for a viewer does hold."""

import math
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.promises import Must, ObjectsMust, PagesMust, Promise, RowsMust, SameMust, TotalMust, ValuesMust
from moorland.core.bundle.shape import Shape
from moorland.core.collector import collector_paused
from moorland.core.engine.cells import codes_of
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.masking import ShownColumn
from moorland.core.engine.naming import check_filter
from moorland.core.engine.questions import Question, Refusal, Refused, TotalsAnswer, TotalsQuestion
from moorland.core.engine.table_view import visible_table
from moorland.core.engine.through_strata import on_strata
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.engine.visible import ViewerModel
from moorland.core.insight.comparison import parts_that_differ
from moorland.core.insight.promises_over_people import for_each, never_both, only, reads_viewers, shares, subjects_of
from moorland.core.language.evaluation import true_rows
from moorland.core.people import Viewer

_SHOWN = 5


class PromiseResult(Shape):
    """Whether a promise is kept, and what was found, in one sentence."""

    name: str
    label: str
    viewer: str
    kept: bool
    message: str


def run_promises(evaluator: Evaluator, progress: Callable[[int, int], None] | None = None) -> list[PromiseResult]:
    """Every promise of a bundle, in order. Raises BundleError for one that names what does not exist."""
    results: list[PromiseResult] = []
    problems: list[Problem] = []
    for index, promise in enumerate(evaluator.bundle.promises):
        try:
            results.append(run_promise(evaluator, promise))
        except BundleError as error:
            problems += [problem.at(f"promises[{index}]{'.' if problem.path else ''}{problem.path}") for problem in error.problems]
        if progress:
            progress(index + 1, len(evaluator.bundle.promises))
    if problems:
        raise BundleError(problems)
    return results


def run_promise(evaluator: Evaluator, promise: Promise) -> PromiseResult:
    """One promise; not kept where it is not known, because a source does not answer. Raises BundleError where it names what does not exist."""
    try:
        return _run(evaluator, promise)
    except SourceFailed:
        whom = promise.viewer if isinstance(promise.viewer, str) else "everybody" if promise.viewer is None else "an imagined viewer"
        return PromiseResult(name=promise.name, label=promise.title, viewer=whom, kept=False, message="not known: a source does not answer now")


@on_strata
@collector_paused()
def _run(evaluator: Evaluator, promise: Promise) -> PromiseResult:
    """One promise. Raises BundleError with the path inside the promise."""
    must = promise.must
    try:
        if promise.viewer is not None:
            viewer = evaluator.viewer(promise.viewer)
            whom, (kept, message) = viewer.login or "an imagined viewer", _Run(evaluator, viewer).outcome(must)
        elif promise.viewers is not None:
            whom = "everyone" if isinstance(promise.viewers, str) else next(iter(promise.viewers.model_dump(exclude_none=True).values()))
            kept, message = for_each(evaluator, promise.viewers, reads_viewers(must), lambda viewer: _Run(evaluator, viewer).outcome(must))
        else:
            whom, (kept, message) = "everybody", _over_all(evaluator, must)
    except BundleError as error:
        raise BundleError([problem if problem.path else problem.at("must") for problem in error.problems]) from None
    return PromiseResult(name=promise.name, label=promise.title, viewer=whom, kept=kept, message=message)


def _over_all(evaluator: Evaluator, must: Must) -> tuple[bool, str]:
    """What is about everybody at once."""
    if must.only is not None:
        return only(evaluator, must.only)
    if must.never_both is not None:
        return never_both(evaluator, must.never_both)
    if must.adds_up is not None:
        return shares(evaluator, must.adds_up, exactly=True)
    assert must.covers is not None
    return shares(evaluator, must.covers, exactly=False)


def models_of(must: Must) -> list[str]:
    """The models a promise is about; none where it is about all of them."""
    about = must.rows or must.total or must.values or must.visible or must.hidden
    if about is not None:
        return [about.model]
    counted = must.adds_up or must.covers
    found = [counted.model] if counted is not None else [subject.model for subject in subjects_of(must.only, must.never_both)]
    return sorted({model for model in found if model is not None})


class _Run:
    def __init__(self, evaluator: Evaluator, viewer: Viewer) -> None:
        self.evaluator, self.viewer = evaluator, viewer

    def outcome(self, must: Must) -> tuple[bool, str]:
        if must.rows:
            return self.rows(must.rows)
        if must.total:
            return self.total(must.total)
        if must.values:
            return self.values(must.values)
        if must.visible:
            return self.objects(must.visible, wanted=True)
        if must.hidden:
            return self.objects(must.hidden, wanted=False)
        if must.pages:
            return self.pages(must.pages)
        if must.same_as:
            return self.same(must.same_as)
        seen = [name for name in self.evaluator.models if self.model(name)]
        opened = [page.name for page in self.evaluator.bundle.pages if self.evaluator.may_open(self.viewer, page.name)]
        return not seen and not opened, f"sees {_listed([*seen, *opened])}" if seen or opened else "sees nothing"

    def model(self, name: str) -> ViewerModel | None:
        """A model as the viewer sees it; None where it does not exist for the viewer."""
        if name not in self.evaluator.models:
            raise BundleError([Problem("unknown_name", f"there is no model {name}.", path="must")])
        try:
            return self.evaluator.viewer_model(self.viewer, name)
        except Refused:
            return None

    def known(self, name: str, names: Any, path: str, what: str) -> None:
        if name not in names:
            raise BundleError([Problem("unknown_name", f"there is no {what} {name}.", path=path)])

    def rows(self, must: RowsMust) -> tuple[bool, str]:
        model = self.model(must.model)
        schema = self.evaluator.models[must.model].schema
        self.known(must.table, schema.tables, "must.rows.table", "table")
        try:
            condition = check_filter(must.where, schema, must.table, frozenset(schema.columns), self.evaluator.people.definitions)
        except Refused as refused:
            raise BundleError([Problem(refused.code, refused.message, path="must.rows.where")]) from None
        found = 0
        if model is not None and must.table in model.objects.tables:
            mask = visible_table(model, must.table).rows
            if condition is not None:
                mask = mask & true_rows(condition, model.data.frame(must.table, self.viewer.values), must.table, len(mask))
            found = model.data.counted(must.table, mask)
        what = f"{found:,} rows of {must.table}" + (f" where {must.where}" if must.where else "")
        if must.count is not None:
            return found == must.count, f"sees {what}; {must.count:,} promised"
        if must.at_least is not None:
            return found >= must.at_least, f"sees {what}; at least {must.at_least:,} promised"
        assert must.at_most is not None
        return found <= must.at_most, f"sees {what}; at most {must.at_most:,} promised"

    def total(self, must: TotalMust) -> tuple[bool, str]:
        self.model(must.model)
        schema = self.evaluator.models[must.model].schema
        self.known(must.measure, schema.measures, "must.total.measure", "measure")
        for position, column in enumerate(must.by):
            self.known(column, [".".join(key) for key in schema.columns], f"must.total.by[{position}]", "column")
        question = TotalsQuestion(model=must.model, by=list(must.by), measures=[must.measure], where=must.where)
        answer = self.evaluator.answer(self.viewer, Question(totals=question))
        found = None
        if isinstance(answer, TotalsAnswer):
            if must.line is None:
                found = answer.total[0]
            else:
                found = next((line.values[0] for line in answer.lines if line.key == must.line), None)
        elif isinstance(answer, Refusal) and answer.error.code == "invalid":
            raise BundleError([Problem("invalid", answer.error.message, path="must.total")])
        place = f"{must.measure}" + (f" for {' › '.join(map(str, must.line))}" if must.line else "")
        if found is None or must.equals is None:
            return found is None and must.equals is None, f"{place} is {_number(found)}; {_number(must.equals)} promised"
        kept = math.isclose(found, must.equals, rel_tol=1e-9, abs_tol=must.tolerance)
        return kept, f"{place} is {_number(found)}; {_number(must.equals)} promised"

    def values(self, must: ValuesMust) -> tuple[bool, str]:
        model = self.model(must.model)
        table, _, column = must.column.partition(".")
        self.known(must.column, [".".join(key) for key in self.evaluator.models[must.model].schema.columns], "must.values.column", "column")
        shown = set(shown_values(model, (table, column), self.evaluator.secret)) if model else set()
        if must.only is not None:
            wrong = sorted(shown - set(must.only), key=str)
            return not wrong, f"{must.column} also shows {_listed(wrong)}" if wrong else f"{must.column} shows no others"
        if must.includes is not None:
            wrong = [value for value in must.includes if value not in shown]
            return not wrong, f"{must.column} does not show {_listed(wrong)}" if wrong else f"{must.column} shows them all"
        wrong = [value for value in must.excludes or [] if value in shown]
        return not wrong, f"{must.column} shows {_listed(wrong)}" if wrong else f"{must.column} shows none of them"

    def objects(self, must: ObjectsMust, wanted: bool) -> tuple[bool, str]:
        model = self.model(must.model)
        kind = "visible" if wanted else "hidden"
        names = [name for position, written in enumerate(must.objects) for name in self.named(must.model, written, f"must.{kind}.objects[{position}]")]
        seen = set(_object_names(model)) if model else set()
        wrong = [name for name in names if (name in seen) != wanted]
        state = "hidden" if wanted else "visible"
        return not wrong, f"{_listed(wrong)} {'is' if len(wrong) == 1 else 'are'} {state}" if wrong else f"all {len(names)} {kind}"

    def named(self, model: str, written: str, path: str) -> list[str]:
        """The objects a name stands for: itself, or all with a tag or in a folder."""
        schema = self.evaluator.models[model].schema
        kind, _, name = written.partition(":")
        known = [
            *(f"table:{table}" for table in schema.tables),
            *(f"column:{table}.{column}" for table, column in schema.columns),
            *(f"{what}:{item.name}" for what, items in (("measure", schema.model.measures), ("cube", schema.model.cubes)) for item in items),
            *(f"hierarchy:{item.name}" for item in schema.model.hierarchies),
        ]
        if kind not in ("tag", "folder"):
            self.known(written, known, path, "object")
            return [written]

        def carries(item: Any) -> bool:
            return name in item.tags if kind == "tag" else item.folder == name

        found = [
            *(f"table:{table.name}" for table in schema.tables.values() if carries(table)),
            *(f"column:{table}.{column}" for (table, column), item in schema.columns.items() if carries(item)),
            *(f"measure:{measure.name}" for measure in schema.model.measures if carries(measure)),
        ]
        if not found:
            raise BundleError([Problem("unknown_name", f"nothing has the {kind} {name}.", path=path)])
        return found

    def pages(self, must: PagesMust) -> tuple[bool, str]:
        for kind, names in (("can_open", must.can_open), ("cannot_open", must.cannot_open)):
            for position, name in enumerate(names):
                self.known(name, [page.name for page in self.evaluator.bundle.pages], f"must.pages.{kind}[{position}]", "page")
        closed = [name for name in must.can_open if not self.evaluator.may_open(self.viewer, name)]
        opened = [name for name in must.cannot_open if self.evaluator.may_open(self.viewer, name)]
        parts = [f"cannot open {_listed(closed)}"] * bool(closed) + [f"can open {_listed(opened)}"] * bool(opened)
        return not parts, " and ".join(parts) or "as promised"

    def same(self, must: SameMust) -> tuple[bool, str]:
        other = self.evaluator.viewer(must.viewer)
        parts = parts_that_differ(self.evaluator, self.viewer, other)
        return not parts, f"differs in {_listed(parts)}" if parts else "the same"


def shown_values(model: ViewerModel, key: tuple[str, str], secret: bytes) -> Iterator[Any]:
    """The distinct values of a column that a viewer may learn from rows of its table, or from groupings by it (6.5); null left out."""
    table = key[0]
    if table not in model.objects.tables or key not in model.objects.columns:
        return
    view = visible_table(model, table)
    rows = np.flatnonzero(view.rows)
    states = view.states_in(key, rows)
    shown = ShownColumn(model.data, key, model.ladder, np.unique(states).tolist(), secret)
    numbers = np.unique(shown.numbers(states, codes_of(model.data, table, key, rows)))
    yield from shown.values(numbers[numbers >= 0])


def _object_names(model: ViewerModel) -> Iterator[str]:
    objects = model.objects
    yield from (f"table:{name}" for name in objects.tables)
    yield from (f"column:{table}.{column}" for table, column in objects.columns)
    for kind, names in (("measure", objects.measures), ("hierarchy", objects.hierarchies), ("cube", objects.cubes)):
        yield from (f"{kind}:{name}" for name in names)


def _listed(items: list[Any]) -> str:
    shown = ", ".join(str(item) for item in items[:_SHOWN])
    return f"{shown} and {len(items) - _SHOWN} more" if len(items) > _SHOWN else shown


def _number(value: Any) -> str:
    if not isinstance(value, int | float):
        return "nothing" if value is None else str(value)
    return f"{value:,.0f}" if float(value).is_integer() else f"{value:,}"
