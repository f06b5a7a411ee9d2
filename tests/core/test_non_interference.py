"""What is hidden from a viewer, and read by no sentence of a role held, changes no answer: not a row, an order, a count, a name or an error."""

import os
from typing import Any

from hypothesis import Phase, given, settings

from tests.core.oracle import conditions as cond
from tests.core.oracle.evaluation import Oracle
from tests.core.oracle.worlds import COLUMNS, MEASURES, World
from tests.core.seeds import SEEDS
from tests.core.worlds import ask

CASES = settings(max_examples=int(os.environ.get("EXAMPLES", "40")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
CELLS = [("job", "fault"), ("job", "cost"), ("site", "status"), ("site", "size"), ("area", "name"), ("area", "rank"), ("crew", "trade"), ("calendar", "season")]


def read_by_sentences(world: World) -> set[str]:
    """The columns that sentences of roles, base filters and whole tables of inner queries read, by their original tables."""
    found: set[str] = set()

    def note(condition: cond.Node | None) -> None:
        found.update(cond.columns_of(condition))
        for table in cond.queried(condition):
            found.update(f"{table}.{column}" for column in COLUMNS.get(table, {}))

    for table in world.model["tables"]:
        note(table.get("base_filter"))
    for role in world.roles:
        for sentence in role["sentences"]:
            for kind, body in sentence.items():
                for part in body.values():
                    if isinstance(part, tuple):
                        note(part)
                if kind == "entitlement":
                    found.update(f"site.{column}" for column in body["match"])
                if kind == "members":
                    hierarchy = next(item for item in world.model["hierarchies"] if item["name"] == body["hierarchy"])
                    found.update(f"{hierarchy['table']}.{column}" for column in hierarchy.get("levels", ["id", "lead_id"]))
    oracle = world.oracle()
    found = oracle.inputs({key if "." in key else f"job.{key}" for key in found})
    return {f"{oracle.original(key.split('.')[0])}.{key.split('.')[1]}" for key in found}


def hidden_cell(oracle: Oracle, table: str, row: int, column: str) -> bool:
    """Whether a cell, under every name of its table and in every derived column that reads it, shows nothing and enters nothing."""
    for name in oracle.names_of(table):
        key = f"{name}.{column}"
        affected = [key, *(other for other in oracle.all_columns if key in oracle.inputs({other}) and other != key)]
        if any(oracle.existing(other) for other in affected[1:]):
            return False
        if not oracle.left_by_limits(name, row):
            continue
        for role in oracle.grants:
            if row not in role.visible()[name]:
                continue
            roles = [role, *oracle.limits]
            hides = any(key not in one.columns for one in roles)
            withholds = any(kind == "withhold" and how == "no" for one in roles if key in one.columns for kind, how in one.layers(name, row, key))
            if not hides and not withholds:
                return False
    return True


def answers(world: World) -> list[Any]:
    """Rows of every table in their order, totals by every column, members, objects, and what is told of a name that is not there."""
    core, oracle = world.core(), world.oracle()
    found: list[Any] = [ask(core, "objects")]
    for table in oracle.tables:
        columns = sorted(key for key in oracle.all_columns if oracle.reaches(table, key.split(".")[0]) and oracle.existing(key))
        for order in [[], columns[:1], [f"-{key}" for key in columns[-1:]]]:
            answer = ask(core, "rows", table=table, columns=columns, order=order)
            if "rows" in answer and oracle.key(table) is None:
                answer["rows"], answer["states"] = sorted(answer["rows"], key=repr), sorted(answer["states"])
            found.append(answer)
        found.append(ask(core, "rows", table=table, columns=[], where=f"{table}.nothing = 1"))
    for key in oracle.all_columns:
        totals = [
            ask(core, "totals", by=[key], measures=list(MEASURES), subtotals=True),
            ask(core, "totals", by=[], measures=[name for name in MEASURES if MEASURES[name][0] == "job"], where=f"{key} IS NOT NULL"),
        ]
        # How many rows masks kept out is told to administrators only (7.3).
        found += [{name: part for name, part in answer.items() if name != "kept_out"} for answer in totals]
    found += [ask(core, "members", hierarchy=name) for name in ("geography", "line")]
    return found


@CASES
@given(SEEDS)
def test_hidden_data_changes_no_answer(seed: int) -> None:
    world = World(seed)
    maker = world.maker
    whole = any(sentence.get("members", {}).get("totals") == "whole" for role in world.roles for sentence in role["sentences"])
    listed = any(sentence.get("beneath", {}).get("limit") is not None for role in world.roles for sentence in role["sentences"])
    if whole or listed:
        return
    oracle, read = world.oracle(), read_by_sentences(world)
    places = [(table, row, column) for table, column in CELLS if f"{table}.{column}" not in read for row in range(len(world.data[table]))]
    hidden = [place for place in places if hidden_cell(oracle, *place)]
    if not hidden:
        return
    before = answers(world)
    table, row, column = maker.random.choice(hidden)
    world.data[table][row][column] = maker.random.choice([None, maker.value(COLUMNS[table][column])])
    assert answers(world) == before
