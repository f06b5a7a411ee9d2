"""What proves that it holds, used as a newcomer does: the first walk, guarding, findings, chosen releases, the trail."""

from collections.abc import Iterator

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Browser, served

PROMISE = "the stores overview withholds what bearings are worth"


@pytest.fixture(scope="module")
def own(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A demo of this file's own: what is mended here stays mended."""
    with served("demo", tmp_path_factory.mktemp("checks")) as (address, _):
        yield address


@pytest.fixture
def address(own: str) -> str:
    """Where this file's browsers go."""
    return own


def test_the_first_walk_leads_from_a_broken_promise_to_a_release_and_the_trail(admin: Browser) -> None:
    admin.open("/overview")
    admin.sees("A FIRST WALK, IN FIVE STEPS", "2 of 16 promises broken by the draft", "WHO SEES HOW MUCH")
    admin.click("Look as Jo Ames")
    admin.sees("Jo Ames", "Rows counted")
    admin.open("/overview")
    admin.click("See the promises")
    admin.sees(PROMISE, "13,453,335")
    admin.open("/overview")
    admin.click("Probe as Lorna Esk")
    admin.until(lambda: "worked out exactly" in admin.text(), "probed", 90)
    admin.sees("worked out exactly", "quantity_held of Gearbox › Bearings", "18,648 − 15,759 (what is shown) = 2,889")
    admin.click("What closes it?")
    admin.until(lambda: "Own totals in sentence 1 of Stores overview." in admin.text(), "tried", 90)
    admin.sees("closes it", "Own totals in sentence 1 of Stores overview.")
    admin.click("Take over as an unsaved edit")
    admin.sees("totals are own")
    admin.click("Save in the draft")
    admin.open("/checks/promises")
    admin.sees("1 of 16 promises broken")
    admin.open("/checks/probe?as=l.esk")
    admin.until(lambda: "Nothing was found" in admin.text(), "probed again", 90)

    # A change that is not chosen stays in the draft.
    admin.open("/checks/guarding")
    admin.until(lambda: "guarded, " in admin.text(), "guarding worked out", 90)
    admin.click("Keep as a promise")
    admin.sees("2 changes since release 1")
    admin.open("/releases")
    admin.sees("2 CHANGES", "Stores overview", "Lorna Esk", "quantity_held")
    admin.until(lambda: admin.all(".sentence .ant-checkbox")[0].click() is None, "chosen")
    admin.sees("1 OF 2 CHANGES", "stays in the draft", "Nobody sees more or less than before")
    admin.one("input[aria-label='Why it is released all the same']").send_keys("the other is known")
    admin.click("Release now")
    admin.sees("1 CHANGE", "Stores overview role changed")
    admin.press("button[aria-label='Compare release 1']")
    admin.sees("for the people of today", "promise added")
    # The trail tells of it as one remembers.
    admin.open("/trail")
    admin.sees("looked as", "release: release 2", "the newest seal")
    admin.click("the newest seal")
    assert len(str(admin.one("input[aria-label='The newest seal']").get_attribute("value")).split()[1]) == 64
    admin.click("change role: stores-overview", ".wraps")
    admin.sees("before", "after")


def test_a_finding_may_stand_for_a_reason_until_a_day(admin: Browser) -> None:
    admin.open("/checks/findings")
    admin.sees("Area steward hides a column tagged money")
    admin.click("Let it stand…")
    admin.one("input[aria-label='Why it may stand']").send_keys("costs of jobs are meant to be seen")
    admin.click("Let it stand")
    admin.until(lambda: "Area steward hides a column tagged money" not in admin.text(), "it stands aside")
    admin.click("also the 1 accepted")
    admin.sees("costs of jobs are meant to be seen", "Take up again")


def test_a_promise_over_everybody_is_made_by_hand_and_changed(admin: Browser) -> None:
    admin.open("/checks/promises")
    admin.click("+ promise")
    admin.write("#promise-name", "pay and rents never meet")
    for field, text in (("kind", "no one person"), ("one-kind", "a column"), ("one-column", "technician.day_rate"), ("other-kind", "a column")):
        admin.write(f"#promise-{field}", text + Keys.ENTER)
    admin.write("#promise-other-column", "site.annual_rent" + Keys.ENTER)
    admin.sees("For", "everybody together")
    admin.click("Try it")
    admin.sees("Draft: broken, ", "reach both technician.day_rate in clear and site.annual_rent in clear")
    admin.click("Keep it")
    admin.sees("promises broken", "pay and rents never meet")
    admin.press("button[aria-label='Change pay and rents never meet']")
    admin.write("#promise-kind", "only these" + Keys.ENTER)
    admin.write("#promise-subject-kind", "a page" + Keys.ENTER)
    admin.write("#promise-subject-page", "Compensation" + Keys.ENTER)
    admin.write("#promise-people", "Auditors" + Keys.ENTER)
    admin.click("Try it")
    admin.sees("Draft: broken, ", "compensation")
