"""Pages are written, opened from their own side, and read within the rules, in the real interface."""

from collections.abc import Callable

from selenium.webdriver import ActionChains

from moorland.core.engine.evaluator import Evaluator
from tests.browser.conftest import Browser, shown, total

Browsers = Callable[[str], Browser]


def test_a_page_is_written_with_its_data_at_once_and_opened_from_its_own_side(admin: Browser, core: Evaluator) -> None:
    admin.open("/pages")
    admin.pin("j.ames")
    admin.click("+ New page")
    admin.write("input[id=label]", "Energy watch")
    admin.choose("Shelf of the page", "Money")
    admin.click("Create in the draft")
    admin.sees("Nothing on the page yet")
    admin.click("+ exhibit")
    admin.until(lambda: admin.figure("energy").startswith(shown(total(core, "j.ames", "energy"))), "the figure is that of Jo Ames")
    admin.click("+ exhibit")
    admin.click("bar")
    admin.choose("Set out by", "site.area")
    admin.one(".exhibit-slot canvas")
    admin.click("Save in the draft")
    admin.sees("Saved in the draft.")
    admin.open("/pages/energy-watch")
    admin.sees("This page does not exist for Jo Ames.")
    admin.choose("Open or close it in a role", "Area steward")
    admin.until(lambda: admin.figure("energy").startswith(shown(total(core, "j.ames", "energy"))), "the unsaved sentence opens it")
    admin.click("who opens what")
    admin.sees("only what the edits change")
    admin.click("Save in the draft")
    admin.until(lambda: "Edited:" not in admin.text(), "the role is saved")


def test_an_edit_of_a_page_is_undone_redone_and_kept_while_looking_elsewhere(admin: Browser) -> None:
    admin.open("/pages/compensation/edit")
    title = admin.one("#exhibit-title")
    before = title.get_attribute("value")
    title.send_keys(" owed")
    admin.sees("draft, unsaved")
    admin.click("Roles")
    admin.click("Pages")
    admin.click("Compensation", "a .cut")
    admin.click("Edit the page")
    admin.until(lambda: admin.one("#exhibit-title").get_attribute("value") == f"{before} owed", "the edit is kept")
    admin.click("Discard")
    admin.until(lambda: admin.one("#exhibit-title").get_attribute("value") == before, "discarded")


def test_a_shelf_with_pages_is_not_deleted_and_the_reason_stands_in_place(admin: Browser) -> None:
    admin.open("/pages")
    admin.click("Shelf Stores")
    admin.click("Delete")
    admin.sees("The shelf holds 1 page. Move or delete it first.")


def test_a_reader_narrows_lists_rows_beneath_and_finds_the_filters_again(browsers: Browsers, core: Evaluator) -> None:
    jo = browsers("j.ames")
    jo.one("[data-testid=page]")
    jo.click("More of Energy by area")
    jo.click("As a table", "[role=menuitem]")
    jo.click("High Fells", ".exhibit button")
    expected = total(core, "j.ames", "energy", "site.area = 'High Fells'")
    jo.until(lambda: jo.figure("energy").startswith(shown(expected)), "the figure is narrowed")
    jo.driver.refresh()
    jo.until(lambda: jo.figure("energy").startswith(shown(expected)), "the filter is remembered")
    jo.press("[data-testid=figure-energy] button")
    jo.sees("Rows beneath Energy", "The first 200 of")
    jo.sees("Save as CSV")


def test_a_category_is_selected_wherever_its_band_is_pressed_not_only_on_its_bar(browsers: Browsers, core: Evaluator) -> None:
    reader = browsers("t.holm")
    drawn = reader.one("section[aria-label='Energy by area'] canvas")
    of_the_first = (-drawn.size["width"] // 2 + 30, -drawn.size["height"] // 2 + 20)
    ActionChains(reader.driver).move_to_element_with_offset(drawn, *of_the_first).click().perform()
    expected = total(core, "t.holm", "energy", "site.area = 'Eastmoor'")
    reader.until(lambda: reader.figure("energy").startswith(shown(expected)), "the label of the first narrows the page")


def test_nothing_on_a_readers_page_names_what_is_withheld(browsers: Browsers) -> None:
    jo = browsers("j.ames")
    jo.one("[data-testid=page]")
    source = jo.driver.page_source
    assert [word for word in ("urtailed", "ot available", "withheld") if word in source] == []


def test_a_treemap_is_drawn_and_is_a_table_too(admin: Browser) -> None:
    admin.open("/pages/stock-by-depot")
    admin.one("section[aria-label='Value by class'] canvas")
    admin.click("More of Value by class")
    admin.click("As a table", ".ant-dropdown-menu-item")
    admin.until(lambda: "Gearbox" in admin.one("section[aria-label='Value by class'] table").text, "the figures as a table")
