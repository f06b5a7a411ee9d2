"""A table is left in a database, looked at as a viewer, and refreshed by schedule, with nothing but the screens (sources.md)."""

import os
import sqlite3
from collections.abc import Iterator
from unittest import mock

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Browser, served


@pytest.fixture(scope="module")
def own(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A demo of this file's own, with a folder that sources may be in."""
    folder = tmp_path_factory.mktemp("sources")
    with sqlite3.connect(folder / "wind.sqlite") as made:
        made.execute("CREATE TABLE wind (site_id INTEGER, speed REAL, direction TEXT)")
        made.executemany("INSERT INTO wind VALUES (?, ?, ?)", [(1 + i % 48, i % 90 / 10, "NESW"[i % 4]) for i in range(960)])
        made.execute("CREATE TABLE landholder (name TEXT)")
    with mock.patch.dict(os.environ, {"MOORLAND_SOURCE_FOLDERS": str(folder)}), served("demo", tmp_path_factory.mktemp("data")) as (address, _):
        yield address


@pytest.fixture
def address(own: str) -> str:
    """Where this file's browsers go."""
    return own


def test_a_table_stays_in_its_source_and_another_is_refreshed_by_schedule(admin: Browser, own: str) -> None:
    admin.open("/settings/sources")
    admin.sees("books_{viewer.holding}.sqlite", "A database for each holding")
    admin.click("+ source")
    admin.write("#source-name", "weather")
    admin.choose("#source-kind", "SQLite")
    admin.write("#source-file", "nothing.sqlite")
    admin.click("Try it")
    admin.sees("There is no file nothing.sqlite")
    for _ in "nothing.sqlite":
        admin.one("#source-file").send_keys(Keys.BACKSPACE)
    admin.write("#source-file", "wind.sqlite")
    admin.click("Try it")
    admin.sees("Reached, with 2 relations.")
    admin.click("Keep it")
    admin.sees("SQLite, wind.sqlite", "no trouble seen")

    admin.open("/models")
    admin.click("Table from a source…")
    admin.choose("#place-source", "weather")
    admin.choose("#place-relation", "wind")
    admin.sees("960 rows", "none of them is copied")
    admin.click("Leave it there")
    admin.sees("stays in weather", "direction", "site_id")
    admin.click("Rows")
    admin.sees("1–100 of 960")

    admin.open("/models/refreshes")
    admin.click("+ schedule")
    admin.choose("#schedule-table", "landholder")
    admin.choose("#place-source", "weather")
    admin.choose("#place-relation", "landholder")
    admin.click("Keep it")
    admin.sees("daily at 03:30", "has not run yet")
    admin.click("Run now")
    admin.sees("failed", "is not in landholder. Nothing can be joined without it.")
