"""No input makes a condition, a measure or a statement cost more than its size (semantics.md 4), and an answer has a price."""

import random
import re
import threading
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any
from weakref import WeakSet

import pytest

from moorland.core.bundle.problems import BundleError
from moorland.core.engine.model_data import ArrayCache, array_bytes
from moorland.core.engine.questions import Question
from moorland.core.language import like
from moorland.core.language.dialects import DIALECTS
from moorland.core.language.sql_parts import NotInSql
from moorland.core.price import Price, Unwanted, within
from tests.core.worlds import FARM, FARM_RELATIONSHIPS, ask, evaluator, farm, model_document


def in_time(work: Callable[[], Any], seconds: float = 20.0) -> Any:
    """What `work` gives, or a failure where it takes far longer than anything linear could."""
    done: Future[Any] = Future()

    def run() -> None:
        try:
            done.set_result(work())
        except BaseException as error:
            done.set_exception(error)

    threading.Thread(target=run, daemon=True).start()
    return done.result(timeout=seconds)


def as_expression(pattern: str) -> re.Pattern[str]:
    return re.compile("".join({"%": ".*", "_": "."}.get(sign, re.escape(sign)) for sign in pattern), re.DOTALL)


@pytest.mark.parametrize("short_piece", [0, 2, like.SHORT_PIECE])
def test_like_agrees_with_an_expression_that_goes_back(monkeypatch: pytest.MonkeyPatch, short_piece: int) -> None:
    monkeypatch.setattr(like, "SHORT_PIECE", short_piece)
    chance = random.Random(7)
    for _ in range(8_000):
        pattern = "".join(chance.choice("ab%_") for _ in range(chance.randrange(8)))
        text = "".join(chance.choice("ab\n") for _ in range(chance.randrange(9)))
        matcher = like.like_matcher(pattern, "")
        assert matcher is not None
        assert matcher(text) == bool(as_expression(pattern).fullmatch(text)), (pattern, text)


@pytest.mark.parametrize("pattern", ["%a" * 5_000 + "b", "%" + "_a" * 5_000 + "b%", "%" + "_" * 60 + "b%", "%" + "a" * 9_999 + "b%"])
def test_a_pattern_made_to_be_slow_is_not(pattern: str) -> None:
    matcher = like.like_matcher(pattern, "")
    assert matcher is not None
    assert in_time(lambda: [matcher("a" * 20_000)]) == [False]


def test_betweens_in_one_another_are_each_looked_at_once() -> None:
    nested = "rent"
    for _ in range(40):
        nested = f"CASE WHEN {nested} BETWEEN 0 AND 1000 THEN rent ELSE 0 END"
    found = in_time(lambda: ask(farm({"name": "r"}), "rows", table="site", columns=["site.id"], where=f"{nested} > 25"))
    assert [row[0] for row in found["rows"]] == [3, 4, 5]


@pytest.mark.parametrize("nested", ["1 + ({})", "CASE WHEN id IN ({}, 2) THEN 1 ELSE 0 END", "CASE WHEN {} IN (viewer.login, 'x') THEN 'y' ELSE 'z' END"])
def test_what_stands_in_one_another_is_checked_once(nested: str) -> None:
    text = "'a'" if "login" in nested else "1"
    for _ in range(40):
        text = nested.format(text)
    found = in_time(lambda: ask(farm({"name": "r"}), "rows", table="site", where=f"{text} IS NOT NULL"))
    assert found["visible"] == 5


def test_measures_that_double_one_another_are_refused() -> None:
    measures = [{"name": "m0", "table": "run", "expression": "SUM(kwh)"}]
    measures += [{"name": f"m{deep}", "table": "run", "expression": f"measure.m{deep - 1} + measure.m{deep - 1}"} for deep in range(1, 25)]
    model = model_document(FARM, FARM_RELATIONSHIPS, measures=measures)
    with pytest.raises(BundleError, match="longer than"):
        in_time(lambda: evaluator({"models": [model]}, FARM))


@pytest.mark.parametrize("step", ["({} + 1)", "-({})", "CAST(CAST({} AS number) AS integer)", "ROUND({}, -1)"])
def test_a_statement_that_would_be_too_long_is_refused(step: str) -> None:
    nested = "id"
    for _ in range(45):
        nested = step.format(nested)
    base = farm({"name": "r"})
    question = Question.model_validate({"rows": {"model": "farm", "table": "site", "where": f"{nested} > 0"}})

    def refused() -> str:
        try:
            return "longest " + str(max(len(item.sql) for item in base.sql(base.viewer("ann"), question, DIALECTS["sqlite"])) < 2_000_000)
        except NotInSql as error:
            return str(error)

    assert in_time(refused) in ("longest True", "an expression nested so deep would make a statement too long to answer in SQL")


TOTALS = {"by": ["run.day", "mill.id"], "measures": ["energy"]}


@pytest.mark.parametrize(
    ("price", "kind", "question", "says"),
    [
        (Price(0.0, 100, 100), "totals", TOTALS, "longer than the 0 seconds"),
        (Price(60.0, 2, 100), "totals", TOTALS, "has at most 2"),
        (Price(60.0, 100, 5), "totals", TOTALS, "more values than may be sent"),
        (Price(60.0, 100, 5), "rows", {"table": "run"}, "more values than may be sent"),
        (Price(60.0, 2, 100), "members", {"hierarchy": "places"}, "has at most 2"),
        (Price(60.0, 100, 100, text=20), "rows", {"table": "site", "where": "area || 'aaaaaaaaaaaaaaaaaaaa' <> ''"}, "longer texts together"),
    ],
)
def test_what_costs_more_than_its_price_is_refused_with_how_to_narrow_it(price: Price, kind: str, question: dict[str, Any], says: str) -> None:
    base = farm({"name": "r"}, model={"hierarchies": [{"name": "places", "table": "site", "levels": ["area", "id"]}]})
    price.__post_init__()
    with within(price):
        error = ask(base, kind, **question)["error"]
    assert error["code"] == "too_costly"
    assert says in error["message"]


def test_rows_come_up_to_the_bound_on_lines_and_say_how_many_there_are() -> None:
    with within(Price(60.0, 2, 100)):
        found = ask(farm({"name": "r"}), "rows", table="site")
    assert (len(found["rows"]), found["visible"]) == (2, 5)


def test_an_answer_nobody_waits_for_ends_at_its_next_step() -> None:
    with pytest.raises(Unwanted), within(Price(60.0, 100, 100, unwanted=lambda: True)):
        ask(farm({"name": "r"}), "totals", **TOTALS)


def test_caches_hold_so_many_bytes_together_texts_counted(monkeypatch: pytest.MonkeyPatch) -> None:
    import numpy as np

    texts = np.array(["x" * 1000 + str(number) for number in range(500)], dtype=object)
    assert array_bytes(texts) > 500_000
    monkeypatch.setattr(ArrayCache, "_all", WeakSet())  # caches of other tests may go in the middle of this one
    monkeypatch.setattr("moorland.core.engine.model_data.CACHE_BYTES", 1_300_000)
    first, second = ArrayCache(), ArrayCache()
    for cache in (first, second):
        for number in range(3):
            cache.get(number, texts.copy)
    assert first.bytes + second.bytes <= 1_300_000
