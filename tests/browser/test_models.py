"""Models in the browser: the map, tables, measures, cubes, lines kept here; every figure as the core says it is."""

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question
from moorland.core.insight.effect import share
from tests.browser.conftest import Browser


def use_model(browser: Browser, name: str) -> None:
    browser.driver.execute_script("localStorage.setItem('moorland.h.warden.model', JSON.stringify(arguments[0]))", name)


def test_the_map_shows_the_focused_viewers_share_and_what_no_sentence_reaches(admin: Browser, core: Evaluator) -> None:
    admin.open("/models")
    admin.pin("r.oddie")
    for table in share(core, core.viewer("r.oddie"), "operations").tables:
        wanted = "absent" if table.visible is None else f"{table.visible:,} of {table.rows:,}"
        admin.until(lambda name=table.table, text=wanted: text in admin.one(f"[data-table={name}]").text, f"{wanted} on {table.table}")
    admin.until(lambda: "restricted by Contractor" in admin.one("[data-table=job]").text, "where the contractor role restricts")


def changes_told(admin: Browser) -> str:
    """What the first row says of the draft: tests before may have changed or released it."""
    found: str = admin.until(lambda: next((line for line in admin.text().split("\n") if line.startswith("Draft · ")), None), "what the draft is")
    return found


def test_columns_are_tagged_together_and_the_edit_is_taken_back(admin: Browser) -> None:
    admin.open("/models/table/turbine")
    admin.one("[data-testid=columns]")
    before = changes_told(admin)
    admin.press("tr:nth-of-type(2) .ant-checkbox")
    admin.press("tr:nth-of-type(3) .ant-checkbox")
    admin.sees("2 columns chosen")
    admin.click("Quarantine")
    admin.sees("2 columns in quarantine, hidden from everybody.", "columns in quarantine")
    admin.click("Undo")
    admin.until(lambda: "in quarantine" not in admin.text(), "still in quarantine")
    admin.until(lambda: changes_told(admin) == before, "the draft is as it was")


def test_a_measure_is_tried_as_it_is_typed(admin: Browser, core: Evaluator) -> None:
    admin.open("/models/table/job")
    admin.click("Measures")
    admin.click("+ measure")
    admin.write("#measure-name", "dearest")
    admin.write_condition("MAX(parts_cost) + MAX(labour_cos)")
    admin.sees("Nearest: labour_cost.")
    admin.write_condition("MAX(parts_cost)")
    dearest = max(value for value in core.data("operations").tables["job"].columns["parts_cost"].values[:-1].tolist())
    admin.until(lambda: f"{dearest:,.0f}" in admin.one("[data-testid=tried]").text or f"{dearest:,.2f}" in admin.one("[data-testid=tried]").text, "its value")
    admin.click("Cancel")


def test_a_measure_on_a_page_is_not_deleted_unseen(admin: Browser) -> None:
    admin.open("/models/table/generation")
    admin.click("Measures")
    admin.press(".measure .textlink")
    before = changes_told(admin)
    admin.click("Delete")
    admin.sees("Not saved.", "measure adjusted_availability")
    assert changes_told(admin) == before


def test_a_cube_is_drilled_with_the_figures_of_the_viewer(admin: Browser, core: Evaluator) -> None:
    use_model(admin, "spare-parts")
    admin.open("/models/cube/stores")
    admin.pin("k.skerry")
    asked = Question.model_validate({"totals": {"model": "spare-parts", "by": ["part.class"], "measures": ["quantity_held"], "cube": "stores"}})
    answer = core.answer(core.viewer("k.skerry"), asked).model_dump()
    for line in answer["lines"]:
        admin.until(
            lambda key=line["key"][0], value=line["values"][0]: any(
                row.text.startswith(str(key)) and f"{value:,.0f}" in row.text for row in admin.all("[data-testid=cube] tbody tr")
            ),
            f"{line} in the cube",
        )
    first = answer["lines"][0]["key"][0]
    admin.click(first)
    admin.until(lambda: admin.all("[data-testid=cube] th")[0].text == "family", "the next level")


def test_lines_kept_here_point_out_their_mistakes(admin: Browser) -> None:
    use_model(admin, "operations")
    admin.open("/models/table/steward_scope")
    admin.click("Keep here…")
    admin.click("Keep here", ".ant-popover .ant-btn-primary")
    admin.one("[data-testid=lines]")
    admin.sees("b.ritson names nobody.", "operations-desk is a group, but this column is read as login")
    admin.click("Paste…")
    admin.write("textarea[aria-label='Pasted lines']", "login,area\nj.ames,High Fels")
    admin.click("Add 1 line")
    admin.sees("1 new", "High Fels is not in site.area")
    admin.click("use High Fells")
    admin.until(lambda: "High Fels" not in admin.text(), "the mistake is mended")
    admin.click("Leave all")
    admin.click("Keep no longer…")
    admin.click("Keep no longer", ".ant-popover .ant-btn-primary")
    admin.sees("Keep here…")


def test_a_refresh_shows_what_it_changes_before_it_is_accepted(admin: Browser, tmp_path_factory: object) -> None:
    from pathlib import Path

    folder = Path(str(tmp_path_factory.mktemp("refresh")))  # type: ignore[attr-defined]
    (folder / "contractor.csv").write_text("contractor_id,name,based\n1,Fell Rotors Ltd,Rigg\n2,North Gears,Tarn\n")
    admin.open("/models/table/contractor")
    admin.click("Refresh…")
    admin.bring(folder / "contractor.csv")
    admin.until(lambda: admin.all(".ant-modal [data-testid=grid]"), "the file's first rows")
    admin.click("Compare with what is there")
    admin.one("[data-testid=refresh]")
    admin.sees("1 lost", "into quarantine, hidden until cleared")
    admin.click("Drop")
    admin.click("Drop", ".ant-popover .ant-btn-primary")
    admin.sees("No refresh waits")
