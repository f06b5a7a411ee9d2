"""Every kind of sentence is written on the bench without typing conditions, and the numbers are those of the core."""

from collections.abc import Callable
from typing import Any

from selenium.webdriver.common.keys import Keys

from moorland.core.bundle.people import ImaginedPerson, ImaginedViewer, RealViewer
from moorland.core.bundle.policy import Role, Sentence
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question, RowsAnswer
from tests.browser.conftest import Browser, shown

Browsers = Callable[[str], Browser]


def with_role(core: Evaluator, *sentences: dict[str, object], model: str = "operations", kind: str = "grant") -> Evaluator:
    """The demo with one more role, nobody's yet."""
    shaped = [Sentence.model_validate(sentence) for sentence in sentences]
    role = Role.model_validate({"name": "tried", "kind": kind, "model": model, "sentences": shaped})
    return core.on(core.bundle.model_copy(update={"roles": [*core.bundle.roles, role]}))


def visible(core: Evaluator, table: str, login: str | None = None, model: str = "operations") -> int:
    """The rows of a table that somebody with only the tried role sees."""
    reference = RealViewer(login=login, only_roles=["tried"]) if login else ImaginedViewer(imagine=ImaginedPerson(only_roles=["tried"]))
    answer = core.answer(core.viewer(reference), Question.model_validate({"rows": {"model": model, "table": table, "limit": 0}}))
    assert isinstance(answer, RowsAnswer)
    return answer.visible


def new_role(admin: Browser, name: str, model: str = "Turbine operations", kind: str = "grant: opens data") -> None:
    """A new role of the model, with itself pinned on its own."""
    admin.open("/roles")
    admin.one(".side-line")
    if model not in admin.one(".state").text:
        admin.choose("Model", model)
        admin.sees("Stores keeper")
    admin.click("+ New role")
    admin.write("input[id=label]", name)
    admin.click(kind)
    admin.click("Create in the draft")
    admin.sees(f"{name}\n{name.lower().replace(' ', '-')}")
    if kind.startswith("grant"):
        admin.click("Pin this role on its own")


def tick(admin: Browser, value: str) -> None:
    """Ticks a value of the open picker."""
    admin.until(
        lambda: next((item for item in admin.all(".rows-editor .values label") if item.is_displayed() and item.text.strip() == value), None),
        f"no value {value}",
    ).click()


def say(admin: Browser, line: str, word: str) -> None:
    """Says something of an object or member on its tree."""
    found = admin.until(lambda: next((item for item in admin.all(f".ant-radio-group[aria-label='{line}']") if item.is_displayed()), None), f"no line {line}")
    next(item for item in found.find_elements("css selector", "label") if item.text == word).click()


def share_is(admin: Browser, table: str, rows: int) -> None:
    admin.until(lambda: admin.share(table).startswith(f"{table} {shown(rows)} of"), f"{table} shows {rows}, but {admin.share(table)}")


def test_rows_are_picked_in_groups_of_and_and_or(admin: Browser, core: Evaluator) -> None:
    new_role(admin, "Picked rows")
    admin.click("+ rows")
    admin.choose("Column", "area")
    admin.click("values")
    tick(admin, "High Fells")
    share_is(admin, "site", visible(with_role(core, {"rows": {"table": "site", "where": "area = 'High Fells'"}}), "site"))
    admin.click("+ or…")
    admin.choose("Column", "status")
    tick(admin, "closed")
    admin.sees("any of", "or")
    expected = with_role(core, {"rows": {"table": "site", "where": "area = 'High Fells' OR status = 'closed'"}})
    share_is(admin, "site", visible(expected, "site"))
    share_is(admin, "generation", visible(expected, "generation"))
    assert "OR" in admin.one("[data-testid=condition]").text
    admin.click("Discard")


def test_a_pasted_list_says_what_was_not_found(admin: Browser, core: Evaluator) -> None:
    new_role(admin, "Pasted rows")
    admin.click("+ rows")
    admin.choose("Column", "area")
    admin.click("values")
    admin.click("paste a list")
    admin.write("textarea[aria-label='Pasted values']", "High Fells\nEastmor\n")
    admin.click("Find 2 values")
    admin.sees("1 not in the data", "Eastmor", "nearest")
    admin.click("Eastmoor")
    admin.click("Done")
    share_is(admin, "site", visible(with_role(core, {"rows": {"table": "site", "where": "area IN ('High Fells', 'Eastmoor')"}}), "site"))
    admin.click("Discard")


def test_an_entitlement_is_chosen_by_its_evidence_and_read_line_by_line(admin: Browser, core: Evaluator) -> None:
    new_role(admin, "Scoped")
    admin.pin("b.lyth")
    admin.click("+ entitlement")
    admin.choose("Secured table", "site")
    admin.choose("Table of entitlements", "steward_scope")
    admin.sees("By the data:", "login as login")
    admin.click("login as login")
    admin.choose("Add a matching column", "area")
    admin.sees("6 of 6 values found", "look wrong", "names nobody")
    admin.click("this role alone")
    sentence = {"table": "site", "through": "steward_scope", "person": "login", "person_is": "login", "match": {"area": "area"}}
    share_is(admin, "site", visible(with_role(core, {"entitlement": sentence}), "site", "b.lyth"))
    admin.click("Discard")


def test_members_are_seen_or_not_at_any_depth_with_what_whole_totals_give_away(admin: Browser, core: Evaluator) -> None:
    new_role(admin, "Some parts", "Spare parts")
    admin.click("+ members")
    say(admin, "Gearbox", "see")
    admin.click("Unfold Gearbox")
    say(admin, "Bearings", "not")
    listed = [{"path": ["Gearbox"], "see": True}, {"path": ["Gearbox", "Bearings"], "see": False}]
    share_is(admin, "stock", visible(with_role(core, {"members": {"hierarchy": "parts", "list": listed}}, model="spare-parts"), "stock", model="spare-parts"))
    admin.click("whole: over everything")
    admin.until(lambda: "Gearbox › Bearings is" in admin.one("[data-testid=given-away]").text, "the hidden member's number is worked out")
    admin.click("Save in the draft")
    admin.sees("Saved in the draft.")


def test_from_the_members_side_it_is_told_who_sees_it_and_a_group_is_added_there(admin: Browser) -> None:
    admin.open("/roles/stores-keeper")
    # The role brings its model along; what is pressed before is drawn anew.
    admin.sees("Spare parts", "reaches stock")
    admin.press("[data-testid=sentence-0] .words")
    admin.one(".members .member")
    next(item for item in admin.all(".member button") if item.text == "who?").click()
    admin.sees("Electrical", "reach some of its", "Stores overview", "Lorna Esk")
    admin.choose("Role to map", "Stores overview")
    admin.sees("Map Stores overview to…")
    admin.choose("Groups", "Board")
    admin.sees("Reaches", "now")


def test_a_mask_shows_a_sample_on_real_values_and_warns_on_a_key(admin: Browser) -> None:
    new_role(admin, "Masked phones")
    admin.click("+ mask")
    admin.choose("Masked column", "technician.phone")
    admin.click("some characters")
    admin.until(lambda: "→ •••••••••" in admin.one("[data-testid=mask-sample]").text.replace("\n", " "), "the sample is masked")
    admin.choose("Masked column", "technician.technician_id")
    admin.sees("is the key of technician")
    admin.click("Discard")


def test_rows_beneath_are_bounded_and_changes_tried_as_the_core_says(admin: Browser, core: Evaluator) -> None:
    new_role(admin, "Site editor")
    admin.click("+ beneath")
    admin.choose("Rows of", "site")
    admin.write("input[aria-label='At most rows']", "3")
    admin.sees("Rows of site beneath numbers: at most 3")
    admin.click("+ change")
    admin.choose("Table", "site")
    update = admin.until(lambda: next(iter(admin.all(".ant-radio-group[aria-label='update']")), None), "update is offered")
    next(item for item in update.find_elements("css selector", "label") if item.text == "where…").click()
    admin.write_condition("status = 'open'")
    admin.choose("Column to set", "status")
    admin.write("input[aria-label='New value']", "open")
    admin.click("Try it")
    everything = with_role(core, {"change": {"table": "site", "update": "status = 'open'"}})
    viewer = everything.viewer(ImaginedViewer(imagine=ImaginedPerson(only_roles=["tried"])))
    asked = {"change": {"model": "operations", "table": "site", "update": {"set": {"status": "open"}}}}
    answer = everything.answer(viewer, Question.model_validate(asked)).model_dump()
    words = f"{answer['meant']} rows meant, {answer['allowed']} allowed, {answer['refused']} refused"
    admin.until(lambda: admin.one("[data-testid=change-tried]").text == words, words)
    admin.click("Discard")


def test_a_sentence_is_switched_off_given_a_reason_and_compared_with_live(admin: Browser) -> None:
    admin.open("/roles/area-steward")
    admin.pin("j.ames")
    before = admin.share("site")
    actions = "[data-testid=sentence-0] [aria-label='Sentence actions']"
    admin.press(actions)
    admin.click("Switch off", "[role=menuitem]")
    admin.sees("switched off")
    admin.until(lambda: admin.share("site") != before and "was" in admin.share("site"), "more sites without the sentence")
    admin.press(actions)
    admin.click("Give a reason", "[role=menuitem]")
    admin.one("input[aria-label='Reason for this sentence']").send_keys("waiting for the new contract", Keys.ENTER)
    admin.sees("Because: waiting for the new contract")
    admin.click("Compare with live")
    admin.sees("LIVE, BUT NOT HERE", "HERE, BUT NOT LIVE")
    admin.click("Make it as it is live")
    admin.until(lambda: "switched off" not in admin.text() and admin.share("site") == before, "as it was")
    admin.click("Discard")


def test_combined_roles_open_no_cell_that_no_role_opens(admin: Browser) -> None:
    admin.open("/combine?roles=area-steward,treasury,open-sites-only&as=j.ames&table=site")
    admin.sees("grants widen", "limits narrow", "only by Treasury", "none opens that no role opens")
    admin.click("technician")
    admin.until(lambda: "of technician together" in admin.one("[data-testid=proof]").text, "the proof is of technician")


def test_a_condition_maps_people_without_typing_and_says_whom_it_matches(admin: Browser, core: Evaluator) -> None:
    admin.open("/roles/winter-review")
    admin.click("+ map")
    admin.click("a condition")
    admin.choose("Column", "clearance")
    admin.click("range")
    admin.write("input[aria-label='from']", "3")
    matched = sum((viewer.values("clearance") or (0,))[0] >= 3 for viewer in core.everyone())
    admin.until(lambda: f"Reaches {matched} people now" in admin.one("[data-testid=reached]").text, f"{matched} people match")


def test_a_rule_that_hides_everything_says_so(admin: Browser) -> None:
    new_role(admin, "Nothing at all", "Spare parts")
    for place, table in enumerate(("part", "depot")):
        admin.click("+ rows")
        admin.press(f"[data-testid=sentence-{place}]")
        admin.choose("Table", table)
        admin.write_condition(f"{table}_id = 1 AND {table}_id = 2")
        admin.until(lambda table=table: admin.share(table).startswith(f"{table} 0 of"), f"no {table} is left")
        admin.press(f"[data-testid=sentence-{place}] .words")
    admin.sees("Nothing is left: no row of any table is visible.")
    admin.click("Discard")


def test_an_edit_that_contradicts_itself_says_which_table_it_empties(admin: Browser) -> None:
    admin.pin("j.ames")
    admin.open("/roles/area-steward")
    admin.press("[data-testid=sentence-0] .words")
    admin.write_condition("area = 'Fen End' AND area = 'Sound'")
    admin.sees("This edit leaves no row of site.")
    admin.click("Discard")
    admin.until(lambda: "leaves no row" not in admin.text(), "the saved rule again")


def test_why_follows_the_rules_of_an_unsaved_edit(admin: Browser) -> None:
    admin.open("/roles/area-steward")
    admin.pin("j.ames")
    admin.press("[data-testid=sentence-0] .words")
    admin.write_condition("area IN viewer.areas AND site_id <> 1")
    admin.until(lambda: "lost" in admin.one(".effect .rows").get_attribute("innerHTML"), "a row is lost")
    next(item for item in admin.all(".effect .rows button") if item.text == "why").click()
    admin.until(lambda: "stops here" in admin.one("[data-testid=why]").get_attribute("innerHTML"), "the ladder stops")
    admin.sees("What would have to change".upper(), "rows sentence on site is not true")
    admin.click("Discard")


def test_values_are_completed_in_the_text(admin: Browser) -> None:
    admin.open("/roles/area-steward")
    admin.press("[data-testid=sentence-0] .words")
    editor = admin.one("[data-testid=condition] .cm-content")
    editor.click()
    editor.send_keys(Keys.CONTROL, "a")
    editor.send_keys("area = 'Hig")
    admin.until(lambda: any("High Fells" in item.text for item in admin.all(".cm-tooltip-autocomplete li")), "High Fells is offered")
    editor.send_keys(Keys.ENTER, "'")
    admin.until(lambda: "checks out" in admin.one("[data-testid=check-verdict]").text, "the condition checks out")
    admin.click("Discard")


def asked(admin: Browser, method: str, path: str, body: Any = None) -> Any:
    """What the server answers the browser's own session."""
    script = """
    const [method, path, body, done] = arguments;
    const token = document.cookie.match(/moorland_csrf=([^;]+)/)[1];
    fetch(path, {method, body: body && JSON.stringify(body), headers: {"Content-Type": "application/json", "X-CSRF-Token": token}})
      .then((answer) => answer.json()).then(done, (error) => done(String(error)));
    """
    return admin.driver.execute_async_script(script, method, path, body)


def test_a_first_role_of_a_second_model_goes_into_it(admin: Browser) -> None:
    made = asked(admin, "POST", "/api/models", {"name": "empty_model", "label": "An empty model"})
    assert made["version"] == 1
    admin.open("/roles")
    admin.one(".side-line")
    admin.choose("Model", "An empty model")
    admin.sees("No roles on An empty model yet")
    admin.click("New role")
    admin.sees("the model An empty model", "it opens every row of An empty model")
    admin.write("input[id=label]", "First of it")
    admin.click("Create in the draft")
    admin.sees("First of it\nfirst-of-it", "this role opens all of An empty model")
    found = next(entry for entry in asked(admin, "GET", "/api/roles")["roles"] if entry["role"]["name"] == "first-of-it")
    assert found["role"]["model"] == "empty_model"


def test_a_role_of_pages_only_has_no_model(admin: Browser) -> None:
    admin.open("/roles")
    admin.one(".side-line")
    admin.click("+ New role")
    admin.write("input[id=label]", "Readers only")
    admin.choose("Of which model", "pages only, no model")
    admin.sees("It opens no data, only the pages its sentences name.")
    admin.click("Create in the draft")
    admin.sees("A role of pages only")
    found = next(entry for entry in asked(admin, "GET", "/api/roles")["roles"] if entry["role"]["name"] == "readers-only")
    assert found["role"]["model"] is None
