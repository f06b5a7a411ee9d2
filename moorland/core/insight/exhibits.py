"""Exhibits of pages: what each asks, what it reads, and what is wrong with it (semantics.md 10.1, 10.3).

The one place for these rules: checking a bundle, saving a page, what falls under a role, and looking at a page.
"""

from collections.abc import Iterator, Mapping

from pydantic import ValidationError

from moorland.core.bundle.pages import Exhibit, Page
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.engine.asked import counted_tables
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.made import NOTHING_MADE, MadeParts, check_all, find_made, parse_made
from moorland.core.engine.naming import filter_scope
from moorland.core.engine.objects import Objects
from moorland.core.engine.questions import Question, Refused, RowsQuestion, TotalsQuestion
from moorland.core.language import tree
from moorland.core.language.checking import check_condition
from moorland.core.language.derived import ColumnKey
from moorland.core.language.errors import ConditionError

#: So many columns each kind needs to set its measures out by.
LEAST_COLUMNS = {"figure": 0, "bar": 1, "line": 1, "treemap": 1, "two_way": 2}
#: The kinds whose marks a column can colour.
COLOURED = ("bar", "line", "treemap")
DEFAULT_LIMIT = 100


def exhibit_question(model: str, exhibit: Exhibit) -> Question:
    """The question an exhibit asks (10.1); the column that gives the colours is one more to group by."""
    if exhibit.kind == "list":
        rows = RowsQuestion(
            model=model,
            table=exhibit.table or "",
            columns=exhibit.columns or None,
            where=exhibit.where,
            order=exhibit.order,
            limit=exhibit.limit or DEFAULT_LIMIT,
        )
        return Question(rows=rows)
    subtotals = exhibit.kind == "two_way" and has_margins(exhibit)
    return Question(
        totals=TotalsQuestion(
            model=model,
            by=grouped_by(exhibit),
            measures=exhibit.measures,
            where=exhibit.where,
            subtotals=subtotals,
            made=exhibit.made,
            order=exhibit.order,
            limit=exhibit.limit,
        )
    )


def down_and_across(exhibit: Exhibit) -> tuple[list[str], list[str]]:
    """The columns of a two-way table that run down and across, outer ones first."""
    across = min(exhibit.across or 1, max(len(exhibit.by) - 1, 0))
    return exhibit.by[: len(exhibit.by) - across], exhibit.by[len(exhibit.by) - across :]


def has_margins(exhibit: Exhibit) -> bool:
    """Whether a two-way table has lines that sum up others: totals, or levels that fold."""
    return exhibit.totals or len(exhibit.by) > 2


def margin_questions(model: str, exhibit: Exhibit) -> list[Question]:
    """What a two-way table asks beside its own question: the sums over its rows, at each level, by what runs across (10.1).

    Totals of rows are the shorter lines of its own question. Each is a question of its own, answered by the viewer's rules.
    """
    if exhibit.kind != "two_way" or not has_margins(exhibit):
        return []
    down, across = down_and_across(exhibit)
    return [
        Question(
            totals=TotalsQuestion(
                model=model, by=[*down[:depth], *across], measures=exhibit.measures, where=exhibit.where, subtotals=len(across) > 1, made=exhibit.made
            )
        )
        for depth in range(len(down))
    ]


def grouped_by(exhibit: Exhibit) -> list[str]:
    """The columns a chart or two-way table groups by, its colours last."""
    coloured = exhibit.colour if exhibit.kind in COLOURED and exhibit.colour not in exhibit.by else None
    return [*exhibit.by, coloured] if coloured else exhibit.by


def exhibit_tables(evaluator: Evaluator, model: str, exhibit: Exhibit) -> list[str]:
    """The tables whose rows an exhibit lists or counts; those of measures that do not exist are left out."""
    if exhibit.kind == "list":
        return [exhibit.table] if exhibit.table else []
    if model not in evaluator.models:
        return []
    measures = {**evaluator.models[model].measures, **_made_or_nothing(evaluator, model, exhibit).measures}
    return list(dict.fromkeys(table for name in exhibit.measures if name in measures for table in sorted(counted_tables(measures[name]))))


def columns_of(evaluator: Evaluator, model: str, exhibit: Exhibit) -> frozenset[ColumnKey]:
    """Every column an exhibit reads itself, those of its measures left out. Raises ConditionError for a filter that cannot be used."""
    names = [*exhibit.columns, *(name.removeprefix("-") for name in exhibit.order)] if exhibit.kind == "list" else grouped_by(exhibit)
    made = _made_or_nothing(evaluator, model, exhibit)
    read = frozenset(_key(exhibit, name) for name in names if name not in made.keys)
    read = read.union(*(column.inputs for column in made.columns.values()), *(measure.inputs for measure in made.measures.values()))
    return read | tree.columns_read(checked_filter(evaluator, model, exhibit)) if exhibit.where else read


def missing_for(evaluator: Evaluator, model: str, exhibit: Exhibit, objects: Objects) -> list[str]:
    """What an exhibit needs and these objects do not have; empty where it can be shown, if only with some of its measures."""
    try:
        read = columns_of(evaluator, model, exhibit)
    except ConditionError as error:
        return [error.message]
    missing = [f"{table}.{column}" for table, column in sorted(read - objects.columns)]
    if exhibit.kind == "list":
        return missing if (exhibit.table or "") in objects.tables else [exhibit.table or "a table", *missing]
    own = {item.as_ for item in exhibit.made}
    absent = [name for name in exhibit.measures if name not in objects.measures and name not in own]
    return [*missing, *absent] if missing or len(absent) == len(exhibit.measures) else []


def check_pages(evaluator: Evaluator) -> None:
    """Raises BundleError naming everything on the pages of a bundle that is not in their models."""
    problems = [problem.at(f"pages[{index}].{problem.path}") for index, page in enumerate(evaluator.bundle.pages) for problem in page_problems(evaluator, page)]
    if problems:
        raise BundleError(problems)


def page_problems(evaluator: Evaluator, page: Page, existing: Mapping[str, Objects] | None = None) -> Iterator[Problem]:
    """Everything on a page that does not fit, with its place inside the page.

    With `existing`, what exists for somebody in each model, the page is built from that only: all else is not there, in the same words.
    """
    shelves = [shelf.name for shelf in evaluator.bundle.shelves]
    if page.shelf not in shelves:
        yield Problem("unknown_name", f"there is no shelf {page.shelf}.", path="shelf", nearest=nearest_name(page.shelf, shelves) if existing is None else None)
    if page.model is None:
        if page.exhibits:
            yield Problem("no_model", "choose the model the exhibits ask first.", path="model")
        return
    models = evaluator.models if existing is None else existing
    if page.model not in models:
        yield Problem("unknown_name", f"there is no model {page.model}.", path="model", nearest=nearest_name(page.model, models))
        return
    objects = everything_in(evaluator, page.model) if existing is None else existing[page.model]
    for index, name in enumerate(page.filters):
        yield from _unknown_column(objects, name, name, f"filters[{index}]", "")
    for index, exhibit in enumerate(page.exhibits):
        yield from exhibit_problems(evaluator, page.model, exhibit, f"exhibits[{index}]", objects)


def made_of(evaluator: Evaluator, model: str, exhibit: Exhibit, objects: Objects) -> MadeParts:
    """What is made for an exhibit, from some objects (7.8). Raises Refused, and ValidationError where the exhibit asks no question."""
    compiled = evaluator.models[model]
    question = TotalsQuestion(model=model, by=grouped_by(exhibit), measures=exhibit.measures, made=exhibit.made)
    found = find_made(parse_made(question), compiled.schema, objects.columns, objects.measures)
    return check_all(question, found, compiled.schema, objects.columns, compiled.derived)


def _made_or_nothing(evaluator: Evaluator, model: str, exhibit: Exhibit) -> MadeParts:
    if not exhibit.made or exhibit.kind == "list" or model not in evaluator.models:
        return NOTHING_MADE
    try:
        return made_of(evaluator, model, exhibit, everything_in(evaluator, model))
    except (Refused, ValidationError):
        return NOTHING_MADE


def _made_problems(evaluator: Evaluator, model: str, exhibit: Exhibit, at: str, titled: str, objects: Objects) -> Iterator[Problem]:
    """What is wrong with what is made for an exhibit. Its columns are written with their tables: which are meant hangs on nobody."""
    if exhibit.kind == "list":
        yield Problem("made", f"{titled}a list has no expressions.", path=f"{at}.made")
        return
    try:
        made_of(evaluator, model, exhibit, objects)
        for item in parse_made(TotalsQuestion(model=model, by=[], measures=[], made=exhibit.made)):
            bare = next((node for node in item.tree.walk() if isinstance(node, tree.Name) and node.qualifier is None), None)
            if bare is not None and item.made.table is None:
                yield Problem("made", f"{titled}write {bare.name} with its table, as table.{bare.name}.", path=f"{at}.made")
    except Refused as refused:
        code = "unknown_name" if refused.code == "not_found" else "invalid"
        yield Problem(code, f"{titled}{refused.message[0].lower()}{refused.message[1:]}", path=f"{at}.made")
    except ValidationError:
        return


def everything_in(evaluator: Evaluator, name: str) -> Objects:
    """All there is in a model."""
    compiled = evaluator.models[name]
    schema, model = compiled.schema, compiled.schema.model
    hierarchies, cubes = (frozenset(item.name for item in items) for items in (model.hierarchies, model.cubes))
    return Objects(frozenset(schema.tables), frozenset(schema.columns), frozenset(compiled.measures), hierarchies, cubes)


def exhibit_problems(evaluator: Evaluator, model: str, exhibit: Exhibit, at: str, objects: Objects) -> Iterator[Problem]:
    """What is wrong with one exhibit built from some objects: names, what its kind needs, reachability, its filter."""
    schema, titled = evaluator.models[model].schema, f"“{exhibit.title}”: "
    own = {item.as_ for item in exhibit.made}
    if exhibit.made:
        yield from _made_problems(evaluator, model, exhibit, at, titled, objects)
    written = [
        *((name, f"{at}.by[{index}]") for index, name in enumerate(exhibit.by) if name not in own),
        *([(exhibit.colour, f"{at}.colour")] if exhibit.colour and exhibit.colour not in own else []),
        *((name, f"{at}.columns[{index}]") for index, name in enumerate(exhibit.columns)),
        *((name.removeprefix("-"), f"{at}.order[{index}]") for index, name in enumerate(exhibit.order) if exhibit.kind == "list"),
    ]
    for name, path in written:
        yield from _unknown_column(objects, name, ".".join(_key(exhibit, name)), path, titled)
    for index, name in enumerate(exhibit.measures):
        if name not in objects.measures and name not in own:
            nearest = nearest_name(name, objects.measures)
            yield Problem("unknown_name", f"{titled}there is no measure {name}.", path=f"{at}.measures[{index}]", nearest=nearest)
    if exhibit.kind == "list":
        if exhibit.table not in objects.tables:
            nearest = nearest_name(exhibit.table or "", objects.tables)
            yield Problem("unknown_name", f"{titled}choose the table whose rows it lists.", path=f"{at}.table", nearest=nearest)
            return
    else:
        yield from _kind_problems(exhibit, at, titled)
    tables = [table for table in exhibit_tables(evaluator, model, exhibit) if table in objects.tables]
    for name, path in written:
        owner = _key(exhibit, name)[0]
        lost = next((table for table in tables if owner in objects.tables and not schema.reaches(table, owner)), None)
        if lost:
            yield Problem("unreachable", f"{titled}{lost} does not reach {owner}.", path=path)
    try:
        exhibit_question(model, exhibit)
    except ValidationError as error:
        for detail in error.errors(include_url=False):
            yield Problem("shape", f"{titled}{detail['msg'][0].lower()}{detail['msg'][1:]}.", path=f"{at}.{'.'.join(str(step) for step in detail['loc'])}")
    if exhibit.where is not None and tables:
        try:
            _filter(evaluator, model, exhibit, objects)
        except ConditionError as error:
            yield error.problem(f"{at}.where")


def _kind_problems(exhibit: Exhibit, at: str, titled: str) -> Iterator[Problem]:
    """What the kind of an exhibit of totals needs and does not have."""
    if not exhibit.measures:
        yield Problem("no_measure", f"{titled}choose at least one measure.", path=f"{at}.measures")
    least = LEAST_COLUMNS[exhibit.kind]
    if len(exhibit.by) < least:
        yield Problem("no_column", f"{titled}choose {'two columns' if least == 2 else 'a column'} to set it out by.", path=f"{at}.by")
    elif exhibit.kind == "two_way" and (exhibit.across or 1) >= len(exhibit.by):
        yield Problem("no_column", f"{titled}leave a column to run down beside those that run across.", path=f"{at}.across")
    for index, name in enumerate(exhibit.order):
        if name.removeprefix("-") not in [*grouped_by(exhibit), *exhibit.measures]:
            yield Problem("unknown_name", f"{titled}it has no {name.removeprefix('-')} to be ordered by.", path=f"{at}.order[{index}]")
    if exhibit.kind == "two_way" and len(set(exhibit.by)) < len(exhibit.by):
        yield Problem("duplicate", f"{titled}a column stands twice in it.", path=f"{at}.by")


def checked_filter(evaluator: Evaluator, model: str, exhibit: Exhibit) -> tree.Node:
    """The filter of an exhibit over all there is. Raises ConditionError where it cannot be used."""
    return _filter(evaluator, model, exhibit, everything_in(evaluator, model))


def _filter(evaluator: Evaluator, model: str, exhibit: Exhibit, objects: Objects) -> tree.Node:
    """The filter as the question has it (4.8)."""
    schema = evaluator.models[model].schema
    table = exhibit.table if exhibit.kind == "list" else None
    return check_condition(exhibit.where or "", filter_scope(schema, table, objects.columns, evaluator.people.definitions))


def _key(exhibit: Exhibit, written: str) -> ColumnKey:
    owner, dot, column = written.partition(".")
    return (owner, column) if dot else (exhibit.table or "", written)


def _unknown_column(objects: Objects, written: str, qualified: str, path: str, titled: str) -> Iterator[Problem]:
    owner, _, column = qualified.partition(".")
    if (owner, column) not in objects.columns:
        nearest = nearest_name(qualified, [f"{table}.{item}" for table, item in objects.columns])
        yield Problem("unknown_name", f"{titled}there is no column {written}.", path=path, nearest=nearest)
