"""Accounts in the interface: a keeper gives a duty, a people desk knows its own people only, an auditor sees no value, and one keeps one's own account (accounts.md 6)."""

from collections.abc import Callable

import pyotp
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from moorland.core.engine.evaluator import Evaluator
from tests.browser.conftest import Browser


def rail(browser: Browser) -> list[str]:
    return [link.text for link in browser.all(".rail a")]


def test_a_keeper_gives_a_duty_and_sees_what_the_account_can_do(browsers: Callable[[str], Browser]) -> None:
    keeper = browsers("h.warden")
    keeper.open("/settings/duties")
    keeper.press("main button.ant-btn-primary")
    who = keeper.one("#duty-who")
    who.send_keys("Verity Birk")
    keeper.until(lambda: [item for item in keeper.all(".ant-select-item-option") if item.is_displayed() and "v.birk" in item.text], "she is offered")
    who.send_keys(Keys.ENTER)
    ready = keeper.one("#duty-set")
    ready.send_keys("Auditor")
    keeper.until(lambda: [item for item in keeper.all(".ant-select-item-option") if item.is_displayed() and "Auditor" in item.text], "the set is offered")
    ready.send_keys(Keys.ENTER)
    keeper.click("Give it", "button")
    keeper.until(lambda: any("Verity Birk" in row.text for row in keeper.all("[data-testid=duties] tbody tr")), "it is in the grid")
    keeper.open("/settings/duties?of=v.birk")
    keeper.sees("Verity Birk has 1 duty")
    keeper.press("[data-testid=duties] .holder button")
    keeper.click("Delete", "button")
    keeper.click("Take it away", "button")
    keeper.sees("Verity Birk has no duty")


def test_a_people_desk_knows_its_own_people_only(browsers: Callable[[str], Browser]) -> None:
    desk = browsers("f.hurst")
    desk.sees("Jo Ames")
    assert rail(desk) == ["People", "Roles"]
    assert "Cora Orme" not in desk.text()
    desk.open("/people/c.orme")
    desk.sees("There is nobody with the login c.orme")
    desk.open("/roles")
    desk.sees("it keeps site where area IN viewer.areas")
    assert "Treasury" not in desk.text()
    desk.open("/reach")
    desk.sees("Your account may not do this.")


def test_an_auditor_sees_shapes_and_no_value_anywhere(browsers: Callable[[str], Browser], core: Evaluator) -> None:
    auditor = browsers("c.orme")
    auditor.sees("without values")
    areas = {"High Fells", "Eastmoor", "Saltmarsh", "Fen End", "Westdale"}
    for path, sign in (("/viewers", "Rows counted"), ("/reach", "exactly the same"), ("/roles/landholder", "it keeps landholder where"), ("/models", "site")):
        auditor.open(path)
        auditor.sees(sign)
        if path == "/viewers":
            auditor.until(lambda: "…" in auditor.one("[data-testid=totals]").text, "keys are not told")
        cells = {cell.text for cell in auditor.all("main td")}
        assert not cells & areas, path


def test_one_keeps_ones_own_account(browsers: Callable[[str], Browser]) -> None:
    ames = browsers("j.ames")
    ames.open("/me")
    ames.sees("WHERE YOU ARE SIGNED IN", "Area steward")
    field = ames.one("#own-home_base")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("Eastmoor")
    ames.sees("You see the same as before")
    ames.until(lambda: [button for button in ames.all("section button") if button.text == "Save" and button.is_enabled()], "it can be saved")
    ames.click("Save", "button")
    ames.sees("Saved. It acts at once.")
    ames.click("+ token", "button")
    ames.one("#token-name").send_keys("notebook")
    ames.click("Make it", "button")
    token = ames.one("[data-testid=token]").text
    assert token.startswith("moorland_")
    ames.click("I have it", "button")
    ames.until(lambda: "notebook" in ames.one("section[aria-label=Tokens]").text, "it is listed")
    assert token not in ames.text()


def test_a_second_factor_is_set_up_and_asked_for(browsers: Callable[[str], Browser]) -> None:
    gill = browsers("v.birk")
    gill.open("/me")
    gill.press("[data-testid=factor] button")
    secret = gill.until(lambda: next(iter(gill.all(".second-factor code")), None), "the key").text
    gill.one("input[aria-label=Code]").send_keys(pyotp.TOTP(secret).now())
    gill.click("Put it in force", "button")
    gill.one("[data-testid=recovery]")
    codes = [item.text for item in gill.all(".recovery-codes code")]
    gill.click("I keep them", "button")
    gill.until(lambda: "in force" in gill.one("[data-testid=factor]").text, "it is in force")
    gill.forget()
    gill.open("/")
    gill.until(lambda: next((item for item in gill.all(".demo-account") if item.find_element(By.TAG_NAME, "code").text == "v.birk"), None), "sign-in").click()
    gill.one("input[autocomplete=one-time-code]")
    password = gill.driver.execute_script("return document.querySelector('input[autocomplete=current-password]').value")
    gill.one("input[autocomplete=username]").send_keys("v.birk")
    gill.one("input[autocomplete=current-password]").send_keys(password or "heather-and-peat")
    gill.one("input[autocomplete=one-time-code]").send_keys(codes[0], Keys.ENTER)
    gill.until(lambda: not gill.all(".sign-in"), "signed in with a recovery code")
