"""Tables whose source depends on who asks: each viewer has one content, never another's, and none where it is not chosen (sources.md 17.2)."""

import copy
import itertools
import os
import re
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings

from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.promises import Promise
from moorland.core.bundle.reading import read_document
from moorland.core.door.parity import parity
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question, Refused
from moorland.core.insight.bridge import BridgeQuestion, bridge
from moorland.core.insight.effect import AlignedQuestion, aligned_rows, share
from moorland.core.insight.findings.noticing import notice
from moorland.core.insight.impact import impact
from moorland.core.insight.promises import run_promise
from moorland.core.insight.reach import reach
from moorland.core.insight.trace import Traced, trace
from moorland.core.insight.who import WhoQuestion, who
from moorland.core.language.dialects import DIALECTS
from moorland.core.sources.files import bundle_loader
from tests.core.databases import Database
from tests.core.oracle.worlds import COLUMNS, World
from tests.core.seeds import SEEDS
from tests.core.test_against_oracle import plain
from tests.core.worlds import TODAY, ask

CASES = settings(
    max_examples=int(os.environ.get("EXAMPLES", "3")),
    deadline=None,
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
WORLDS = itertools.count()
PLACE = {"name": "place", "type": "text", "allowed": ["north", "south"]}
TOTALS = {"by": ["site.status"], "measures": ["jobs", "cost", "sizes"]}


def written(folder: Path, world: World, place: str) -> None:
    """The world's rows as the file of a place."""
    with closing(sqlite3.connect(folder / f"farm_{place}.sqlite")) as made:
        Database(DIALECTS["sqlite"], made).fill(world)
        made.commit()


def with_fewer_jobs(world: World) -> World:
    """The same people and roles over other rows."""
    other = copy.copy(world)
    other.data = {**world.data, "job": world.data["job"][1:], "site": world.data["site"][:1]}
    return other


def document(world: World, file: str, people: dict[str, str | None], left: set[str]) -> dict[str, Any]:
    """The world with some tables in files, and people who all hold what its viewer holds, each at a place."""
    found = world.document()
    (viewer,) = found["users"]
    users = [{**viewer, "login": login, "email": f"{login}@x.example", "attributes": _at(viewer, place)} for login, place in people.items()]
    groups = [{**group, "users": list(people) if group.get("users") else []} for group in found.get("groups", [])]
    roles = [{**role, "assigned": [{"user": login} for login in people]} for role in found["roles"]]
    (model,) = found["models"]
    tables = [{**table, "in_place": {"source": "held", "relation": [table["name"]]}} if table["name"] in left else table for table in model["tables"]]
    more = {"users": users, "groups": groups, "roles": roles, "models": [{**model, "tables": tables}], "attributes": [*found.get("attributes", []), PLACE]}
    return {"moorland": 1, "name": "test", **found, **more, "sources": [{"name": "held", "kind": "sqlite", "file": file}]}


def _at(viewer: dict[str, Any], place: str | None) -> dict[str, Any]:
    return {**viewer.get("attributes", {}), **({"place": place} if place is not None else {})}


def evaluator(folder: Path, world: World, found: dict[str, Any], left: set[str]) -> Evaluator:
    bundle = read_document(found)
    inner = bundle_loader(bundle, folder)
    here = world.core()
    inner._load = here._load  # type: ignore[attr-defined, assignment]
    return Evaluator(bundle, inner, TODAY)


def answers(base: Evaluator, login: str) -> list[Any]:
    """What somebody is answered, by every kind of question and of explanation."""
    viewer = base.viewer(login)
    columns = [f"site.{name}" for name in COLUMNS["site"]]
    found: list[Any] = [ask(base, "totals", login, **TOTALS), ask(base, "rows", login, table="site", columns=columns), ask(base, "objects", login)]
    found.append(ask(base, "members", login, hierarchy="geography"))
    line = BridgeQuestion.model_validate({"model": "farm", "measure": "jobs", "by": ["site.status"], "key": []})
    side = AlignedQuestion(model="farm", table="site")
    for told, asked in (
        (bridge, (base, viewer, line)),
        (share, (base, viewer, "farm")),
        (aligned_rows, (base, side, [viewer])),
        (trace, (base, login, Traced(model="farm", object="measure:jobs", figure=True))),
        (run_promise, (base, Promise.model_validate({"name": "p", "viewer": login, "must": {"total": {"model": "farm", "measure": "jobs", "equals": 2}}}))),
    ):
        try:
            found.append(told(*asked).model_dump())  # type: ignore[operator]
        except (BundleError, Refused) as refused:
            found.append(str(refused))
    return [plain(item) for item in found]


@CASES
@given(SEEDS)
def test_each_viewer_has_the_answers_of_their_own_content(tmp_path: Path, seed: int) -> None:
    folder = tmp_path / str(next(WORLDS))
    folder.mkdir()
    north, left = World(seed), {"job", "site"}
    south = with_fewer_jobs(north)
    written(folder, north, "north")
    written(folder, south, "south")
    people: dict[str, str | None] = {"ann": "north", "bob": "south", "cyd": "north"}
    base = evaluator(folder, north, document(north, "farm_{viewer.place}.sqlite", people, left), left)
    alone = {place: evaluator(folder, north, document(north, f"farm_{place}.sqlite", people, left), left) for place in ("north", "south")}
    for login, place in people.items():
        assert answers(base, login) == answers(alone[str(place)], login)
    classes = {login: item for item in reach(base).classes for login in item.logins}
    for login, place in people.items():
        theirs = next(item for item in reach(alone[str(place)]).classes if login in item.logins)
        mine = classes[login]
        assert (mine.rows, mine.states, mine.counted, mine.pages) == (theirs.rows, theirs.states, theirs.counted, theirs.pages)
    assert classes["ann"] is classes["cyd"] and classes["ann"] is not classes["bob"]
    asked = WhoQuestion(model="farm", measure="jobs")
    reached = {person.login: person for person in who(base, asked).people}
    for login, place in people.items():
        theirs_too = {person.login: person for person in who(alone[str(place)], asked).people}.get(login)
        assert (login in reached) == (theirs_too is not None)
        if theirs_too is not None:
            assert (reached[login].rows, reached[login].listed) == (theirs_too.rows, theirs_too.listed)
    roles = [role.model_copy(update={"sentences": role.sentences[1:]}) for role in base.bundle.roles]
    changed = {item.login: item for item in impact(base, base.on(base.bundle.model_copy(update={"roles": roles})), people, [("farm", "jobs")])}
    for login, place in people.items():
        one = alone[str(place)]
        told = list(impact(one, one.on(one.bundle.model_copy(update={"roles": roles})), [login], [("farm", "jobs")]))
        assert [changed[login]] if login in changed else told == []
    notice(base)
    assert parity(base, [base.viewer(login) for login in people]).differences == []


def reads_areas(sentence: dict[str, Any]) -> bool:
    """Whether a sentence reads the table of areas: by name, by what is derived from it, or by levels."""
    text = str({**sentence, **{key: {**part, "column": "", "table": ""} for key, part in sentence.items()}})
    return bool(re.search(r"area[.]|\barea\b|area_size|dearer|\bplace\b", text))


def never(table: str, where: str = "") -> dict[str, Any]:
    """A sentence that is true nowhere; it reads what was written, so that it keeps the same tables from being seen."""
    column = "who" if table == "scope" else "site_id" if table == "job" else "id"
    return {"rows": {"table": table, "where": f"{f'({where}) AND ' if where else ''}{column} IS NULL AND {column} IS NOT NULL"}}


def decided_closed(sentence: dict[str, Any], levels: list[str]) -> dict[str, Any]:
    """A sentence as it is meant where areas have no rows."""
    ((kind, part),) = sentence.items()
    if kind == "members" and part["hierarchy"] == "geography" and "area_size" in levels:
        return never("site")
    if kind == "rows" and reads_areas(sentence):
        return never(part["table"], part["where"])
    if kind == "mask" and reads_areas(sentence):
        column = part["column"]
        return {"mask": {"column": column, "with": "withhold", "when": f"({part['when']}) OR {column} IS NULL OR {column} IS NOT NULL"}}
    return sentence


@CASES
@given(SEEDS)
def test_what_reads_a_table_that_is_not_chosen_is_decided_closed(tmp_path: Path, seed: int) -> None:
    folder = tmp_path / str(next(WORLDS))
    folder.mkdir()
    world = World(seed)
    written(folder, world, "north")
    found = document(world, "farm_{viewer.place}.sqlite", {"ann": None, "bob": "north"}, {"area"})
    base = evaluator(folder, world, found, {"area"})
    (model,) = found["models"]
    closed = copy.copy(world)
    closed.data = {**world.data, "area": []}
    levels = model["hierarchies"][0]["levels"]
    roles = [{**role, "sentences": [decided_closed(sentence, levels) for sentence in role["sentences"]]} for role in found["roles"]]
    tables = [
        {**table, "base_filter": never(table["name"])["rows"]["where"]} if reads_areas({"f": {"where": table.get("base_filter", "")}}) else table
        for table in model["tables"]
    ]
    plain_tables = [{key: part for key, part in table.items() if key != "in_place"} for table in tables]
    expected = closed.evaluator_of({**found, "sources": [], "roles": roles, "models": [{**model, "tables": plain_tables}]})
    assert ask(base, "rows", table="area", columns=["area.id"]).get("rows", []) == []
    for question in (TOTALS, {**TOTALS, "by": ["crew.trade", "site.area_id"]}):
        assert plain(ask(base, "totals", **question)) == plain(ask(expected, "totals", **question))
    for table in ("site", "job"):
        asked = {"table": table, "columns": [f"{table}.{name}" for name in COLUMNS[table]]}
        mine, theirs = (plain(ask(on, "rows", **asked)) for on in (base, expected))
        assert sorted(map(str, mine.get("rows", [mine]))) == sorted(map(str, theirs.get("rows", [theirs])))
    mine, theirs = (next(item for item in reach(on).classes if "ann" in item.logins) for on in (base, expected))
    assert mine.rows == theirs.rows and mine.counted == theirs.counted


@pytest.mark.parametrize(
    "sentence",
    [
        {"rows": {"table": "site", "where": "area.name IS NULL"}},
        {"rows": {"table": "site", "where": "NOT id IN (SELECT rank FROM area)"}},
        {"rows": {"table": "site", "where": "place IS NULL OR NOT place IS NULL"}},
        {"rows": {"table": "site", "where": "area_size IS NULL"}},
        {"rows": {"table": "job", "where": "area.rank IS NULL"}},
    ],
)
def test_no_rows_of_a_table_are_never_taken_for_an_answer(tmp_path: Path, sentence: dict[str, Any]) -> None:
    world = World(3).opened(sentence)
    world.model = {**world.model, "relationships": [{**step, "carries": "down"} for step in world.model["relationships"]]}
    written(tmp_path, world, "north")
    base = evaluator(tmp_path, world, document(world, "farm_{viewer.place}.sqlite", {"ann": None}, {"area"}), {"area"})
    emptied = copy.copy(world)
    emptied.data = {**world.data, "area": []}
    table = sentence["rows"]["table"]
    asked = {"table": table, "columns": [f"{table}.{name}" for name in COLUMNS[table]]}
    assert ask(emptied.core(), "rows", **asked)["visible"] > 0
    assert ask(base, "rows", **asked)["visible"] == 0
    limited = {"name": "r1", "kind": "limit", "model": "farm", "sentences": [sentence]}
    world.roles = [{"name": "r0", "kind": "grant", "model": "farm", "sentences": []}, limited]
    base = evaluator(tmp_path, world, document(world, "farm_{viewer.place}.sqlite", {"ann": None}, {"area"}), {"area"})
    assert ask(base, "rows", **asked)["visible"] == 0


def test_a_source_that_is_away_is_away_for_those_who_read_it(tmp_path: Path) -> None:
    world = World(3).opened()
    written(tmp_path, world, "north")
    people: dict[str, str | None] = {"ann": "north", "bob": "south"}
    base = evaluator(tmp_path, world, document(world, "farm_{viewer.place}.sqlite", people, {"job"}), {"job"})
    assert "total" in ask(base, "totals", "ann", measures=["jobs"])
    assert ask(base, "totals", "bob", measures=["jobs"])["error"]["code"] == "not_available"


def test_all_data_is_nobodys_where_it_depends_on_who_asks(tmp_path: Path) -> None:
    world = World(3).opened()
    written(tmp_path, world, "north")
    base = evaluator(tmp_path, world, document(world, "farm_{viewer.place}.sqlite", {"ann": None}, {"job"}), {"job"})
    asked = Question.model_validate({"totals": {"model": "farm", "measures": ["jobs"]}})
    assert "chosen by viewer.place" in base.answer(base.all_data(), asked).model_dump()["error"]["message"]
    told = trace(base, "ann", Traced(model="farm", table="job", row=0))
    assert told.outcome == "cannot" and "viewer.place, which is not set" in told.layers[-1].message


@pytest.mark.parametrize(
    ("file", "attribute", "message"),
    [
        ("a_{viewer.place}.sqlite", {**PLACE, "multiple": True}, "one value"),
        ("a_{viewer.place}.sqlite", {**PLACE, "editable_by": "person"}, "only administrators"),
        ("a_{viewer.place}.sqlite", {"name": "place", "type": "text"}, "from a list"),
        ("a_{viewer.place}.sqlite", {**PLACE, "allowed": ["../north"]}, "cannot stand in a setting"),
        ("a_{viewer.plaice}.sqlite", PLACE, "there is no attribute plaice"),
        ("a_{place}.sqlite", PLACE, "braces may only hold"),
        ("a_{viewer.place", PLACE, "braces may only hold"),
    ],
)
def test_only_attributes_that_are_safe_choose_a_source(file: str, attribute: dict[str, Any], message: str) -> None:
    found = document(World(3), file, {"ann": None}, {"job"})
    with pytest.raises(BundleError, match=re.escape(message)):
        read_document({**found, "attributes": [item for item in found["attributes"] if item["name"] != "place"] + [attribute]})
