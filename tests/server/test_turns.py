"""Turns: few answers at once, those that have taken least first, one place kept for light ones."""

import threading
from collections.abc import Callable
from typing import Any

import pytest
from django.db import connection, transaction

from moorland.core.engine.model_data import ModelData
from moorland.server.serving import MOST_DEATHS, STEADY_SECONDS, in_a_row
from moorland.server.turns import LAG, LIGHT_SECONDS, Turn, Turns, out_of_turn
from tests.server.conftest import Session
from tests.server.test_bringing_data import bring


def entered(turns: Turns, spent: float, arrived: float = 0.0) -> threading.Thread:
    thread = threading.Thread(target=turns.enter, args=(arrived, spent), daemon=True)
    thread.start()
    thread.join(0.2)
    return thread


def test_heavy_answers_leave_a_place_for_a_light_one() -> None:
    turns = Turns(at_once=3)
    heavy = [entered(turns, LIGHT_SECONDS + number) for number in range(3)]
    assert [thread.is_alive() for thread in heavy] == [False, False, True]
    assert not entered(turns, 0.0).is_alive()


def order_of(*waiting: tuple[float, float]) -> list[int]:
    """In what order they get the only place, when all have come."""
    turns = Turns(at_once=1)
    turns.enter(0.0, 0.0)
    order: list[int] = []

    def work(number: int, arrived: float, spent: float) -> None:
        turns.enter(arrived, spent)
        order.append(number)
        turns.leave(spent)

    threads = [threading.Thread(target=work, args=(number, *asked), daemon=True) for number, asked in enumerate(waiting)]
    for thread in threads:
        thread.start()
        thread.join(0.05)
    turns.leave(0.0)
    for thread in threads:
        thread.join(5)
    return order


def test_who_has_taken_least_comes_first() -> None:
    assert order_of((0.0, 0.2), (0.0, 0.1), (0.0, 0.0)) == [2, 1, 0]


def test_nobody_is_overtaken_for_ever() -> None:
    assert order_of((0.0, 0.2), (LAG * 0.2 + 0.1, 0.0), (LAG * 0.2 - 0.1, 0.0)) == [2, 0, 1]


def test_a_heavy_answer_that_is_due_first_holds_no_light_one_up() -> None:
    turns = Turns(at_once=2)
    turns.enter(0.0, LIGHT_SECONDS)
    assert entered(turns, LIGHT_SECONDS).is_alive()
    assert not entered(turns, 0.0, arrived=1_000.0).is_alive()


def test_whoever_makes_what_others_wait_for_needs_no_place_and_holds_none(db: None) -> None:
    turns = Turns(at_once=1)
    turn = Turn(turns)
    with turn.taken():
        turn.step()
        with out_of_turn():
            turns.enter(0.0, 0.0)
            turn.step()
    assert entered(turns, 0.0).is_alive()


def test_a_turn_is_never_waited_for_inside_a_transaction(db: None) -> None:
    turns = Turns(at_once=1)
    turns.enter(0.0, 0.0)
    with transaction.atomic():
        Turn(turns).step()


@pytest.mark.django_db(transaction=True)
def test_tables_are_joined_while_nobody_who_writes_waits(boss: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    held: list[bool] = []
    joined: Callable[..., None] = ModelData.__init__

    def noted(self: ModelData, *arguments: Any, **named: Any) -> None:
        held.append(connection.in_atomic_block)
        joined(self, *arguments, **named)

    monkeypatch.setattr(ModelData, "__init__", noted)
    key = bring(boss, "depot.csv", b"id,name\n1,Fell\n2,Marsh\n")
    columns = [
        {"position": place, "name": name, "label": name, "type": kind, "spelling": "plain", "blanks": [], "tags": []}
        for place, (name, kind) in enumerate((("id", "integer"), ("name", "text")))
    ]
    table = {"upload": key, "reading": {"format": "csv"}, "name": "depot", "label": "depot", "key": "id", "columns": columns}
    _, task = boss.call("POST", "imports", {"model": "fresh", "new_model": True, "label": "Fresh", "tables": [table], "relationships": []})
    assert boss.ok("GET", f"tasks/{task['id']}")["state"] == "done"
    assert held
    assert not any(held)


def test_a_server_killed_now_and_then_is_always_started_anew_and_one_that_never_starts_is_not() -> None:
    deaths = 0
    for _ in range(50):
        deaths = in_a_row(deaths, STEADY_SECONDS + 1)
        assert deaths <= MOST_DEATHS
    for _ in range(MOST_DEATHS + 1):
        deaths = in_a_row(deaths, 1.0)
    assert deaths > MOST_DEATHS
