"""Promises over many people: for each of some, or about who reaches what among everybody (bundle.md)."""

from collections.abc import Callable, Iterable, Iterator

import numpy as np

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.promises import OnlyMust, PeopleOf, ReachedSubject, SharesMust
from moorland.core.bundle.shape import Shape
from moorland.core.engine.distinct_views import Alike, Told
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.naming import check_filter
from moorland.core.engine.questions import Question, Refused, TotalsAnswer, TotalsQuestion
from moorland.core.engine.table_view import visible_table
from moorland.core.engine.visible import ViewerModel
from moorland.core.language.evaluation import true_rows
from moorland.core.people import Viewer
from moorland.core.price import step

#: So many of those for whom a promise is not kept are named.
NAMED = 3


def people_of(evaluator: Evaluator, meant: str | PeopleOf, alone: bool = False) -> list[Alike]:
    """The enabled people a promise means, who see the same together; each `alone` where something that is asked reads who they are.

    Raises BundleError for a name that is not there.
    """
    names = frozenset({"login"} if alone else ())
    if isinstance(meant, str):
        return list(evaluator.views_by(Told(names)).alike)
    people = evaluator.people
    kinds = (("user", meant.user, people.users), ("group", meant.group, people.groups), ("organization", meant.organization, people.organizations))
    for what, name, known in (*kinds, ("role", meant.role, evaluator.roles)):
        if name is not None and name not in known:
            raise BundleError([Problem("unknown_name", f"there is no {what} {name}.")])
    if meant.user is not None:
        viewer = evaluator.person(meant.user)
        return [Alike(viewer, (meant.user,))] if viewer.enabled else []
    if meant.group is not None:
        return [same for same in evaluator.views_by(Told(names, frozenset({meant.group}))).alike if meant.group in same.first.groups]
    if meant.organization is not None:
        told = Told(names | {"organizations"})
        return [same for same in evaluator.views_by(told).alike if meant.organization in same.first.organizations]
    return [same for same in evaluator.views_by(Told(names)).alike if meant.role in same.first.held]


def reads_viewers(asked: Shape) -> bool:
    """Whether what a promise asks may read something of whoever it is asked for."""
    return "viewer" in asked.model_dump_json(exclude={"same_as"}).lower()


def for_each(evaluator: Evaluator, meant: str | PeopleOf, alone: bool, kept: Callable[[Viewer], tuple[bool, str]]) -> tuple[bool, str]:
    """Whether something holds for each of some people; nobody meant is not kept, as nothing would be looked at."""
    people = people_of(evaluator, meant, alone)
    if not people:
        return False, "nobody is meant"
    failing: list[str] = []
    why = ""
    for same in people:
        step()
        held, message = kept(same.first)
        if not held:
            failing += same.logins
            why = why or message
    if failing:
        return False, f"not for {_named(sorted(failing))}: {why}"
    many = sum(len(same.logins) for same in people)
    return True, f"for all {many:,}" if many > 1 else f"for {people[0].first.login}"


def _reaching(evaluator: Evaluator, subjects: list[ReachedSubject]) -> list[str]:
    """The logins of those who reach each of some subjects, in their order."""
    alone = any(map(reads_viewers, subjects))
    people = people_of(evaluator, "everyone", alone)
    return sorted(login for same in people if all(reaches(evaluator, same.first, subject) for subject in subjects) for login in same.logins)


def only(evaluator: Evaluator, must: OnlyMust) -> tuple[bool, str]:
    """Whether nobody else reaches a subject. Raises BundleError."""
    meant = {login for item in must.people for same in people_of(evaluator, item) for login in same.logins}
    reaching = _reaching(evaluator, [must.subject])
    others = [login for login in reaching if login not in meant]
    what = said(must.subject)
    return not others, f"{_named(others)} reach{'es' if len(others) == 1 else ''} {what}" if others else f"{len(reaching):,} reach {what}, all of them meant"


def never_both(evaluator: Evaluator, subjects: list[ReachedSubject]) -> tuple[bool, str]:
    """Whether no one person reaches both of two subjects. Raises BundleError."""
    both = _reaching(evaluator, subjects)
    what = " and ".join(said(subject) for subject in subjects)
    return not both, f"{_named(both)} reach{'es' if len(both) == 1 else ''} both {what}" if both else f"nobody reaches both {what}"


def shares(evaluator: Evaluator, must: SharesMust, exactly: bool) -> tuple[bool, str]:
    """Whether each row of a measure counts for exactly one of some viewers, or at least one. Raises BundleError."""
    known = evaluator.models.get(must.model)
    if known is None or must.measure not in known.schema.measures:
        raise BundleError([Problem("unknown_name", f"there is no measure {must.measure} of a model {must.model}.")])
    table = known.schema.measures[must.measure].table
    meant = [same for item in must.viewers for same in people_of(evaluator, item)]
    if not meant:
        return False, "nobody is meant"
    # Where sources depend on who asks, the rows of each content are shared among those who read it.
    contents: dict[int, tuple[Evaluator, list[Alike]]] = {}
    for same in meant:
        on = evaluator.of(same.first, must.model)
        contents.setdefault(id(on), (on, []))[1].append(same)
    parts = [_shared(on, some, must, table, exactly) for on, some in contents.values()]
    return next((part for part in parts if not part[0]), parts[0])


def _shared(evaluator: Evaluator, meant: list[Alike], must: SharesMust, table: str, exactly: bool) -> tuple[bool, str]:
    whole = evaluator.viewer_model(evaluator.all_data(), must.model)
    logins = [login for same in meant for login in same.logins]
    if table in whole.data.missing:
        return False, f"where the rows of {table} are is not known for {_named(logins)}"
    left = visible_table(whole, table).rows
    counts = np.zeros(len(left), dtype=np.int64)
    for same in meant:
        step()
        model = _model(evaluator, same.first, must.model)
        if model is not None and must.measure in model.objects.measures:
            counts[visible_table(model, table).rows] += len(same.logins)
    none, several = whole.data.counted(table, left & (counts == 0)), whole.data.counted(table, left & (counts > 1))
    rows = f"of {whole.data.counted(table, left):,} rows of {table}"
    parts = [f"{none:,} count for nobody"] * bool(none) + [f"{several:,} for more than one"] * bool(several and exactly)
    return not parts, f"{' and '.join(parts)} {rows}" if parts else f"each {rows} counts for {'exactly' if exactly else 'at least'} one of {len(logins):,}"


def reaches(evaluator: Evaluator, viewer: Viewer, subject: ReachedSubject) -> bool:
    """Whether somebody reaches a subject. Raises BundleError for one that names what is not there."""
    if subject.page is not None:
        _known(subject.page, [page.name for page in evaluator.bundle.pages], "page")
        return evaluator.may_open(viewer, subject.page)
    assert subject.model is not None
    _known(subject.model, evaluator.models, "model")
    schema = evaluator.models[subject.model].schema
    model = _model(evaluator, viewer, subject.model)
    if subject.measure is not None:
        _known(subject.measure.measure, schema.measures, "measure")
        answer = evaluator.answer(viewer, Question(totals=TotalsQuestion(model=subject.model, by=[], measures=[subject.measure.measure])))
        return isinstance(answer, TotalsAnswer) and bool(answer.basis) and (answer.basis[0] or 0) > 0
    if subject.column is not None:
        table, _, column = subject.column.column.partition(".")
        _known(subject.column.column, [".".join(key) for key in schema.columns], "column")
        if model is None or (table, column) not in model.objects.columns:
            return False
        if subject.column.state == "visible":
            return True
        view = visible_table(model, table)
        rows = np.flatnonzero(view.rows)
        return bool((view.states_in((table, column), rows) == CLEAR).any())
    assert subject.rows is not None
    _known(subject.rows.table, schema.tables, "table")
    try:
        condition = check_filter(subject.rows.where, schema, subject.rows.table, frozenset(schema.columns), evaluator.people.definitions)
    except Refused as refused:
        raise BundleError([Problem(refused.code, refused.message)]) from None
    if model is None or subject.rows.table not in model.objects.tables:
        return False
    mask = visible_table(model, subject.rows.table).rows
    if condition is not None:
        mask = mask & true_rows(condition, model.data.frame(subject.rows.table, viewer.values), subject.rows.table, len(mask))
    return bool(mask.any())


def said(subject: ReachedSubject) -> str:
    """A subject in words."""
    if subject.rows is not None:
        return f"rows of {subject.rows.table}{f' where {subject.rows.where}' if subject.rows.where else ''}"
    if subject.column is not None:
        return f"{subject.column.column}{' in clear' if subject.column.state == 'clear' else ''}"
    return subject.measure.measure if subject.measure is not None else f"the page {subject.page}"


def subjects_of(only_: OnlyMust | None, both: list[ReachedSubject] | None) -> Iterator[ReachedSubject]:
    """The subjects of a promise."""
    if only_ is not None:
        yield only_.subject
    yield from both or []


def _model(evaluator: Evaluator, viewer: Viewer, name: str) -> ViewerModel | None:
    try:
        return evaluator.viewer_model(viewer, name)
    except Refused:
        return None


def _known(name: str, names: Iterable[str], what: str) -> None:
    if name not in names:
        raise BundleError([Problem("unknown_name", f"there is no {what} {name}.")])


def _named(logins: list[str]) -> str:
    more = len(logins) - NAMED
    return ", ".join(logins[:NAMED]) + (f" and {more:,} more" if more > 0 else "")
