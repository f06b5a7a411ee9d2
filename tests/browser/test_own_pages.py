"""A reader who builds: a page made from what exists for them, published, read by somebody else by their own rules; a cube browsed."""

import json
from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from moorland.core.door.asking import ask_sql
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question, TotalsAnswer, TotalsQuestion
from tests.browser.conftest import Browser


def energy_of(core: Evaluator, login: str) -> str:
    """The energy somebody sees, as figures show it."""
    answer = core.answer(core.viewer(login), Question(totals=TotalsQuestion(model="operations", measures=["energy"])))
    assert isinstance(answer, TotalsAnswer)
    return f"{answer.total[0]:,.1f}"


def test_a_reader_makes_a_page_publishes_it_and_another_sees_it_by_their_own_roles(browsers: Callable[[str], Browser], core: Evaluator) -> None:
    ames = browsers("j.ames")
    ames.open("/my")
    ames.click("+ page", "button")
    ames.one("#label").send_keys("Mine to test")
    ames.click("Make the page", "button")
    ames.sees("you alone see it")
    ames.click("Turbine operations", "button")
    ames.click("+ exhibit", "button")
    ames.sees(energy_of(core, "j.ames"), "unsaved")
    title = ames.one("[data-testid=exhibit-form] input")
    title.send_keys(Keys.CONTROL, "a")
    title.send_keys("What turned")
    ames.driver.switch_to.active_element.send_keys(Keys.CONTROL, "s")
    ames.sees("Saved.")
    ames.click("Publish…", "button")
    ames.click("Publish", "button")
    ames.sees("Published on Operations on")
    page = ames.driver.current_url.rsplit("/", 2)[-2]

    birk = browsers("v.birk")
    birk.open(f"/my/{page}")
    birk.sees("by Jo Ames", "WHAT TURNED", energy_of(core, "v.birk"))
    assert "Edit" not in [button.text for button in birk.all("main button")]

    ames = browsers("j.ames")
    ames.open(f"/my/{page}")
    ames.click("Take back", "button")
    ames.sees("you alone see it")
    birk = browsers("v.birk")
    birk.open(f"/my/{page}")
    birk.sees("There is no page named")


def test_a_copy_begins_from_what_exists_for_the_reader_and_versions_come_back(browsers: Callable[[str], Browser]) -> None:
    ames = browsers("j.ames")
    ames.open("/my/outages")
    ames.click("Copy as my own…", "button")
    ames.click("Copy", "button")
    ames.sees("My Outages and jobs", "JOBS BY FAULT")
    assert "Compensation" not in ames.text()
    ames.click("Edit Jobs", ".slot-button")
    ames.click("Take out", "button")
    ames.click("Save", "button")
    ames.sees("Saved.")
    ames.click("Versions", "button")
    ames.click("Take over", "button")
    ames.sees("unsaved")
    ames.click("Save", "button")
    ames.until(lambda: "unsaved" not in ames.text(), "it is saved")


def test_a_reader_browses_a_cube_down_a_hierarchy(browsers: Callable[[str], Browser]) -> None:
    ames = browsers("j.ames")
    ames.open("/my/cube/operations/turning")
    ames.sees("Eastmoor", "High Fells")
    assert "Saltmarsh" not in ames.text() and "Curtailed" not in ames.text()
    ames.click("Eastmoor", "table.cube button")
    ames.sees("Heatherlea", "Geography")


def test_who_keeps_the_shelf_takes_a_readers_page_back(browsers: Callable[[str], Browser]) -> None:
    keeper = browsers("h.warden")
    keeper.open("/pages/all/readers")
    keeper.sees("My areas, week by week", "Jo Ames")
    keeper.click("Acts on My areas, week by week", "button")
    keeper.click("Tags, owner, maker…", ".ant-dropdown-menu-item")
    keeper.sees("Sentences about pages read them")
    tags = keeper.one(".ant-modal input")
    tags.send_keys("monthly")
    keeper.until(lambda: [item for item in keeper.all(".ant-select-item-option") if item.is_displayed() and item.text == "monthly"], "the tag is offered")
    tags.send_keys(Keys.ENTER)
    keeper.click("Save", "button")
    keeper.sees("it acts at once", "monthly")


def test_the_line_to_copy_asks_what_exists_for_whoever_copies_it(browsers: Callable[[str], Browser], core: Evaluator) -> None:
    ames = browsers("j.ames")
    ames.open("/me")
    ames.sees("ASK FROM ELSEWHERE", "operations.generation")
    line = ames.one("[data-testid=connect-line]").text
    statement = json.loads(line.partition("-d '")[2].removesuffix("'"))["sql"]
    found = ask_sql(core, core.viewer("j.ames"), statement)
    assert (found.names, len(found.rows) > 1) == (["site.name", "energy"], True)
