"""From an empty workspace, with only files and the screens' own guidance, to a working model, people and a first role."""

import re
from pathlib import Path

from tests.browser.conftest import Browser, served

PASSWORD = "heather and peat"
SITES = "Site ID,Area,Opened,Keeper mail\n" + "".join(
    f"{number},{('High Fells', 'Low Moor', 'Sound')[number % 3]},{1 + number % 28:02}.0{1 + number % 9}.2021,k{number}@whinfell.example\n"
    for number in range(1, 31)
)
READINGS = "site,day,kwh\n" + "".join(f"{1 + number % 30},2026-01-{1 + number % 28:02},{number}.5\n" for number in range(600))
PEOPLE = (
    "Login,Full name,E-mail,Groups,areas\n"
    "ann,Ann Fell,ann@whinfell.example,stewards,High Fells\n"
    "bea,Bea Moor,bea@whinfell.example,stewards,Low Moor; Sound\n"
    "cy,Cy Sound,ANN@whinfell.example,,\n"
)


def test_an_administrators_first_day(tmp_path: Path) -> None:
    data = tmp_path / "workspace"
    data.mkdir()
    for name, text in (("site.csv", SITES), ("reading.csv", READINGS), ("people.csv", PEOPLE)):
        (tmp_path / name).write_text(text)
    with served("serve", data) as (address, log):
        browser = Browser(address, tmp_path / "profile")
        try:
            set_up(browser, log)
            bring_data(browser, tmp_path)
            bring_people(browser, tmp_path)
            write_role(browser)
            follow_a_link(browser, address, tmp_path)
        finally:
            browser.driver.quit()


def set_up(browser: Browser, log: Path) -> None:
    found = re.search(r"http://\S+/welcome#\S+", log.read_text())
    assert found is not None
    browser.driver.get(found[0])
    for field, text in (("workspace", "Hill place"), ("login", "boss"), ("name", "Bo Oss"), ("password", PASSWORD), ("again", PASSWORD)):
        browser.write(f"#welcome-{field}", text)
    browser.click("Make the workspace")
    browser.sees("No data yet")


def bring_data(browser: Browser, folder: Path) -> None:
    browser.click("Bring data in")
    browser.bring(folder / "site.csv", folder / "reading.csv")
    browser.until(lambda: len(browser.all(".file-line")) == 2, "both files")
    browser.click("Look at what is in them")
    browser.sees("mail address, by its values")
    browser.click("Go on")
    browser.sees("30 of 30 values (600 of 600 rows) are keys of site")
    browser.click("Go on")
    browser.write("#model-name", "hills")
    browser.click("Bring in")
    browser.sees("What comes next")
    browser.click("Look at the map")
    browser.until(lambda: "600 rows" in browser.one("[data-table=reading]").text, "the readings")


def bring_people(browser: Browser, folder: Path) -> None:
    browser.click("People")
    browser.click("Define attributes first")
    browser.click("+ attribute")
    browser.write("#attribute-name", "areas")
    browser.click("Many values")
    browser.click("See what changes")
    browser.sees("Nobody sees more or less")
    browser.click("Do it now")
    browser.until(lambda: "areas" in [cell.text.strip() for cell in browser.all(".ant-modal td")], "the attribute")
    browser.click("Close")
    browser.click("+ new")
    browser.write("#place-name", "stewards")
    browser.click("See what changes")
    browser.click("Do it now")
    browser.until(lambda: any("stewards" in line.text for line in browser.all(".tree-line")), "the group")
    browser.click("Bring in from a file")
    browser.bring(folder / "people.csv")
    browser.click("Try every row")
    browser.sees("2 new", "1 refused", "The e-mail ANN@whinfell.example belongs to ann already.")
    browser.press(".ant-modal .ant-checkbox-wrapper")
    browser.click("Do it now")
    browser.until(lambda: any("bea" in line.text for line in browser.all(".person-line")), "the people")


def write_role(browser: Browser) -> None:
    browser.click("Roles")
    browser.click("New role")
    browser.write("#name", "steward")
    browser.click("Create in the draft")
    browser.pin("ann")
    browser.click("+ rows")
    browser.write_condition("area IN viewer.areas")
    browser.click("this role alone")
    browser.until(lambda: "10 of 30" in browser.share("site"), "the effect")
    browser.until(lambda: "200 of 600" in browser.share("reading"), "the effect on the readings")
    browser.click("Save in the draft")
    browser.sees("Saved; not released yet.")


def follow_a_link(browser: Browser, address: str, folder: Path) -> None:
    browser.open("/people/ann")
    browser.press("[aria-label='What to do with this person']")
    browser.click("Link for the first sign-in", "li")
    link = browser.one("[data-testid=link]").text
    other = Browser(address, folder / "other")
    try:
        other.driver.get(link)
        other.write("#welcome-password", PASSWORD)
        other.write("#welcome-again", PASSWORD)
        other.click("Keep this password")
        other.sees("Ann Fell")
    finally:
        other.driver.quit()
