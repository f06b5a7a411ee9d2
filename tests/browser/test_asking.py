"""Asking from anywhere in the interface: the figures it tells are the core's, by pointer and by keyboard, and an address names nobody."""

from typing import Any

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.bridge import BridgeQuestion, bridge
from moorland.core.insight.reach import as_document, reach
from moorland.core.insight.statement import StatementQuestion, statement
from moorland.core.insight.who import WhoQuestion, who
from tests.browser.conftest import Browser
from tests.browser.test_walk import shown


def figure_of(admin: Browser, area: str, place: int) -> Any:
    """The cell of an area in the column of a pinned viewer, from 1."""
    rows = admin.until(lambda: [row for row in admin.all("[data-testid=totals] tbody tr") if row.text.startswith(area)], f"no line {area}")
    return rows[0].find_elements(By.TAG_NAME, "td")[1 + place]


def ask(admin: Browser, area: str, place: int) -> None:
    admin.driver.execute_script("arguments[0].focus()", figure_of(admin, area, place))
    admin.driver.switch_to.active_element.send_keys("y")
    admin.one("[data-testid=asking]")


def test_a_figure_adds_up_as_the_core_says(admin: Browser, core: Evaluator) -> None:
    admin.open("/viewers")
    admin.pin("j.ames")
    ask(admin, "High Fells", 1)
    found = bridge(core, core.viewer("j.ames"), BridgeQuestion(model="operations", measure="energy", by=["site.area"], key=["High Fells"]))
    admin.until(lambda: len(admin.all("[data-testid=bridge-steps] tbody tr")) == len(found.steps) + 2, "every step is told")
    told = admin.one("[data-testid=bridge-steps]").text
    assert shown(found.first.figure) in told
    assert shown(found.last.figure) in told
    assert all(step.message in told.replace("\n", " ") for step in found.steps)


def test_why_and_who_of_the_same_figure_are_a_key_away(admin: Browser, core: Evaluator) -> None:
    admin.open("/viewers")
    admin.pin("j.ames")
    ask(admin, "Fen End", 1)
    admin.click("Why", "[role=tab]")
    admin.until(lambda: admin.one("[data-testid=verdict]").text.startswith("Withheld: Area steward keeps site where area IN viewer.areas"), "the verdict")
    admin.click("Who", "[role=tab]")
    found = who(core, WhoQuestion(model="operations", measure="energy", by=["site.area"], key=["Fen End"]))
    admin.sees(f"{len(found.people)} of {found.enabled} people")
    admin.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
    admin.until(lambda: not admin.all("[data-testid=asking]"), "Escape closes it")


def test_what_was_asked_has_an_address_that_names_nobody(admin: Browser) -> None:
    admin.open("/viewers")
    admin.pin("j.ames")
    ask(admin, "High Fells", 1)
    address = admin.until(lambda: admin.driver.current_url if "ask=" in admin.driver.current_url else None, "the address has a key")
    assert "ames" not in address
    admin.driver.get(address)
    admin.until(lambda: "High Fells" in admin.one("[data-testid=asking] h2").text, "it is asked again")


def test_reach_tells_the_classes_of_the_core(admin: Browser, core: Evaluator) -> None:
    admin.open("/reach")
    found = reach(core, "operations")
    admin.sees(f"{sum(len(item.logins) for item in found.classes)} people", f"{len(found.classes)} classes")
    line = next(item for item in as_document(found) if item["logins"] == ["j.ames"])
    row = admin.until(lambda: next((row for row in admin.all("[data-testid=reach] tbody tr") if row.text.startswith("Jo Ames")), None), "the line of Jo Ames")
    assert f"{line['tables']['operations.site']['rows']}" in row.text.split("\n")
    admin.click("columns", "th button")
    admin.until(lambda: "site id" in admin.one("[data-testid=reach] thead").text.replace("\n", " "), "its columns are told")


def test_four_chips_the_plus_and_the_day_stand_whole_in_the_tray(admin: Browser) -> None:
    admin.open("/viewers")
    for login in ("j.ames", "t.holm", "v.birk", "m.ives"):
        admin.pin(login)
    tray = admin.one(".tray")
    width = tray.rect["x"] + tray.rect["width"]
    parts = admin.all(".tray > *")
    assert all(part.rect["x"] + part.rect["width"] <= width + 1 for part in parts)
    assert admin.one("[aria-label='Day looked at']").is_displayed()


def test_somebody_like_a_person_but_otherwise_is_looked_at(admin: Browser) -> None:
    admin.open("/viewers")
    admin.pin("j.ames")
    admin.press("[aria-label='More of Jo Ames']")
    admin.click("somebody like this, but…")
    admin.sees("Imagine somebody", "Just like them so far.")
    admin.press(".imagine .ant-select-selection-item-remove")
    admin.sees("Otherwise than them")
    admin.click("Pin", ".ant-modal button")
    admin.until(lambda: any("but…" in chip.text for chip in admin.all(".chip")), "the imagined one is pinned")


def test_a_statement_tells_what_the_core_states(admin: Browser, core: Evaluator) -> None:
    admin.open("/statement/person/j.ames")
    admin.sees("What Jo Ames may see", "Narrowed by".upper())
    told = statement(core, StatementQuestion(person="j.ames"))
    lines = admin.all("[data-testid=statement] tbody tr")
    assert len(lines) == len(told.lines) + len(told.limits)
    assert told.lines[0].sees in lines[0].text.replace("\n", " ")
    admin.open("/statement/person/nobody.there")
    admin.sees("nobody.there")


def test_rows_that_were_chosen_become_a_role(admin: Browser) -> None:
    admin.open("/viewers")
    admin.click("Rows", "[role=tab]")
    for place in (1, 2):
        admin.press(f"[data-testid=rows] tbody tr:nth-child({place}) .ant-checkbox-wrapper")
    admin.click("Who may see these")
    admin.sees("2 rows of site", "people reach some of its 2 rows")
    admin.click("Make a role that opens just these…")
    admin.sees("A role that opens just these rows")


def test_a_crossing_of_reach_is_asked_for_its_people(admin: Browser) -> None:
    admin.open("/reach")
    row = admin.until(lambda: next((row for row in admin.all("[data-testid=reach] tbody tr") if row.text.startswith("Jo Ames")), None), "the line of Jo Ames")
    cell = row.find_element(By.CSS_SELECTOR, "td.table-share")
    ActionChains(admin.driver).move_to_element(cell).perform()
    ActionChains(admin.driver).send_keys("y").perform()
    admin.until(lambda: "site" in admin.one("[data-testid=asking] h2").text, "the table is asked about")
    admin.until(lambda: any("Jo Ames" in chip.text for chip in admin.all(".chip")), "for whom it is asked is pinned")
    admin.one("[data-testid=verdict]")


def test_a_remedy_that_is_an_edit_is_taken_over_unsaved(admin: Browser) -> None:
    admin.open("/viewers")
    admin.pin("j.ames")
    ask(admin, "Fen End", 1)
    admin.click("Why", "[role=tab]")
    admin.sees("Switch sentence 1 of Area steward off")
    admin.click("take over as an unsaved edit")
    admin.until(lambda: "/roles/area-steward" in admin.driver.current_url, "the bench is open")
    admin.sees("draft, unsaved")
    admin.press("[data-testid=asking] [aria-label=Close]")
    admin.click("Discard")
