"""SQL as questions: what a statement gives is what the questions give, and nothing beyond (channels.md 13)."""

import os
from pathlib import Path
from typing import Any

import pytest
from hypothesis import Phase, given, settings

from moorland.core.door import above, asking
from moorland.core.door.asking import ask_sql, planned
from moorland.core.door.errors import SqlRefused
from moorland.core.door.parity import parity
from moorland.core.engine.evaluator import Evaluator
from tests.core.oracle.worlds import COLUMNS, MEASURES, World
from tests.core.seeds import SEEDS
from tests.core.test_against_oracle import ordered
from tests.core.worlds import ask, farm, rows_role

FEW = settings(max_examples=int(os.environ.get("EXAMPLES", "8")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
CASES = settings(max_examples=int(os.environ.get("EXAMPLES", "28")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
CUBE = {
    "cubes": [{"name": "output", "facts": ["run"], "dimensions": [{"table": "site", "hierarchies": ["place"]}], "measures": ["energy"]}],
    "hierarchies": [{"name": "place", "table": "site", "levels": ["area", "id"]}],
}
FELL = rows_role("fell", "site", "area = 'fell'")


def sql(base: Evaluator, text: str, *parameters: Any, login: str = "ann") -> list[tuple[Any, ...]]:
    return ask_sql(base, base.viewer(login), text, parameters).rows


def refused(base: Evaluator, text: str, *parameters: Any) -> SqlRefused:
    with pytest.raises(SqlRefused) as caught:
        ask_sql(base, base.viewer("ann"), text, parameters)
    return caught.value


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        # 13.2: names, stars, folding
        ("select * from site", [(1, "fell", "open", 10.0), (2, "fell", "closed", 20.0)]),
        ("SELECT Id FROM Farm.SITE AS s WHERE s.id = 1", [(1,)]),
        ('select "site.area", kwh from run where kwh > 100 order by 2', [("fell", 200.0), ("fell", 400.0)]),
        ("select site.area from run limit 1", [("fell",)]),
        ("table site limit 1", [(1, "fell", "open", 10.0)]),
        # 13.3: rows
        ("select id from site where status = 'open' order by id desc", [(1,)]),
        ("select upper(area) || '!' as a, rent * 2 from site order by rent desc limit 1", [("FELL!", 40.0)]),
        ("select id from site order by rent desc offset 1", [(1,)]),
        ("select id from site order by rent desc fetch first 1 row only", [(2,)]),
        ("select kwh from run where day >= '2026-01-02'", [(200.0,)]),
        ("select kwh from run where day = date '2026-01-01' + interval '1 day'", [(200.0,)]),
        ("select id from site where area in ('fell', 'marsh') and not (status is null) and rent between 5 and 15", [(1,)]),
        ("select id from site where area like 'f%' and rent::int = 20", [(2,)]),
        ("select x.id from (select * from site where rent > 5) x where x.area = 'fell' order by 1", [(1,), (2,)]),
        # 13.3: totals
        ("select area, count(*), sum(rent) from site group by area", [("fell", 2, 30.0)]),
        ("select count(*) from site where area = 'marsh'", [(0,)]),
        ("select sum(rent) from site where area = 'marsh'", [(None,)]),
        ("select energy from run", [(700.0,)]),
        ("select sum(energy), sum(runs) from run", [(700.0, 3)]),
        ('select "site.area" a, energy / nullif(runs, 0) mean from run group by 1', [("fell", 700.0 / 3)]),
        ("select sum(kwh) filter (where secret_kwh > 1), count(distinct mill_id), avg(kwh) from run", [(600.0, 2, 700.0 / 3)]),
        ("select case when kwh > 150 then 'much' else 'little' end as how, count(*) from run group by how order by how", [("little", 1), ("much", 2)]),
        ("select extract(month from day) m, energy from run group by m", [(1, 700.0)]),
        ("select distinct area from site", [("fell",)]),
        ("select area from site group by area having count(*) > 5", []),
        ("select max(rent) - min(rent) from site having count(*) > 1", [(10.0,)]),
        ("select sum(x.kwh) from (select * from run where kwh > 100) x", [(600.0,)]),
        ("select s.area, sum(r.kwh) from run r join mill m on r.mill_id = m.id join site s on s.id = m.site_id group by 1", [("fell", 700.0)]),
        ("select count(*) from run r left join mill m on r.mill_id = m.id", [(3,)]),
        ('select "site.area", energy from output group by 1', [("fell", 700.0)]),
        # 13.4: above
        ("with t as (select area, rent from site) select area, count(*) n from t group by area", [("fell", 2)]),
        ("select sum(k) from (select mill_id, energy k from run group by 1) t", [(700.0,)]),
        ("select mill_id, energy, sum(energy) over () from run group by 1 order by 2", [(10, 300.0, 700.0), (11, 400.0, 700.0)]),
        ("select row_number() over (order by kwh desc) n, kwh from run order by n", [(1, 400.0), (2, 200.0), (3, 100.0)]),
        ("select id from site union select id from mill order by 1", [(1,), (2,), (10,), (11,)]),
        ("select (select count(*) from site) n", [(2,)]),
        ("select count(*) from (select energy from run) t", [(1,)]),
        ("select count(*) from (select mill_id from run) t", [(3,)]),
        ("select distinct count(*) from site group by status", [(1,)]),
        ("select distinct status from site order by status", [("closed",), ("open",)]),
        ("select 1/0, 1.0/0", [(None, None)]),
        ("select sum(n) from (select area, count(*) n from site group by 1) t", [(2,)]),
        (
            "select upper(t), date_part('month', d), lpad(t, 6, '.') from (select \"site.area\" as t, day as d from run join mill on run.mill_id = mill.id limit 0) q",
            [],
        ),
        ("select status, count(*) from site group by 1 order by status desc nulls first", [("open", 1), ("closed", 1)]),
        ("select id from site where area = $1 and id = $2", [(2,)]),
        ("select $1", [("fell",)]),
    ],
)
def test_a_statement_gives_what_the_questions_it_asks_give(text: str, rows: list[tuple[Any, ...]]) -> None:
    assert sql(farm(FELL, model=CUBE), text, "fell", 2) == rows


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("select nothing from site", "42703"),
        ("select id from nowhere", "42P01"),
        ("select s.id from site", "42703"),
        ("select id from site, mill", "0A000"),
        ("select avg(energy) from run", "0A000"),
        ("select area, rent from site group by area", "42803"),
        ("select id from site where rent in (select rent from site)", "0A000"),
        ("select (select 1), id from site", "0A000"),
        ("select * from site s join run r on r.kwh = s.rent", "0A000"),
        ("select * from site s left join mill m on m.site_id = s.id", "0A000"),
        ("select area from site group by rollup(area)", "0A000"),
        ("select distinct on (area) id from site", "0A000"),
        ('select "site.area" from output', "42803"),
        ("select id from site where energy > 1", "42703"),
        ("select sum(area) from site", "42601"),
        ("select id from site where id = 'x'", "22P02"),
        ("select kwh from run where day = 'never'", "22007"),
        ("select $9", "08P01"),
        ("selec", "0A000"),
        ("select from where", "42601"),
        ("", "42601"),
        ("select 1; select 2", "42601"),
        ("insert into site values (1)", "25006"),
        ("with x as (delete from site returning *) select * from x", "25006"),
        ("copy site to '/tmp/x'", "25006"),
        ("create table x as select * from site", "25006"),
        ("with recursive t as (select 1 union all select * from t) select * from t", "0A000"),
        ("select * from read_csv('/etc/passwd')", "42883"),
        ("select * from '/etc/passwd'", "42P01"),
        ("select * from duckdb_settings()", "42883"),
        ("select * from information_schema.tables", "42P01"),
        ("select getenv('HOME')", "42883"),
        ("select current_setting('memory_limit')", "42883"),
        ("select list_transform([1], x -> x)", "42883"),
        ("select query('select 1')", "42883"),
        ("set memory_limit = '9GB'", "0A000"),
        ("pragma database_list", "0A000"),
        ("attach 'x' as y", "42601"),
        ("install httpfs", "0A000"),
        ("select " + "(" * 200 + "1" + ")" * 200, "54001"),
        ("select count(*) from " + ", ".join(f"(select id from site) t{place}" for place in range(25)), "54000"),
    ],
)
def test_what_is_no_question_is_refused_by_the_standards_code(text: str, code: str) -> None:
    assert refused(farm(FELL, model=CUBE), text).code == code


@pytest.mark.parametrize(
    "wrap",
    [
        "select {} from run",
        "select sum({}) from run",
        "select id from site where {} = 1",
        "select r.{} from run r",
        "select 1 from farm.{}",
        "select * from run order by {}",
    ],
)
def test_what_is_hidden_answers_exactly_as_what_never_was(wrap: str) -> None:
    base = farm({"name": "r", "sentences": [{"objects": {"hide": ["column:run.secret_kwh", "table:mill"]}}]})
    for hidden, unknown in (("secret_kwh", "secret_kwx"), ("secret", "secrex"), ("mill", "milx")):
        first, second = refused(base, wrap.format(hidden)), refused(base, wrap.format(unknown))
        assert (first.code, first.message.replace(hidden, "…"), first.hint, first.position) == (
            second.code,
            second.message.replace(unknown, "…"),
            second.hint,
            second.position,
        )


def test_a_capped_list_says_so_and_nothing_is_computed_over_it() -> None:
    base = farm({"name": "r", "sentences": [{"beneath": {"tables": ["site"], "limit": 2}}]})
    listed = ask_sql(base, base.viewer("ann"), "select id, rent + 1 from site order by id")
    assert (len(listed.rows), listed.notices) == (2, ["2 of 5 rows: this is what your roles list"])
    assert ask_sql(base, base.viewer("ann"), "select id from site order by id limit 2").notices == []
    for text in (
        "select sum(r) from (select rent + 0 as r from site) t",
        "select row_number() over () from site",
        "select id from site union select 1",
        "select * from (select id, 1 as one from site) t where id > 1",
        "select id from site order by rent + 0",
    ):
        assert refused(base, text).code == "54000", text
    assert sql(base, "select count(*), sum(rent) from site") == [(5, 150.0)]


def test_masked_cells_come_as_they_are_shown_and_a_hashed_number_is_text() -> None:
    masks = [{"mask": {"column": "site.rent", "with": "hash"}}, {"mask": {"column": "site.area", "with": {"keep": {"first": 1, "fill": "*"}}}}]
    base = farm({"name": "r", "sentences": masks})
    found = ask_sql(base, base.viewer("ann"), "select area, rent from site where id = 1")
    assert (found.types, found.rows[0][0]) == (["text", "text"], "f***")
    assert sql(base, "select id from site where area = 'fell'") == []
    assert sql(base, "select sum(rent) from site") == [(None,)]


def test_an_aggregate_of_the_statement_cannot_single_out_what_a_written_measure_may_count() -> None:
    full = {"name": "f", "sentences": [{"mask": {"column": "site.rent", "with": "withhold", "in_totals": {"full": {"at_least": 3}}}}]}
    base = farm(full)
    assert sql(base, "select rent_measure from site") == [(150.0,)]
    assert sql(base, "select sum(case when id = 3 then rent end) from site") == [(None,)]


def test_a_join_reads_both_keys() -> None:
    base = farm({"name": "r", "sentences": [{"objects": {"hide": ["column:mill.id"]}}]})
    assert refused(base, "select count(*) from run r join mill m on r.mill_id = m.id").code == "42703"
    assert sql(farm({"name": "r"}), "select count(*) from run r join mill m on r.mill_id = m.id") == [(6,)]
    assert sql(farm({"name": "r"}), "select count(*) from run r left join mill m on r.mill_id = m.id") == [(7,)]


def test_a_measure_that_is_always_blank_is_a_column_of_text() -> None:
    blank = {"name": "blank", "table": "run", "expression": "MIN(NULL)"}
    assert sql(farm({"name": "r"}, model={"measures": [blank]}), "select blank, count(*) from run") == [(None, 7)]


def test_parameters_are_bound_and_never_pasted() -> None:
    assert sql(farm(FELL), "select count(*) from site where area = $1", "x' or 'a' = 'a") == [(0,)]
    assert sql(farm(FELL), "select $1 || area from site limit 1", "'; drop --") == [("'; drop --fell",)]


@CASES
@given(SEEDS)
def test_generated_totals_are_those_of_the_same_question(seed: int) -> None:
    world = World(seed)
    core, maker = world.core(), world.maker
    names = [name for name, (table, _) in MEASURES.items() if table == "job"]
    chosen = maker.random.sample(names, 2)
    by = maker.random.sample([name for name, _ in maker.columns("job")], maker.random.randint(0, 2))
    columns = [f'"{name}"' if not name.startswith("job.") else name.removeprefix("job.") for name in by]
    own = {name for name, _ in COLUMNS["job"].items()}
    written = [f"{name}_measure" if name in own else name for name in chosen]
    text = f"select {', '.join([*columns, *written])} from job {f'group by {chr(44).join(columns)}' if columns else ''}"
    answer = ask(core, "totals", by=by, measures=chosen)
    if "error" in answer or answer["not_found"]:
        with pytest.raises(SqlRefused):
            ask_sql(core, core.viewer("ann"), text)
        return
    expected = [[*line["key"], *line["values"]] for line in answer["lines"]] if by else [answer["total"]]
    found = [[str(part) if hasattr(part, "isoformat") else part for part in row] for row in sql(core, text)]
    assert ordered([_keys_as_text(row, len(by)) for row in found]) == ordered([_keys_as_text(row, len(by)) for row in expected])


def _keys_as_text(row: list[Any], keys: int) -> list[Any]:
    """A line whose keys are texts: a column that is a code in some rows is text in SQL, and has numbers and texts in an answer."""
    return [None if part is None else str(part) for part in row[:keys]] + row[keys:]


@CASES
@given(SEEDS)
def test_generated_rows_are_those_of_the_same_question(seed: int) -> None:
    world = World(seed)
    core, maker = world.core(), world.maker
    columns = [name for name, _ in maker.columns("job")]
    chosen = maker.random.sample(columns, 3)
    text = f"""select {", ".join(f'"{name}"' if not name.startswith("job.") else name.removeprefix("job.") for name in chosen)} from job"""
    answer = ask(core, "rows", table="job", columns=chosen)
    if "error" in answer:
        with pytest.raises(SqlRefused):
            ask_sql(core, core.viewer("ann"), text)
        return
    hashed = {item.name: item.type for item in planned(core, core.viewer("ann"), text).bases[0].columns}
    found = [[str(part) if hasattr(part, "isoformat") else part for part in row] for row in sql(core, text)]
    expected = [[str(part) if part is not None and kind == "text" else part for part, kind in zip(row, hashed.values(), strict=True)] for row in answer["rows"]]
    assert found == expected


@pytest.mark.parametrize(
    "text",
    [
        "select count(*) from (select id from site) a cross join (select id from site) b",
        "select " + "+".join(["1"] * 60_000),
        "select " + "not " * 20_000 + "true",
        " union all ".join(["select 1"] * 8_000),
        "select lpad('x', 2000000000, 'y')",
    ],
)
def test_what_costs_too_much_is_refused_and_leaves_nothing_behind(text: str) -> None:
    base = farm({"name": "r"})
    try:
        sql(base, text)
    except SqlRefused as caught:
        assert caught.code in ("54001", "42601", "53200", "54000", "57014")
    assert sql(base, "select count(*) from site") == [(5,)]


def test_a_join_of_everything_with_everything_ends(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(above, "SECONDS", 1.0)
    base = farm({"name": "r"})
    many = ", ".join(f"(select id from site) t{place}" for place in range(19))
    assert refused(base, f"select count(*) from {many}").code in ("57014", "53200")
    assert refused(base, f"select t0.id from {many}").code in ("57014", "53200", "54000")


def test_the_page_lists_every_function_that_may_be_used_above() -> None:
    page = (Path(__file__).parents[2] / "docs" / "channels.md").read_text("utf-8")
    spoken = {
        "PAD": "LPAD RPAD",
        "LOGICAL_AND": "BOOL_AND",
        "LOGICAL_OR": "BOOL_OR",
        "STDDEVPOP": "STDDEV_POP",
        "STR_POSITION": "POSITION",
        "TIMESTAMP_TRUNC": "DATE_TRUNC",
        "VARIANCE_POP": "VAR_POP",
        "VARIANCE": "VARIANCE",
    }
    names = {name: spoken.get(name, name) for name in [function.sql_name() for function in above.FUNCTIONS] + [name.upper() for name in above._NAMED]}
    assert [name for name, written in names.items() if written not in page] == []


@FEW
@given(SEEDS)
def test_generated_worlds_answer_the_same_alone_together_and_in_sql(seed: int) -> None:
    core = World(seed).core()
    assert parity(core, core.everyone()).differences == []


def test_a_way_that_answers_otherwise_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    base = farm(FELL)
    assert min(parity(base, base.everyone()).questions.values()) > 5
    monkeypatch.setattr(asking, "table_of", lambda base_, answer: above.table_of(base_, answer).slice(1))
    found = parity(base, base.everyone()).differences
    assert {item.way for item in found} == {"sql"}
    assert found[0].question.startswith('SELECT "id"')
