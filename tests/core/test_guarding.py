"""How much promises guard, each mutant beside the same bundle made anew (docs/testing.md)."""

import os
from typing import Any

from hypothesis import Phase, given, settings

from moorland.core.bundle.promises import Promise
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.guarding import guard
from moorland.core.insight.mutants import mutants_of
from moorland.core.insight.promises import run_promise
from moorland.core.insight.reach import as_document, reach
from moorland.core.language.checking import Scope
from tests.core.oracle.worlds import World
from tests.core.seeds import SEEDS
from tests.core.worlds import farm, rows_role

CASES = settings(max_examples=int(os.environ.get("EXAMPLES", "8")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
FELL = {"rows": {"model": "farm", "table": "site", "where": "area <> 'fell'", "count": 0}}


def promised(*musts: dict[str, Any]) -> dict[str, Any]:
    return {"promises": [{"name": f"p{place}", "viewer": "ann", "must": must} for place, must in enumerate(musts)]}


def changes(base: Evaluator, role: str = "fell") -> dict[str, list[str]]:
    return {mutant.change: mutant.noticed_by for item in guard(base).sentences if item.role == role for mutant in item.mutants}


def test_a_sentence_is_guarded_where_every_way_to_open_it_breaks_a_promise() -> None:
    role = rows_role("fell", "site", "area = 'fell' AND status = 'open'")
    assert changes(farm(role)) == {
        "left out": [],
        "area = 'fell' left out": [],
        "status = 'open' left out": [],
        "AND made OR": [],
        "marsh added": [],
        "closed added": [],
    }
    told = changes(farm(role, **promised(FELL)))
    assert {change for change, noticed in told.items() if not noticed} == {"status = 'open' left out", "closed added"}
    both = promised(FELL, {"rows": {"model": "farm", "table": "site", "where": "status <> 'open'", "count": 0}})
    assert guard(farm(role, **both)).share == 100.0


def test_a_promise_that_is_broken_as_it_is_guards_nothing() -> None:
    broken = promised({"rows": {"model": "farm", "table": "site", "count": 0}})
    assert not any(changes(farm(rows_role("fell", "site", "area = 'fell'"), **broken)).values())


def test_masks_objects_pages_limits_and_assignments_are_opened_too() -> None:
    sentences = [
        {"mask": {"column": "site.rent", "with": {"round": {"to": 100}}, "when": "area = 'fell' OR area = 'marsh'"}},
        {"objects": {"hide": ["measure:secret", "column:site.status"]}},
        {"pages": {"actions": ["open"], "on": ["page:one"]}},
    ]
    grant = {"name": "g", "sentences": sentences, "assigned": [{"user": "ann"}]}
    limit = {"name": "l", "kind": "limit", "sentences": [{"rows": {"table": "site", "where": "status = 'open'"}}], "assigned": [{"everyone": True}]}
    pages = {"shelves": [{"name": "s"}], "pages": [{"name": "one", "shelf": "s"}, {"name": "two", "shelf": "s"}]}
    users = {"users": [{"login": "ann", "name": "Ann"}, {"login": "bob", "name": "Bob"}]}
    base = farm(grant, limit, **pages, **users)
    assert set(changes(base, "g")) == {
        "left out",
        "rounded to 10",
        "true values enter totals",
        "area = 'fell' left out",
        "area = 'marsh' left out",
        "measure:secret shown",
        "column:site.status shown",
        "on every page",
        "assigned to everyone",
    }
    assert set(changes(base, "l")) == {"left out", "closed added", "the limit left out"}


@CASES
@given(SEEDS)
def test_a_mutant_counts_just_where_somebody_is_of_another_class_and_what_is_proposed_notices(seed: int) -> None:
    world = World(seed)
    base = world.core()
    found = guard(base)
    counted = {(item.role, item.sentence, item.assignment, mutant.change) for item in found.sentences for mutant in item.mutants}
    for role in base.bundle.roles:
        scope = Scope(schema=base.models["farm"].schema, attributes=base.people.definitions, inner=True)
        seen: set[str] = set()
        for mutant in mutants_of(role, scope, {}, lambda table, column: []):
            written = f"{mutant.sentence} {mutant.assignment} {mutant.role.model_dump_json()}"
            if written in seen:
                continue
            seen.add(written)
            roles = [mutant.role if item.name == role.name else item for item in base.bundle.roles]
            other = base.on(base.bundle.model_copy(update={"roles": roles}))
            differs = _classes(base) != _classes(other)
            key = (role.name, mutant.sentence, mutant.assignment, mutant.change)
            if differs:
                assert key in counted
    for item in found.sentences:
        if item.proposed is not None:
            promise: Promise = item.proposed
            assert run_promise(base, promise).kept


def _classes(base: Evaluator) -> list[dict[str, Any]]:
    """What everybody sees; roles that say nothing are no part of it."""
    return [{key: value for key, value in item.items() if key != "roles"} for item in as_document(reach(base))]
