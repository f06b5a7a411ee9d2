"""A policy written into PostgreSQL shows each database user what the evaluator shows them, cell by cell, and never more (channels.md)."""

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psycopg
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from typer.testing import CliRunner

from moorland.cli import app
from moorland.core.bundle.model import Model
from moorland.core.bundle.reading import read_document
from moorland.core.engine.columns import TableData
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.language.dialects import DIALECTS
from moorland.core.sources import files, placing
from moorland.core.sources.engine_postgres import Postgres
from moorland.core.sources.files import to_table_data
from moorland.core.sources.guards.guard_applying import Verified, applied, state_of, verified
from moorland.core.sources.guards.guard_plan import GuardPlan, guard_plan
from moorland.core.sources.tables_in_place import SqlTable
from tests.core.databases import Database, content_of_its_own, running_postgres
from tests.core.oracle.worlds import COLUMNS, World
from tests.core.seeds import SEEDS
from tests.core.worlds import TODAY, arrow_table

CASES = settings(
    max_examples=int(os.environ.get("EXAMPLES", "6")),
    deadline=None,
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)


class Kept:
    """A PostgreSQL server with users of the names of people."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.connection = psycopg.connect(address, autocommit=True, cursor_factory=psycopg.ClientCursor)
        self.database = Database(DIALECTS["postgres"], self.connection)
        self.connection.execute("CREATE ROLE moorland_readers")
        for login in ("ann", "bob"):
            self.connection.execute(f"CREATE ROLE {login} LOGIN IN ROLE moorland_readers")  # type: ignore[arg-type]

    def evaluator(self, document: dict[str, Any], world: World, left: set[str]) -> Evaluator:
        self.database.fill(world)
        content = content_of_its_own()
        engine = Postgres("held", self.address)

        def load(model: Model, name: str) -> TableData:
            shape = next(table for table in model.tables if table.name == name)
            if name in left:
                return TableData(f"{name} in place, {content}", 0, {}, SqlTable(engine, (name,), shape))
            return to_table_data(arrow_table(COLUMNS[name], world.rows(name)), shape)

        return Evaluator(read_document(declared(document, left)), load, TODAY)

    def verified(self, base: Evaluator, plan: GuardPlan) -> Verified:
        return verified(self.connection, plan, base, Postgres("held", self.address))


def declared(document: dict[str, Any], left: set[str]) -> dict[str, Any]:
    (model,) = document["models"]
    tables = [{**table, "in_place": {"source": "held", "relation": [table["name"]]}} if table["name"] in left else table for table in model["tables"]]
    people = [*document["users"], {"login": "bob", "name": "Bob"}]
    sources = [{"name": "held", "kind": "postgres", "host": "localhost", "database": "d"}]
    return {"moorland": 1, "name": "test", **document, "users": people, "sources": sources, "models": [{**model, "tables": tables}]}


@pytest.fixture(scope="module")
def kept() -> Iterator[Kept]:
    with running_postgres() as address:
        found = Kept(address)
        yield found
        found.connection.close()


@CASES
@given(SEEDS)
def test_each_user_is_shown_what_the_evaluator_shows(kept: Kept, seed: int) -> None:
    world = World(seed)
    left = {"job", "site", *world.maker.some(sorted(COLUMNS), 4)}
    base = kept.evaluator(world.document(), world, left)
    plan = guard_plan(base, "farm")
    applied(kept.connection, plan)
    found = kept.verified(base, plan)
    assert (found.viewers, found.more, found.less) == (2, [], [])
    assert state_of(kept.connection, plan)[0] == "current"


def opened(*sentences: dict[str, Any]) -> tuple[World, dict[str, Any]]:
    world = World(3).opened(*sentences)
    world.model = {**world.model, "relationships": [{**step, "carries": "down"} for step in world.model["relationships"]]}
    return world, world.document()


@pytest.mark.parametrize(
    ("sentence", "told"),
    [
        ({"mask": {"column": "site.status", "with": "hash"}}, "masked by a code"),
        ({"beneath": {"tables": ["site"], "rows": True, "only_under": 2}}, "only where few match"),
        ({"members": {"hierarchy": "line", "unlisted": "hidden", "list": []}}, "parent hierarchies"),
    ],
)
def test_what_a_view_cannot_say_is_left_out_closed_and_told(kept: Kept, sentence: dict[str, Any], told: str) -> None:
    world, document = opened(sentence)
    base = kept.evaluator(document, world, set(COLUMNS))
    plan = guard_plan(base, "farm")
    assert any(told in text for text in plan.left_out) and told in plan.sql()
    applied(kept.connection, plan)
    found = kept.verified(base, plan)
    assert found.more == found.less == []


def test_a_guard_is_out_of_date_when_people_change_and_nothing_is_half_applied(kept: Kept) -> None:
    world, document = opened({"rows": {"table": "site", "where": "status IN viewer.words"}})
    base = kept.evaluator(document, world, {"site"})
    applied(kept.connection, guard_plan(base, "farm"))
    (user,) = document["users"]
    moved = {**document, "users": [{**user, "attributes": {"words": ["it's", "b%"]}}]}
    plan = guard_plan(kept.evaluator(moved, world, {"site"}), "farm")
    assert state_of(kept.connection, plan)[0] == "out of date"
    kept.connection.execute("CREATE VIEW public.over AS SELECT * FROM farm_seen.site")
    with pytest.raises(SourceFailed, match=r"public\.over reads from the guard"):
        applied(kept.connection, plan)
    assert state_of(kept.connection, plan)[0] == "out of date"
    kept.connection.execute("DROP VIEW public.over")
    applied(kept.connection, plan)
    assert state_of(kept.connection, plan)[0] == "current"


def test_a_guard_that_was_changed_by_hand_is_found_out(kept: Kept) -> None:
    world, document = opened({"rows": {"table": "site", "where": "id > 0"}})
    base = kept.evaluator(document, world, {"site"})
    plan = guard_plan(base, "farm")
    applied(kept.connection, plan)
    kept.connection.execute("UPDATE farm_seen.moorland_holds SET member = 'bob'")
    found = kept.verified(base, plan)
    assert any(text.startswith("bob in site is shown") for text in found.more)
    assert any(text.startswith("ann in site is not shown") for text in found.less) and not found.agrees


def test_members_read_the_views_and_nothing_beneath(kept: Kept) -> None:
    world, document = opened()
    applied(kept.connection, guard_plan(kept.evaluator(document, world, {"site"}), "farm"))
    kept.connection.execute("SET SESSION AUTHORIZATION ann")
    try:
        assert kept.connection.execute("SELECT count(*) FROM farm_seen.site").fetchone() == (3,)
        for beneath in ("farm_seen.moorland_values", "site"):
            with pytest.raises(psycopg.errors.InsufficientPrivilege):
                kept.connection.execute(f"SELECT * FROM {beneath}")  # type: ignore[arg-type]
    finally:
        kept.connection.execute("RESET SESSION AUTHORIZATION")


def test_a_guard_is_for_tables_of_one_database(kept: Kept) -> None:
    world, document = opened()
    with pytest.raises(Refused, match="stay in none"):
        guard_plan(kept.evaluator(document, world, set()), "farm")


BUNDLE = """
moorland: 1
name: Small
users: [{login: ann, name: Ann}, {login: cyd, name: Cyd}]
sources: [{name: held, kind: postgres, host: localhost, database: d}]
models:
  - name: m
    tables: [{name: yard, columns: [{name: id, type: integer}, {name: area, type: text}], in_place: {source: held, relation: [yard]}}]
roles:
  - {name: r, kind: grant, model: m, sentences: [{rows: {table: yard, where: "area = 'fell'"}}], assigned: [{everyone: true}]}
"""


def test_a_guard_is_planned_applied_and_verified_by_command(kept: Kept, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "bundle.yaml").write_text(BUNDLE)
    for module in (placing, files):
        monkeypatch.setattr(module, "engine_of", lambda *asked: Postgres("held", kept.address))
    kept.connection.execute("CREATE TABLE yard (id BIGINT, area TEXT); INSERT INTO yard VALUES (1, 'fell'), (2, 'marsh')")

    def run(act: str, model: str = "m") -> Any:
        return CliRunner().invoke(app, ["guard", act, model, "--bundle", str(tmp_path)])

    plan = run("plan")
    assert plan.exit_code == 0 and "CREATE VIEW" in plan.output and plan.output.rstrip().endswith("COMMIT;")
    missing = run("verify")
    assert missing.exit_code == 1 and "There is no guard of m" in missing.output
    assert "1 views in the schema m_seen" in run("apply").output
    agreed = run("verify")
    assert agreed.exit_code == 0 and "Every cell is as it should be." in agreed.output and "Not asked" in agreed.output
    kept.connection.execute("CREATE OR REPLACE VIEW m_seen.yard AS SELECT id, area FROM yard")
    wrong = run("verify")
    assert wrong.exit_code == 1 and "ann in yard is shown a row otherwise: id 2.0, area marsh" in wrong.output
    assert run("plan", "nothing").exit_code == 2
