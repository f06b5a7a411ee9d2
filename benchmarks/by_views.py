"""The lines of the table about what is worked out by views: a hundred thousand people with five thousand views against five thousand people."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property

from benchmarks.at_scale import TOTALS, Measured, once, shown
from benchmarks.generated import STEWARD, FactData, facts, million
from moorland.core.bundle.promises import Promise
from moorland.core.bundle.reading import read_document
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.many_viewers import everyones_answers
from moorland.core.insight.guarding import guard
from moorland.core.insight.impact import impact
from moorland.core.insight.promises import run_promise
from moorland.core.insight.reach import reach

VIEWS, PEOPLE = 5_000, 100_000
PROMISE = Promise.model_validate({"name": "bounded", "viewers": "everyone", "must": {"rows": {"model": "farm", "table": "site", "at_most": 500}}})


@dataclass(frozen=True)
class _Alike(FactData):
    """People of whom every five thousandth is alike."""

    @cached_property
    def _values(self) -> list[tuple[list[str], list[str]]]:
        return [(FactData.areas_of(self, view), FactData.firms_of(self, view)) for view in range(VIEWS)]

    def areas_of(self, user: int) -> list[str]:
        return self._values[user % VIEWS][0]

    def firms_of(self, user: int) -> list[str]:
        return self._values[user % VIEWS][1]


def view_lines(say: Callable[[str], None]) -> Iterator[Measured]:
    """Everyone, impact, Reach, a promise for everyone and guarding, each on an evaluator that has not been asked yet."""
    few = facts(million(1), VIEWS)
    say(f"{VIEWS:,} views, {PEOPLE:,} people")
    base = few.evaluator()
    base.data("farm")
    measured: dict[int, dict[str, float]] = {}
    for many in (VIEWS, PEOPLE):
        bundle = read_document(_Alike(few.site, few.crew, few.run, many).document())

        def fresh(bundle=bundle) -> Evaluator:  # type: ignore[no-untyped-def]
            made = Evaluator(bundle, base._load, base.as_of, shared=base.shared)
            made._tables.update(base._tables)
            return made

        logins = [user.login for user in bundle.users]
        everyones_answers(fresh(), [TOTALS])
        works: dict[str, Callable[[Evaluator], object]] = {
            "everyone": lambda on: everyones_answers(on, [TOTALS]),
            "impact of a draft": lambda on, logins=logins: impact(on, _draft(on), logins),  # type: ignore[misc]
            "Reach": reach,
            "a promise for everyone": lambda on: run_promise(on, PROMISE),
            "guarding": guard,
        }
        measured[many] = {}
        for name, work in works.items():
            several = [fresh() for _ in range(1 if name == "guarding" else 3)]
            measured[many][name] = min(once(lambda work=work, on=on: work(on)) for on in several)  # type: ignore[misc]
    for name, seconds in measured[PEOPLE].items():
        beside = measured[VIEWS][name]
        yield f"{name}: {PEOPLE:,} people, {VIEWS:,} views", shown(seconds), f"{VIEWS:,} people", shown(beside), f"{seconds / beside:.2f} ×", "at most 1.3"


def _draft(base: Evaluator) -> Evaluator:
    role = base.bundle.roles[0]
    rows = role.sentences[0].rows
    assert rows is not None
    sentence = role.sentences[0].model_copy(update={"rows": rows.model_copy(update={"where": f"{STEWARD} AND id > 20"})})
    return base.with_role(role.model_copy(update={"sentences": [sentence]}))
