"""Statements by hand, clause by clause: each gives what a general-purpose engine gives over the rows the viewer sees (channels.md 13.3, 13.4, 13.6)."""

import datetime
from decimal import Decimal
from typing import Any

import duckdb
import pytest

from moorland.core.door.asking import ask_sql
from moorland.core.engine.evaluator import Evaluator
from tests.core.worlds import FARM, farm, rows_role

WHERE = [
    "id = 1", "id <> 1", "id < 3", "id <= 3", "id > 3", "id >= 3", "rent = 20", "rent * 2 = 40", "rent / 2 > 10", "rent + id > 24", "rent - id < 20", "-id < -2",
    "area = 'fell'", "area <> 'fell'", "area = 'fell' and status = 'open'", "area = 'fell' or status = 'open'", "not area = 'fell'", "not (area = 'fell' or id = 3)",
    "area is null", "area is not null", "status is null or area is null", "id in (1, 3, 9)", "id not in (1, 3)", "area in ('fell', 'none')", "rent between 15 and 35",
    "rent not between 15 and 35", "area like 'f%'", "area like '%rs%'", "area not like 'f%'", "area like '_ell'", "upper(area) = 'FELL'", "lower(area) = 'marsh'",
    "coalesce(area, 'none') = 'none'", "coalesce(status, area) = 'open'", "case when rent > 25 then 1 else 0 end = 1", "case area when 'fell' then id else 0 end = 2",
    "nullif(area, 'fell') is null", "cast(rent as integer) = 30", "abs(rent - 30) <= 10", "round(rent / 3) = 7", "(id = 1) or (id = 2 and (area = 'fell'))",
    "area || status = 'fellopen'", "true", "false", "id = 1 or null", "area = area", "id in (2)", "1 = id", "10 < rent",
]  # fmt: skip
EXPRESSIONS = [
    "rent + 1", "rent - 1", "rent * 3", "rent / 4", "rent / 0", "-rent", "id % 2", "area || '-' || status", "upper(area)", "lower(upper(area))", "length(area)",
    "substring(area from 2 for 2)", "substring(area, 1, 3)", "left(area, 2)", "right(area, 2)", "trim('  x ')", "replace(area, 'l', 'L')", "reverse(area)", "lpad(area, 7, '.')",
    "rpad(area, 7, '.')", "position('l' in area)", "split_part(area, 'l', 1)", "concat(area, '/', status)", "concat_ws('/', area, status)", "coalesce(area, status, 'x')",
    "nullif(status, 'open')", "greatest(rent, 25)", "least(rent, 25)", "abs(25 - rent)", "round(rent / 7, 2)", "ceil(rent / 7)", "floor(rent / 7)", "sign(rent - 20)", "sqrt(rent)",
    "power(rent, 2)", "ln(rent)", "exp(1)", "case when area = 'fell' then 'near' when area is null then '?' else 'far' end", "case status when 'open' then 1 end", "rent > 20",
    "area is null", "area = 'fell' and rent > 15", "rent between 15 and 35", "id in (1, 2)", "cast(rent as integer)", "rent::text", "id::double precision / 2", "'a''b'", "null", "true", "1 + 2 * 3",
    "(1 + 2) * 3", "ascii(area)", "chr(65)", "round(rent)", "trunc(rent / 7)", "date '2026-01-31' + interval '1 day'", "extract(year from date '2026-03-04')", "date_part('month', date '2026-03-04')",
    "date_trunc('month', date '2026-03-04')", "row_number() over (order by id)", "rank() over (order by area)", "dense_rank() over (order by area)", "sum(rent) over ()",
    "sum(rent) over (partition by area order by id)", "lag(rent) over (order by id)", "lead(rent, 1, 0.0) over (order by id)", "first_value(id) over (order by rent desc)",
    "ntile(2) over (order by id)", "percent_rank() over (order by rent)", "avg(rent) over (order by id rows between 1 preceding and current row)", "count(*) over (partition by status)",
]  # fmt: skip
GROUPS = ["area", "status", "area, status", "upper(area)", "rent > 25", "coalesce(area, 'none')", "case when rent > 25 then 'dear' else 'cheap' end"]
AGGREGATES = [
    "count(*)", "count(area)", "count(distinct area)", "sum(rent)", "avg(rent)", "min(rent)", "max(rent)", "min(area)", "max(status)", "sum(rent) filter (where id > 2)",
    "count(*) filter (where status = 'open')", "sum(rent * 2 + 1)", "sum(case when area = 'fell' then rent end)", "max(rent) - min(rent)", "sum(rent) / count(*)",
    "count(distinct status) + count(*)", "round(avg(rent), 1)", "coalesce(sum(rent), 0)", "sum(distinct rent)",
]  # fmt: skip
RUNS = ['"site.area"', "site.area", "mill_id", "day", "extract(month from day)", "mill.kw", '"mill.site_id"']
RUN_AGGREGATES = ["count(*)", "sum(kwh)", "count(kwh)", "sum(kwh) / nullif(count(*), 0)", "min(day)", "max(day)", "sum(kwh * 2)", "count(distinct mill_id)"]
WHOLE = [
    "select * from site order by id", "select id, area from site order by rent desc", "select id from site order by area, id", "select id from site order by area nulls first, id",
    "select id from site order by area desc nulls last, id desc", "select id from site order by 1 limit 2", "select id from site order by id limit 2 offset 1", "select id from site order by id offset 3",
    "select distinct area from site order by area", "select distinct area, status from site order by 1, 2", "select distinct upper(area) as a from site order by a",
    "select area, count(*) as n from site group by area having count(*) > 1 order by n, area", "select area from site group by area having sum(rent) > 30 order by 1",
    "select area, count(*) from site where rent > 15 group by area order by 1", "select count(*) from site where false", "select sum(rent), min(id) from site where id > 99",
    "select a.area, a.n * 2 from (select area, count(*) as n from site group by area) a order by 1", "select max(n) from (select area, count(*) as n from site group by area) a",
    "with a as (select area, sum(rent) as r from site group by area) select area from a where r > 25 order by 1",
    "with a as (select id, rent from site), b as (select sum(rent) as whole from a) select a.id, a.rent / b.whole from a cross join b order by 1",
    "select id from site where id < 3 union all select id from mill order by 1", "select id from site union select site_id from mill order by 1", "select id from site intersect select site_id from mill order by 1",
    "select id from site except select site_id from mill order by 1", "select s.id, m.n from (select id from site) s join (select site_id, count(*) as n from mill group by site_id) m on m.site_id = s.id order by 1",
    "select s.id, m.kw from (select id from site) s left join (select site_id, kw from mill) m on m.site_id = s.id order by 1, 2", "select (select count(*) from site) as sites, (select count(*) from mill) as mills",
    "select area, sum(rent) as r, rank() over (order by sum(rent) desc) as place from site group by area order by place, area", "select area, r / sum(r) over () from (select area, sum(rent) as r from site group by area) x order by 1",
    "select x.area from (select * from site where rent > 15) x where x.status = 'open' order by 1", "select count(*) from (select distinct area from site) x", "select id from site where id = (1 + 1)",
    "select 'x' as a union all select 'y' order by 1", "select s.id from site as s where s.area = 'fell' order by s.id", "select s.\"id\" from site s order by s.id", "select ID, Area from SITE order by ID",
    "select s.area, sum(m.kw) from mill m join site s on m.site_id = s.id group by s.area order by 1", "select m.id, s.area from mill m left join site s on m.site_id = s.id order by 1",
    "select count(*) from mill m join site s on s.id = m.site_id where s.area = 'fell'", "select s.area, count(*) from run r join mill m on r.mill_id = m.id join site s on m.site_id = s.id group by 1 order by 1",
    "select id, rent from site order by rent * -1", "select area from site order by length(area), area", "select id from site order by case when area = 'fell' then 0 else 1 end, id",
    "select (rent) from site order by (id)", "select id /* a comment */ from site -- another\n order by id",
]  # fmt: skip
STATEMENTS = [
    *(f"select id from site where {where} order by id" for where in WHERE),
    *(f"select count(*), sum(rent) from site where {where}" for where in WHERE),
    *(f"select id, {expression} as x from site order by id" for expression in EXPRESSIONS),
    *(f"select {group}, {aggregate} from site group by {group}" for group in GROUPS for aggregate in AGGREGATES),
    *(f"select {aggregate} from site" for aggregate in AGGREGATES),
    *(f"select {group} as g, {aggregate} as v from run group by 1" for group in RUNS for aggregate in RUN_AGGREGATES),
    *WHOLE,
]


def seen(everything: bool) -> tuple[Evaluator, duckdb.DuckDBPyConnection]:
    """A viewer's farm, and the rows they see in an engine that knows of no roles."""
    role = rows_role("all", "site", "TRUE") if everything else rows_role("some", "site", "area = 'fell' OR id = 3")
    base = farm(role) if not everything else farm({"name": "all", "sentences": []})
    engine = duckdb.connect(":memory:")
    for setting in ("error_on_division_by_zero = false", "ieee_floating_point_ops = false", "default_null_order = 'nulls_last'"):
        engine.execute(f"SET {setting}")
    for table in FARM:
        found = ask_sql(base, base.viewer("ann"), f"select * from {table}")
        engine.register(f"seen_{table}", found.table.rename_columns(found.names))
        engine.execute(f"CREATE TABLE {table} AS SELECT * FROM seen_{table}")
    return base, engine


@pytest.fixture(scope="module", params=[True, False], ids=["everything", "some"])
def world(request: pytest.FixtureRequest) -> tuple[Evaluator, duckdb.DuckDBPyConnection]:
    """Somebody who sees everything, and somebody who sees some."""
    return seen(request.param)


def test_every_statement_gives_what_its_visible_rows_give(world: tuple[Evaluator, duckdb.DuckDBPyConnection]) -> None:
    base, engine = world
    wrong = [
        text for text in STATEMENTS if listed(text, ask_sql(base, base.viewer("ann"), text).rows) != listed(text, engine.execute(plainly(text)).fetchall())
    ]
    assert (wrong, len(STATEMENTS) > 400) == ([], True)


def plainly(text: str) -> str:
    """A statement as the engine is asked it: columns of lookups by their whole names, integers divided as numbers."""
    for name in ("site.area", "mill.kw"):
        text = text.replace(f"select {name} as", f'select "{name}" as')
    return text


def listed(text: str, rows: list[tuple[Any, ...]]) -> list[tuple[Any, ...]]:
    """Rows as they can be compared: in their order where one was asked for."""
    plain = [tuple(_plain(value) for value in row) for row in rows]
    return plain if "order by" in text.rpartition(")")[2] or (text.count("order by") == 1 and "over" not in text) else sorted(plain, key=repr)


def _plain(value: Any) -> Any:
    if isinstance(value, int | float | Decimal) and not isinstance(value, bool):
        return round(float(value), 9)
    return value.date() if isinstance(value, datetime.datetime) and value.time() == datetime.time() else value
