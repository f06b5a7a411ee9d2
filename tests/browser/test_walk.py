"""The job end to end in the real interface: write a rule, see its effect, map it, release it, and look at what people see."""

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from moorland.core.engine.evaluator import Evaluator
from tests.browser.conftest import Browser, shown, total

Browsers = Callable[[str], Browser]


def open_rows_sentence(browser: Browser, role: str) -> None:
    browser.open(f"/roles/{role}")
    browser.one("[data-testid=sentence-0] .words")
    browser.until(lambda: not browser.all("[aria-busy=true]"), "all of the bench is there")
    browser.press("[data-testid=sentence-0] .words")
    browser.one("[data-testid=condition] .cm-content")


def test_a_rule_is_written_mapped_released_and_seen(browsers: Browsers, core: Evaluator) -> None:
    admin = browsers("h.warden")
    where = "site.area IN ('Fen End', 'Sound')"

    admin.open("/roles")
    admin.click("+ New role")
    admin.one("#label").send_keys("Desk on duty")
    admin.until(lambda: admin.one("#name").get_attribute("value") == "desk-on-duty", "the name is suggested from the label")
    admin.click("Create in the draft")
    admin.until(lambda: admin.driver.current_url.endswith("/roles/desk-on-duty"), "the new role is opened")

    admin.pin("a.knott")
    admin.click("+ rows")
    admin.write_condition("area IN ('Fen End', 'Sound')")
    admin.click("this role alone")
    sites = core.viewer_model(core.all_data(), "operations").data.rows("site")
    admin.until(lambda: f"of {sites}" in admin.share("site"), "the effect is shown before anything is saved")
    assert "draft, unsaved" in admin.one("[data-testid=effect]").text

    admin.click("+ objects")
    admin.click("+ pages")
    admin.sees("A pages sentence does not say which pages yet")
    admin.click("any page")
    admin.click("Save in the draft")
    admin.sees("Saved in the draft", "Saved; not released yet.")
    assert "1 change since release" in admin.one("[data-testid=state-mark]").text

    admin.click("+ map")
    admin.choose("Groups", "operations-desk")
    admin.one(".ant-modal-title").click()
    admin.sees("This role is not in the live release yet")
    admin.click("Map now")
    admin.until(lambda: not [item for item in admin.all(".ant-modal") if item.is_displayed()], "the dialog closes")

    desk = browsers("a.knott")
    desk.sees("There are no pages for you yet")

    admin.click("Review and release")
    admin.sees("Desk on duty", "Alder Knott")
    admin.one("input[aria-label='What this release is for']").send_keys("Desk on duty")
    # Two promises of the demo are broken as shipped: a release says why it is made all the same.
    admin.sees("2 promises broken")
    admin.one("input[aria-label='Why it is released all the same']").send_keys("known, and not of this change")
    admin.click("Release now")
    admin.until(lambda: admin.all("[data-testid=nothing-pending]"), "the draft is live")

    desk.open("/my/output")
    open_only = f"{where} AND site.status = 'open'"
    assert desk.figure("energy").startswith(shown(total(core, "v.birk", "energy", open_only)))
    lines = {row.text.split("\n")[0] for row in desk.all(".exhibit.as-list tbody tr")}
    assert lines
    assert all("Fen End" in line or "Sound" in line for line in lines)

    steward = browsers("j.ames")
    steward.open("/my/output")
    assert steward.figure("energy").startswith(shown(total(core, "j.ames", "energy")))
    assert steward.figure("energy") != desk.figure("energy")


def test_a_viewer_is_told_nothing_of_what_is_withheld(browsers: Browsers, core: Evaluator) -> None:
    contractor = browsers("r.oddie")
    contractor.sees("Contractor week")
    assert contractor.figure("jobs") == shown(total(core, "r.oddie", "jobs"))
    source = contractor.driver.page_source
    assert [word for word in ("Job cost", "Compensation", "Lease", "curtailed", "withheld", "hidden from", "not available") if word in source] == []
    contractor.open("/my/compensation")
    contractor.sees("There is no page named compensation.")
    contractor.open("/roles")
    contractor.until(lambda: "/my/contractor-week" in contractor.driver.current_url, "a viewer has only their own pages")


def test_the_effect_follows_every_keystroke_and_is_undone(admin: Browser, core: Evaluator) -> None:
    admin.open("/roles/area-steward")
    admin.pin("n.thwaite")
    open_rows_sentence(admin, "area-steward")
    before = admin.until(lambda: admin.share("job") if " of " in admin.share("job") else None, "the share is shown")
    assert before.split(" of ")[0].split()[-1] == shown(total(core, "n.thwaite", "jobs"))
    admin.write_condition("area IN viewer.areas AND district = 'Tarnside'")
    expected = shown(total(core, "n.thwaite", "jobs", "site.district = 'Tarnside'"))
    admin.until(lambda: f"{expected} of" in admin.share("job"), f"the share becomes {expected}")
    assert "was " in admin.share("job")
    admin.sees("would be lost by this edit")
    admin.click("Discard")
    admin.until(lambda: admin.share("job") == before, "the share is as before")


def test_values_are_picked_without_typing_and_the_text_stays_in_step(admin: Browser) -> None:
    open_rows_sentence(admin, "winter-review")
    admin.until(lambda: "area IN ('High Fells', 'Westdale')" in admin.one(".cm-content").text, "the text is shown")
    admin.click("Sound", ".values label")
    admin.until(lambda: "'Sound'" in admin.one(".cm-content").text, "the picked value is in the text")
    admin.sees("area is one of")
    admin.click("Westdale", ".values label")
    admin.until(lambda: "Westdale" not in admin.one(".cm-content").text, "the value taken away is gone from the text")
    admin.click("Undo")
    admin.until(lambda: "Westdale" in admin.one(".cm-content").text, "undone")
    admin.click("Discard")


def test_a_wrong_condition_is_underlined_and_cannot_be_saved(admin: Browser) -> None:
    open_rows_sentence(admin, "area-steward")
    admin.write_condition("aera IN viewer.areas")
    admin.sees("there is nothing named aera here", "does not check out")
    assert admin.one(".cm-lintRange-error").text == "aera"
    assert not admin.named("Save in the draft").is_enabled()
    admin.click("area", ".rows-editor .textlink")
    admin.until(
        lambda: admin.named("Save in the draft").is_enabled() or "checks out" in admin.one("[data-testid=check-verdict]").text, "the nearest name mends it"
    )
    admin.click("Discard")


def test_a_limit_hides_objects_and_what_falls_with_them_is_named_before_saving(admin: Browser) -> None:
    admin.open("/roles/area-steward")
    admin.press("[data-testid=sentence-1] .words")
    admin.sees("By tag and folder")
    line = admin.until(lambda: next((item for item in admin.all(".object-line") if item.text.startswith("tag grid-agreement")), None), "the tag is listed")
    next(item for item in line.find_elements("css selector", "label") if item.text == "hide").click()
    admin.sees("Falls with it", "Compensation due", "Full potential", "exhibit Curtailed output on Output", "new with this edit")
    admin.click("Discard")


def test_a_role_deleted_in_another_tab_is_told_and_the_edit_is_kept(browsers: Browsers) -> None:
    first, second = browsers("h.warden"), browsers("h.warden")
    open_rows_sentence(first, "landholder")
    first.write_condition("landholder_id = viewer.landholder_id AND landholder_id > 2")
    first.until(lambda: first.named("Save in the draft").is_enabled(), "the edit checks out")
    second.open("/roles/landholder")
    second.click("Role actions")
    second.click("Delete", "[role=menuitem]")
    second.click("Delete in the draft")
    second.sees("is deleted in the draft")
    first.click("Save in the draft")
    first.sees("This role was deleted or renamed elsewhere. Your unsaved edit is kept here.")
    second.open("/roles")
    second.sees("DELETED")
    second.click("restore")
    second.until(lambda: "DELETED" not in second.text(), "the role is restored")


def test_a_save_over_somebody_elses_is_refused_and_both_versions_are_kept(browsers: Browsers) -> None:
    first, second = browsers("h.warden"), browsers("h.warden")
    open_rows_sentence(first, "open-sites-only")
    first.write_condition("status <> 'closed'")
    open_rows_sentence(second, "open-sites-only")
    second.write_condition("status IN ('open')")
    second.click("Save in the draft")
    second.sees("Saved in the draft")
    first.click("Save in the draft")
    first.sees("Somebody saved this role while you were editing it", "Keep my version")
    assert "closed" in first.one(".cm-content").text
    first.click("take theirs")
    first.until(lambda: "status IN ('open')" in first.one(".cm-content").text, "their version is loaded")


def test_viewers_stand_side_by_side_with_all_data(admin: Browser, core: Evaluator) -> None:
    admin.open("/viewers")
    admin.pin("j.ames")
    admin.pin("t.holm")
    everything = total(core, "v.birk", "energy", by=["site.area"])
    steward = total(core, "j.ames", "energy", by=["site.area"])
    rows = admin.until(
        lambda: [row for row in admin.all("[data-testid=totals] tbody tr") if len(row.find_elements("tag name", "td")) == 5], "four columns of figures"
    )
    for row in rows:
        cells = [cell.text for cell in row.find_elements("tag name", "td")]
        classes = row.find_elements("tag name", "td")[2].get_attribute("class") or ""
        if cells[0] == "Total":
            assert cells[1] == shown(sum(everything.values()))
            continue
        area = None if cells[0] == "(blank)" else cells[0]
        assert cells[1] == cells[3] == shown(everything[area])
        assert ("hid" in classes) == (area not in steward)
        assert ("differs" in classes) == (area in steward and shown(steward[area]) != cells[1])
    admin.click("Rows", "[role=tab]")
    admin.until(lambda: len(admin.all("[data-testid=rows] tbody tr")) == 48, "every site is listed")
    admin.driver.find_element("tag name", "body").send_keys("1")
    admin.sees("Cells as Jo Ames sees them")
    assert admin.all("[data-testid=rows] td.hid")


def test_a_person_is_changed_only_after_gain_and_loss_are_shown(admin: Browser) -> None:
    admin.open("/people/u.stell")
    admin.sees("Ulric Stell", "holds no role")
    admin.choose("Add to a group", "treasury")
    admin.sees("Add Ulric Stell to Treasury?", "1 person will see something else", "lease_payment +")
    admin.click("Cancel")
    admin.until(lambda: not [item for item in admin.all(".ant-modal") if item.is_displayed()], "the dialog closes")
    assert "Treasury" not in admin.one("[data-testid=person-card]").text
    admin.choose("Add to a group", "treasury")
    admin.sees("1 person will see something else")
    admin.click("Do it now")
    admin.until(lambda: "grant · by Treasury" in admin.one("[data-testid=person-card]").text, "the role is held at once")
    admin.click("take out", "[data-testid=person-card] .textlink")
    admin.sees("lease_payment −")
    admin.click("Do it now")
    admin.until(lambda: "grant · by Treasury" not in admin.one("[data-testid=person-card]").text, "taken away at once")


def test_pages_are_looked_at_through_another_viewers_eyes(admin: Browser, core: Evaluator) -> None:
    admin.open("/pages/outages")
    admin.pin("j.ames")
    admin.until(lambda: admin.figure("jobs") == shown(total(core, "j.ames", "jobs")), "the steward's number")
    admin.driver.find_element("tag name", "body").send_keys("0")
    admin.until(lambda: admin.figure("jobs") == shown(total(core, "v.birk", "jobs")), "all the data")
    admin.driver.find_element("tag name", "body").send_keys("1")
    admin.open("/pages/compensation")
    admin.until(lambda: admin.all("[data-testid=page-closed]"), "the page does not exist for the steward")
    admin.open("/pages/nothing")
    admin.sees("There is no page nothing")


def test_every_look_is_in_the_trail(admin: Browser) -> None:
    admin.open("/people/k.ash")
    admin.sees("Kerr Ash")
    admin.open("/trail")
    admin.sees("looked as k.ash at person card")


def test_anything_is_found_by_the_keyboard_alone(admin: Browser) -> None:
    admin.open("/roles")
    admin.one(".bench")
    admin.driver.find_element("tag name", "body").send_keys(Keys.CONTROL, "k")
    field = admin.one("input[aria-label='Find anything']")
    field.send_keys("kerr")
    admin.sees("k.ash · person")
    field.send_keys(Keys.ENTER)
    admin.until(lambda: admin.driver.current_url.endswith("/people/k.ash"), "the person is opened")
    admin.driver.back()
    admin.until(lambda: "/roles" in admin.driver.current_url, "the back button goes back")


def test_edits_are_undone_redone_and_saved_by_keys_and_signing_out_asks_first(admin: Browser) -> None:
    admin.one(".rail")
    body = admin.driver.find_element("tag name", "body")
    body.send_keys("?")
    admin.sees("undo the last edit")
    admin.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
    admin.until(lambda: "undo the last edit" not in admin.text(), "the list is closed")
    admin.open("/roles/winter-review")
    admin.press("[data-testid=sentence-0] [aria-label='Sentence actions']")
    admin.click("Duplicate", ".ant-dropdown-menu-item")
    admin.one("[data-testid=sentence-3]")
    admin.driver.find_element("tag name", "body").send_keys(Keys.CONTROL, "z")
    admin.until(lambda: not admin.all("[data-testid=sentence-3]"), "the sentence is taken back")
    admin.driver.find_element("tag name", "body").send_keys(Keys.CONTROL, Keys.SHIFT, "z")
    admin.one("[data-testid=sentence-3]")
    admin.click("Account h.warden")
    admin.click("Sign out", ".ant-dropdown-menu-item")
    admin.sees("Unsaved edits would be lost: roles winter-review.")
    admin.click("Stay")
    admin.one("[data-testid=sentence-3]")
    admin.click("Discard")
    admin.until(lambda: not admin.all("[data-testid=sentence-3]"), "the edit is gone")


def test_a_browser_that_keeps_nothing_is_no_trouble(browsers: Callable[[str], Browser]) -> None:
    admin = browsers("h.warden")
    refused = "Object.defineProperty(window, 'localStorage', {get() { throw new DOMException('refused', 'SecurityError'); }})"
    made = admin.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": refused})
    try:
        admin.open("/roles/area-steward")
        admin.pin("j.ames")
        admin.sees("What happens in the areas somebody looks after.")
        admin.go("/people")
        admin.sees("Ada Finn")
    finally:
        admin.driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", made)
