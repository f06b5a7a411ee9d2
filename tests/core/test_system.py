"""The catalogues clients read hold what exists for the viewer, and statements about them reach nothing else (channels.md 13.2, 13.7)."""

import re

import pytest

from moorland.core.door.catalogue import catalogue_of
from moorland.core.door.errors import SqlRefused
from moorland.core.door.system import Session, SystemCatalogue, read_system
from moorland.core.door.system_tables import INFORMATION, SYSTEM
from moorland.core.engine.evaluator import Evaluator
from tests.core.worlds import farm, rows_role

HIDING = {"name": "hiding", "kind": "limit", "sentences": [{"objects": {"hide": ["column:site.rent", "table:mill"]}}]}


def catalogues(base: Evaluator) -> SystemCatalogue:
    return SystemCatalogue(catalogue_of(base, base.viewer("ann")), "ann", {"server_version": "15.0"})


def told(system: SystemCatalogue, text: str, *parameters: object) -> list[tuple[object, ...]]:
    statement = read_system(text)
    assert statement is not None
    table = system.ask(statement, Session("ann", {"server_version": "15.0"}, 7), dict(enumerate(parameters, start=1)))
    return [tuple(row.values()) for row in table.to_pylist()]


@pytest.fixture(scope="module")
def hidden() -> SystemCatalogue:
    """The catalogues of somebody for whom a column and a table do not exist."""
    return catalogues(farm(rows_role("all", "site", "TRUE"), HIDING))


@pytest.mark.parametrize("place", [*(f"pg_catalog.{name}" for name in SYSTEM), *(f"information_schema.{name}" for name in INFORMATION)])
def test_no_catalogue_holds_a_name_that_does_not_exist_for_the_viewer(hidden: SystemCatalogue, place: str) -> None:
    written = repr(told(hidden, f"select * from {place}"))
    assert re.search(r"'mill['._]p?k|'mill'|'rent|\"mill", written.replace("mill_id", "")) is None


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("select table_name from information_schema.tables order by 1", [("run",), ("site",)]),
        (
            "select column_name, data_type, is_nullable from information_schema.columns where table_name = 'site' order by ordinal_position",
            [("id", "bigint", "NO"), ("area", "text", "YES"), ("status", "text", "YES")],
        ),
        (
            "select a.attname, format_type(a.atttypid, a.atttypmod) from pg_attribute a where a.attrelid = 'farm.site'::regclass and a.attnum > 0 order by a.attnum limit 2",
            [("id", "bigint"), ("area", "text")],
        ),
        ("select c.oid::regclass::text from pg_class c where c.relname = 'site'", [("site",)]),
        ("select conname, pg_get_constraintdef(oid) from pg_constraint where contype = 'p'", [("site_pkey", "PRIMARY KEY (id)")]),
        ("select nspname from pg_namespace where nspname !~ '^pg_' and nspname <> 'information_schema'", [("farm",)]),
        ("select count(*) from pg_class where relname = 'mill'", [(0,)]),
        ("select relname from pg_class where relkind = any(array['r', 'v']) order by 1", [("run",), ("site",)]),
        ("select to_regclass('farm.mill') is null, has_table_privilege('farm.site', 'select')", [(True, True)]),
        (
            "select current_user, current_database(), version() like 'PostgreSQL 15%', pg_backend_pid(), current_setting('server_version')",
            [("ann", "moorland", True, 7, "15.0")],
        ),
        ("select relname from pg_class where oid in (select indexrelid from pg_index where indisprimary)", [("site_pkey",)]),
        ("with c as (select relname from pg_class where relkind = 'r') select count(*) from c", [(2,)]),
        ("select 1 + 1 as a, 'a' || 'b' as b, null as c, coalesce(null, 'x') as d", [(2, "ab", None, "x")]),
        ("select array_to_string(array(select rolname from pg_roles), ', '), current_schemas(false)", [("ann", ["farm"])]),
        ("select typname from pg_type where oid = $1", [("int8",)]),
    ],
)
def test_catalogues_answer_what_clients_ask(hidden: SystemCatalogue, text: str, rows: list[tuple[object, ...]]) -> None:
    assert told(hidden, text, 20) == rows


@pytest.mark.parametrize(
    "text",
    [
        "select * from duckdb_tables()",
        "select * from read_text('/etc/passwd')",
        "select * from pg_catalog.pg_authid",
        "select * from information_schema.nothing",
        "select getenv('HOME')",
        "select read_blob('/etc/passwd')",
        "select query('select 1')",
        "select list_transform([1], x -> x)",
        "select * from s.pg_class",
        "select * from pg_class, duckdb_settings() d",
        "select * from glob('/*')",
        "select current_setting('memory_limit')",
        "select _version()",
        "select sniff_csv('/etc/passwd')",
        "select pg_read_file('/etc/passwd')",
        "select * from (select * from moorland_definitions) x, pg_class",
    ],
)
def test_statements_about_catalogues_reach_nothing_else(hidden: SystemCatalogue, text: str) -> None:
    with pytest.raises(SqlRefused):
        statement = read_system(text)
        assert statement is None or told(hidden, text) is None
        raise SqlRefused("42P01", "asked as a statement about relations")


def test_relations_and_catalogues_are_not_asked_in_one_statement() -> None:
    for name in ("site", "never_was"):
        with pytest.raises(SqlRefused) as refused:
            read_system(f"select * from pg_class, {name}")
        assert refused.value.message == "Catalogues and relations are not asked in one statement."
