"""axe-core finds nothing on any screen, light or dark."""

import json
from collections.abc import Callable
from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Browser

#: Two frames, and whatever is moving or changing its colour has ended: halfway there nothing is read.
STILL = """
const frame = () => new Promise(requestAnimationFrame);
const ends = (moving) => moving.effect?.getComputedTiming().endTime !== Infinity;
const still = () => frame().then(frame).then(() => Promise.all(document.getAnimations().filter(ends).map((moving) => moving.finished.catch(() => null))));
"""
AXE = (Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text("utf-8")


def findings_of(browser: Browser, contrast_only: bool = False) -> list[str]:
    """The findings, each with the element it was found at; of contrast alone where nothing else can be otherwise."""
    browser.driver.execute_script(AXE)
    rules = "runOnly: ['color-contrast']" if contrast_only else "rules: {'target-size': {enabled: true}}"
    found = browser.driver.execute_async_script(
        f"{STILL} still().then(() => axe.run(document, {{resultTypes: ['violations'], {rules}}})).then(arguments[0], error => arguments[0]({{error: String(error)}}))"
    )
    assert "violations" in found, json.dumps(found)[:400]
    return [
        f"{item['id']}: {node['html'][:160]} {node['any'][0]['message'][:200] if node['any'] else ''}" for item in found["violations"] for node in item["nodes"]
    ]


SCREENS = [
    ("/overview", "IS IT SAFE?"),
    ("/checks/guarding", "a little"),
    ("/checks/findings", "Mark all as seen"),
    ("/checks/probe?as=l.esk", "What could somebody work out?"),
    ("/models", "LOOKUPS"),
    ("/models/table/site", "annual_rent"),
    ("/models/cubes", "cube"),
    ("/models/refreshes", "No refresh waits"),
    ("/models/bring", "Nothing brought yet"),
    ("/people", "Choose somebody"),
    ("/roles/area-steward", "Mapped to".upper()),
    ("/roles/district-desk", "steward_scope"),
    ("/roles/stores-keeper", "unlisted ones are hidden"),
    ("/combine?roles=area-steward,treasury&as=j.ames", "none opens that no role opens"),
    ("/viewers", "Rows counted"),
    ("/reach", "exactly the same"),
    ("/statement/person/j.ames", "What Jo Ames may see"),
    ("/people/j.ames", "ROLES HELD"),
    ("/pages/output", "OPENED OR CLOSED BY"),
    ("/pages/output/edit", "Shown as"),
    ("/pages/grid/people", "Who opens which page"),
    ("/pages/all/sentences", "Every pages sentence"),
    ("/releases", "HISTORY"),
    ("/trail", "every change"),
    ("/settings/duties", "Who can do this?".upper()),
    ("/settings/sign-in", "Second factor"),
    ("/settings/tokens", "token for a service"),
    ("/settings/door", "Connected now".upper()),
    ("/settings/outside", "people without an account"),
    ("/checks/promises", "promises broken"),
    ("/checks/reviews", "Who still needs to be a steward?"),
    ("/checks/movers", "People"),
    ("/checks/parity", "Whom to ask as"),
    ("/settings/directories", "Everybody is kept here"),
    ("/settings/sources", "A database for each"),
    ("/settings/workspace", "Download a backup"),
    ("/me", "WHAT YOU HOLD"),
    ("/my/", "no pages for you"),
]


#: What an opened sentence shows.
OPENED = {
    "/roles/area-steward": "[data-testid=condition] .cm-content",
    "/roles/district-desk": ".lines-effect tbody tr",
    "/roles/stores-keeper": ".members .member",
}


#: Colours come from one list: every second screen is looked at in dark too, so that each kind of part is.
IN_DARK = [*SCREENS[0::4], *SCREENS[1::4]]
#: What another tab tells when its colours are changed.
TURNED = "window.dispatchEvent(new StorageEvent('storage', {key: 'moorland.mode', newValue: arguments[0]}))"


@pytest.mark.parametrize("screens", [SCREENS[::2], SCREENS[1::2]], ids=["one half of them", "the other"])
def test_no_screen_of_the_administrator_has_a_finding_light_or_dark(browsers: Callable[[str], Browser], screens: list[tuple[str, str]]) -> None:
    admin = browsers("h.warden")
    admin.open("/roles")
    admin.pin("j.ames")
    findings = {}
    for path, sign in screens:
        # A screen whose sign stands on the one before is loaded anew: that one would be looked at in its place.
        (admin.open if sign in admin.text() else admin.go)(path)
        admin.sees(sign)
        admin.until(lambda: not admin.all(".ant-spin, .on-its-way"), "loaded")
        if path.startswith("/roles"):
            admin.press("[data-testid=sentence-0] .words")
            admin.one(OPENED[path])
            if path != "/roles/stores-keeper":
                admin.one("[data-testid=effect] table tbody tr")
        found = findings_of(admin)
        if (path, sign) in IN_DARK:
            admin.driver.execute_script(TURNED, "dark")
            admin.until(lambda: admin.driver.execute_script("return localStorage.getItem('moorland.mode')") == "dark", "dark colours")
            found += [f"dark: {finding}" for finding in findings_of(admin, contrast_only=True)]
            admin.driver.execute_script(TURNED, "light")
        if found:
            findings[path] = found
    assert not findings, json.dumps(findings, indent=1)


def test_the_panel_that_is_asked_has_no_finding_in_any_turn(browsers: Callable[[str], Browser]) -> None:
    admin = browsers("h.warden")
    admin.open("/viewers")
    admin.pin("j.ames")
    cell = admin.until(lambda: next(iter(admin.all("[data-testid=totals] td[data-ask]")), None), "a figure")
    admin.driver.execute_script("arguments[0].focus()", cell)
    admin.driver.switch_to.active_element.send_keys("y")
    findings = {}
    for turn, sign in (("How it adds up", "[data-testid=bridge-steps]"), ("Who", "[data-testid=who]"), ("Why", "[data-testid=why]")):
        admin.click(turn, "[role=tab]")
        admin.one(sign)
        found = findings_of(admin)
        if found:
            findings[turn] = found
    assert not findings, json.dumps(findings, indent=1)


def test_a_viewers_page_and_the_sign_in_have_no_finding(browsers: Callable[[str], Browser]) -> None:
    viewer = browsers("t.holm")
    viewer.one("[data-testid=page]")
    assert findings_of(viewer) == []
    viewer.click("Account Tam Holm")
    viewer.click("Sign out", ".ant-dropdown-menu-item")
    viewer.one(".sign-in")
    assert findings_of(viewer) == []
    viewer.press(".sign-in button[type=submit]")
    viewer.sees("Enter your login.")
    assert viewer.driver.switch_to.active_element.get_attribute("id") == "login"
    assert findings_of(viewer) == []


def test_the_keyboard_gets_past_the_rail_and_the_tray_at_once(admin: Browser) -> None:
    admin.open("/roles")
    admin.one(".rail a.on")
    admin.driver.execute_script("document.activeElement.blur()")
    admin.driver.switch_to.active_element.send_keys(Keys.TAB)
    assert admin.driver.switch_to.active_element.text == "To the screen"
    admin.driver.switch_to.active_element.send_keys(Keys.ENTER)
    assert admin.driver.switch_to.active_element.tag_name == "main"
    admin.driver.switch_to.active_element.send_keys(Keys.TAB)
    assert admin.driver.execute_script("return document.querySelector('main').contains(document.activeElement)")
