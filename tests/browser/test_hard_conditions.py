"""What people meet who come by a bad line, or look closely: a server that is not reached for a while, and a window at four hundred per cent."""

import itertools

from tests.browser.conftest import Browser


def reached(browser: Browser, blocked: list[str]) -> None:
    """Keeps some addresses from the browser, as a proxy that drops connections does."""
    browser.driver.execute_cdp_cmd("Network.enable", {})
    browser.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": blocked})


def test_what_was_there_stays_while_the_server_is_not_reached_and_the_rest_comes_by_itself_after(admin: Browser) -> None:
    admin.go("/people")
    admin.sees("Choose somebody")
    reached(admin, ["*/api/*"])
    admin.press(".person-line")
    admin.sees("The server does not answer. What is shown is from before", "64 people", "It is asked again every few seconds.")
    reached(admin, [])
    admin.sees("ROLES HELD")
    admin.until(lambda: not admin.all(".unreached"), "nothing is said of a server that answers")


def test_at_four_hundred_per_cent_screens_are_found_and_nothing_lies_over_another(admin: Browser) -> None:
    admin.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {"width": 320, "height": 256, "deviceScaleFactor": 4, "mobile": False})
    try:
        admin.go("/people/j.ames")
        admin.sees("ROLES HELD")
        admin.press(".rail a[href='/roles']")
        admin.press("a[href='/roles/area-steward']")
        admin.sees("MAPPED TO")
        parts = admin.driver.execute_script("return [...document.querySelector('.bench').children].map((part) => part.getBoundingClientRect().toJSON())")
        assert all(above["bottom"] <= below["top"] + 1 for above, below in itertools.pairwise(parts))
        assert admin.driver.execute_script("return document.documentElement.scrollWidth") <= 321
    finally:
        admin.driver.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})
