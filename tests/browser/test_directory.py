"""People in the browser: every change shows gain and loss first; copying and deleting say what they carry along."""

from selenium.webdriver.common.by import By

from tests.browser.conftest import Browser


def person_menu(browser: Browser, what: str) -> None:
    browser.press("[aria-label='What to do with this person']")
    browser.click(what, ".ant-dropdown-menu-item")


def test_somebody_is_added_given_access_and_deleted(admin: Browser) -> None:
    admin.open("/people")
    admin.click("+ person")
    admin.write("#new-login", "J.AMES")
    admin.write("#new-name", "Jo Ames")
    admin.sees("The login is taken by Jo Ames (j.ames).", "has the same name")
    admin.one("#new-login").clear()
    admin.press("#new-login")
    admin.driver.execute_script("arguments[0].select()", admin.one("#new-login"))
    admin.write("#new-login", "j.ames2")
    admin.click("See what changes")
    admin.click("Do it now")
    admin.until(lambda: admin.driver.current_url.endswith("/people/j.ames2"), "the new card")
    person_menu(admin, "Copy access from somebody…")
    admin.choose("From whom", "g.mire")
    admin.until(lambda: admin.all(".copy-item"), "what can be copied")
    admin.click("See what changes")
    admin.until(lambda: admin.all("table.impact tbody tr"), "gain and loss")
    admin.click("Do it now")
    admin.until(lambda: "No role." not in admin.one("[data-testid=person-card]").text, "the roles")
    person_menu(admin, "Delete…")
    admin.sees("WHAT HANGS ON THIS ACCOUNT", "loses a member")
    admin.click("See what changes")
    admin.until(lambda: admin.all("table.impact tbody tr"), "what is lost")
    admin.click("Do it now")
    admin.sees("Choose somebody")
    assert not [line for line in admin.all(".person-line") if "j.ames2" in line.text]


def test_a_group_cannot_be_put_into_itself_by_a_way_round(admin: Browser) -> None:
    admin.open("/people")
    line = admin.until(lambda: next((item for item in admin.all(".tree-row") if item.text.startswith("Treasury")), None), "the group")
    menu = line.find_element(By.CSS_SELECTOR, ".tree-menu")
    admin.driver.execute_script("arguments[0].click()", menu)
    admin.click("Move…", ".ant-dropdown-menu-item")
    admin.choose("Into", "Payments")
    admin.click("See what changes")
    admin.sees("The groups form a cycle")


def test_many_people_are_chosen_and_changed_together(admin: Browser) -> None:
    admin.open("/people")
    admin.one(".person-line")
    for login in ("i.beck", "k.ash"):
        box = admin.driver.find_element(By.CSS_SELECTOR, f"input[aria-label='Choose {login}']")
        admin.driver.execute_script("arguments[0].click()", box)
    admin.until(lambda: "2 people chosen" in admin.one("[data-testid=bulk]").text, "two chosen")
    admin.click("Disable")
    admin.sees("Disable 2 people?", "2 people will see something else.")
    admin.click("Cancel")


def test_a_role_given_for_some_days_is_taken_away_again(admin: Browser) -> None:
    admin.open("/people/k.ash")
    person_menu(admin, "Give a role…")
    admin.choose("Give a role", "Winter review")
    admin.write("input[aria-label=Until]", "12312030")
    admin.click("See what changes")
    admin.click("Do it now")
    admin.sees("until 2030-12-31")
    admin.until(lambda: not [item for item in admin.all(".ant-modal") if item.is_displayed()], "the dialog closes")
    admin.click("take away")
    admin.click("Do it now")
    admin.until(lambda: "until 2030-12-31" not in admin.text(), "the role is gone")


def test_a_place_in_the_tree_tells_what_it_gives(admin: Browser) -> None:
    admin.open("/people")
    line = admin.until(lambda: next((item for item in admin.all(".tree-line") if item.text.startswith("Area stewards")), None), "the group")
    line.click()
    admin.until(lambda: "Area steward" in admin.one("[data-testid=place-card]").text, "what it gives")
