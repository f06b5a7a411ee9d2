"""A directory is connected by the wizard alone, its people come in, and a review is answered, with nothing but the screens (accounts.md)."""

import os
from collections.abc import Iterator
from unittest import mock

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from demo import directory, slapd
from demo.slapd import READER, READER_PASSWORD, SUFFIX, Slapd
from tests.browser.conftest import Browser, served


@pytest.fixture(scope="module")
def office() -> Iterator[Slapd]:
    with slapd.running_slapd(directory.entries()) as running:
        yield running


@pytest.fixture(scope="module")
def own(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A demo of this file's own: its people change."""
    with mock.patch.dict(os.environ, {"MOORLAND_SOURCE_HOSTS": "localhost"}), served("demo", tmp_path_factory.mktemp("data")) as (address, _):
        yield address


@pytest.fixture
def address(own: str) -> str:
    """Where this file's browsers go."""
    return own


def test_a_directory_is_connected_by_the_wizard_alone(admin: Browser, office: Slapd) -> None:
    admin.open("/settings/directories")
    admin.click("Connect a directory")
    admin.write("#origin-name", "head-office")
    admin.write("#origin-label", "Head office")
    admin.write("#origin-port", str(office.port))
    admin.choose("#origin-security", "no TLS: on this machine only")
    admin.click("Next: who asks")
    admin.write("#origin-bind", READER)
    admin.write("#origin-secret", "wrong")
    admin.click("Try it")
    admin.sees("does not take this name and password")
    admin.one("#origin-secret").send_keys(Keys.CONTROL, "a")
    admin.write("#origin-secret", READER_PASSWORD)
    admin.click("Next: people")
    admin.write("#people-base", f"ou=people,{SUFFIX}")
    admin.write("#people-organization", "o")
    admin.click("Look again")
    admin.sees("11 people are found.", "Asa Hollin", "saltmarsh")
    admin.click("Next: groups")
    admin.write("#groups-base", f"ou=groups,{SUFFIX}")
    admin.click("Look again")
    admin.sees("High Fells stewards", "1 inside")
    admin.driver.execute_script("arguments[0].click()", admin.all("[aria-label='High Fells stewards fills a group']")[0])
    here = admin.one("[aria-label='Group here for High Fells stewards']")
    here.send_keys(Keys.CONTROL, "a")
    here.send_keys("fell-stewards")
    admin.click("Next: attributes")
    admin.one("[aria-label='Where areas comes from']").send_keys("departmentNumber")
    admin.sees("High Fells, Westdale")
    admin.click("Next: dry run")
    admin.click("Try it: who would gain, who would lose?")
    admin.sees("8 new", "3 refused", "Bea Sour", "stands in two entries", "The login o.ling belongs to Orla Ling, who is kept here.")
    admin.click("Keep it")
    admin.click("Run now")
    admin.sees("They are the same person")
    admin.click("Apply it")
    admin.sees("Done. 8 new.")
    admin.driver.find_element(By.TAG_NAME, "body").send_keys(Keys.ESCAPE)
    admin.open("/people/b.sour")
    admin.sees("comes from Head office", "High Fells stewards")


def test_whoever_is_asked_answers_a_review_and_it_is_closed(browsers: object, admin: Browser) -> None:
    keeper: Browser = browsers("f.hurst")  # type: ignore[operator]
    keeper.open("/me")
    keeper.sees("Hazel Warden asks you until", "to answer (7)")
    keeper.click("Keep", "[aria-label='Lines of the review'] button")
    keeper.sees("to answer (6)")
    admin.open("/checks/reviews")
    admin.click("Who still needs to be a steward?")
    admin.sees("8 of 14 lines answered")
    admin.click("Take away…", "[aria-label='Lines of the review'] button")
    admin.sees("will see something else")
    admin.click("Take it away now")
    admin.sees("9 of 14 lines answered")
    admin.click("Close it")
    admin.click("Close it", ".ant-modal-confirm button")
    admin.sees("Sealed:")
