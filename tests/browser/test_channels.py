"""The channels as a newcomer meets them: a door key and the line to copy, who is connected, a page in another application, and parity."""

import re
import subprocess
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import pytest

from benchmarks.served import free_port
from moorland.core.engine.evaluator import Evaluator
from tests.browser.conftest import Browser, served, shown, total


@dataclass(frozen=True)
class Channels:
    """A demo with its door and portal."""

    address: str
    door: int
    portal: int


@pytest.fixture(scope="module")
def channels(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Channels]:
    """A demo of this file's own."""
    ports = [free_port(), free_port()]
    with served("demo", tmp_path_factory.mktemp("channels"), *ports) as (address, _):
        yield Channels(address, *ports)


@pytest.fixture
def address(channels: Channels) -> str:
    """Where this file's browsers go."""
    return channels.address


def test_a_newcomer_makes_a_key_connects_as_shown_and_asks_and_a_keeper_ends_the_session(browsers: Callable[[str], Browser], channels: Channels) -> None:
    ames = browsers("j.ames")
    ames.open("/me")
    ames.sees("ASK FROM ELSEWHERE")
    ames.click("+ door key", "button")
    ames.one("#door-key-name").send_keys("laptop")
    ames.click("Make it", "button")
    key = ames.one("[data-testid=door-key]").text
    ames.sees("User j.ames/laptop")
    ames.click("I have it", "button")
    ames.sees("laptop", "never used")
    line = ames.one("[data-testid=connect-line]").text
    assert f"port={channels.door}" in line and "user=j.ames/laptop" in line
    where = re.search(r'psql "([^"]+)"', line.replace("\n", " "))
    assert where is not None
    asked = subprocess.Popen(["psql", "-X", "-A", "-t", where[1]], env={"PGPASSWORD": key, "PATH": "/usr/bin:/bin"}, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)  # fmt: skip
    assert asked.stdin is not None and asked.stdout is not None
    asked.stdin.write("select count(*) from site;\nselect jobs from job;\nselect name from nowhere;\n")
    asked.stdin.flush()
    answers = [asked.stdout.readline().strip() for _ in range(3)]
    assert answers[0] == "18" and answers[1].isdigit() and 'relation "nowhere" does not exist' in answers[2]
    keeper = browsers("h.warden")
    keeper.open("/settings/door")
    keeper.sees("Query door", "psql", "laptop")
    keeper.click("End this session", "button")
    keeper.sees("Nobody.")
    asked.stdin.write("select 1;\n")
    asked.stdin.close()
    assert "terminating connection" in asked.stdout.read()


def test_a_page_of_another_application_shows_each_of_its_people_their_own(browsers: Callable[[str], Browser], core: Evaluator, channels: Channels) -> None:
    anybody = browsers("v.birk")
    for who in (3, 5):
        anybody.driver.get(f"http://localhost:{channels.portal}/?who={who}")
        frame = anybody.one("iframe")
        anybody.driver.switch_to.frame(frame)
        anybody.sees("Lease payments", shown(total(core, f"lh.0{who}", "lease_paid")))
        anybody.driver.switch_to.default_content()


def test_a_keeper_tries_an_issuer_beside_all_data(browsers: Callable[[str], Browser], core: Evaluator) -> None:
    keeper = browsers("h.warden")
    keeper.open("/settings/outside")
    keeper.sees("Land portal", "member of landholders; any landholder_id")
    keeper.click("Try", "button")
    keeper.one("input[aria-label=landholder_id]").send_keys("3")
    keeper.click("Show the page", "button")
    keeper.sees("AS THEY SEE IT — LANDHOLDER", "WITH ALL DATA", shown(total(core, "lh.03", "lease_paid")))


def test_parity_is_compared_for_chosen_people(browsers: Callable[[str], Browser]) -> None:
    keeper = browsers("h.warden")
    keeper.open("/checks/parity")
    box = keeper.one(".parity-people input")
    box.send_keys("lh.03")
    time.sleep(0.5)
    box.send_keys("\ue007")
    keeper.click("Compare", "button")
    keeper.until(lambda: "all the same" in keeper.text(), "not compared", 90)
    keeper.sees("door, binary")


def test_a_promise_is_made_by_hand_and_a_release_that_breaks_others_asks_why(browsers: Callable[[str], Browser]) -> None:
    keeper = browsers("h.warden")
    keeper.open("/checks/promises")
    keeper.sees("2 of 16 promises broken", "treasury opens no compensation")
    keeper.click("+ promise", "button")
    keeper.one("#promise-name").send_keys("contractors see one firm")
    for field, written in (("#promise-who", "r.oddie"), ("#promise-table", "job")):
        keeper.one(field).send_keys(written)
        time.sleep(0.5)
        keeper.one(field).send_keys("\ue007")
    keeper.one("#promise-where").send_keys("contractor_id <> 1")
    keeper.click("Try it", "button")
    keeper.sees("Draft: kept, sees 0 rows of job")
    keeper.click("Keep it", "button")
    keeper.sees("2 of 17 promises broken", "contractors see one firm")
    keeper.open("/releases")
    keeper.sees("contractors see one firm", "2 promises broken")
    assert not keeper.one("button.ant-btn-primary[disabled]").is_enabled()
    keeper.one("input[aria-label='Why it is released all the same']").send_keys("known before")
    keeper.click("Release now")
    keeper.sees("Release 2 is live.")
