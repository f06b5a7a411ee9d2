"""The commands of bundle.md: answers on standard output, messages on standard error; exit 0 good, 1 failed, 2 the input is wrong."""

import contextlib
import datetime
import json
import os
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated, Any, assert_never

import typer
from pydantic import ValidationError
from rich.console import Console
from rich.table import Table as RichTable

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.people import RealViewer
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.bundle.reading import Origins, locate, read_document, read_folder_located
from moorland.core.bundle.values import value_of_text
from moorland.core.engine.evaluator import Evaluator, data_located
from moorland.core.engine.pushdown import Statement
from moorland.core.engine.questions import (
    Answer,
    ChangeAnswer,
    MembersAnswer,
    ObjectsAnswer,
    PagesAnswer,
    Questions,
    Refusal,
    Refused,
    RowsAnswer,
    TotalsAnswer,
)
from moorland.core.insight.exhibits import check_pages
from moorland.core.insight.findings.finding import WEIGHTS, Finding
from moorland.core.insight.findings.noticing import notice
from moorland.core.insight.impact import grouped, impact
from moorland.core.insight.promises import PromiseResult, run_promises
from moorland.core.insight.remedies import remedies
from moorland.core.insight.trace import Traced, trace, where_they_part
from moorland.core.language.dialects import DIALECTS
from moorland.core.language.sql_parts import NotInSql
from moorland.core.people import Viewer
from moorland.core.sources.files import folder_loader, read_table

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Who sees what, for everyone at once, before anything is released.")
messages = Console(stderr=True, highlight=False, soft_wrap=True)
output = Console(highlight=False, soft_wrap=True)

BundlePath = Annotated[Path, typer.Argument(help="A bundle's folder, or a bundle in one JSON document.")]
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON instead of tables.")]
AsOf = Annotated[str | None, typer.Option("--as-of", help="The day to evaluate, as YYYY-MM-DD; today unless given.")]


def _fail(problems: list[Problem]) -> typer.Exit:
    for problem in problems:
        messages.print(problem.sentence(), style="red", markup=False)
    return typer.Exit(2)


def _evaluator(path: Path, as_of: datetime.date | None, whole: bool = False) -> Evaluator:
    """The evaluator of a bundle. Raises BundleError with every problem, located; with `whole` those of its data and pages as well."""
    origins: Origins = {}
    if path.is_file():
        try:
            bundle, file, folder = read_document(json.loads(path.read_text("utf-8")), path.name), path.name, path.parent
        except (UnicodeDecodeError, json.JSONDecodeError) as error:
            raise BundleError([Problem("json", f"not readable as JSON: {error}.", path.name)]) from None
    else:
        bundle, file, origins = read_folder_located(path)
        folder = path
    problems = [locate(problem, file, origins) for problem in _data_problems(bundle, folder)] if whole else []
    try:
        evaluator = Evaluator(bundle, folder_loader(folder), as_of, os.environ.get("MOORLAND_SECRET", "moorland").encode())
        if whole:
            check_pages(evaluator)
    except BundleError as error:
        problems = [*(locate(problem, file, origins) for problem in error.problems), *problems]
    if problems:
        raise BundleError(problems)
    return evaluator


def _data_problems(bundle: Bundle, folder: Path) -> list[Problem]:
    """What is wrong with the data: in which file, or, where there is none, at which table of the bundle."""
    problems: list[Problem] = []
    for model in bundle.models:
        for table in model.tables:
            try:
                read_table(folder, table)
            except BundleError as error:
                problems += data_located(error.problems, bundle, model.name, table.name)
    return problems


def _day(text: str | None) -> datetime.date | None:
    try:
        return datetime.date.fromisoformat(text) if text else None
    except ValueError:
        raise BundleError([Problem("day", f"{text} is not a day; write it as YYYY-MM-DD.")]) from None


@app.command()
def check(
    bundle: BundlePath,
    as_json: AsJson = False,
    as_of: AsOf = None,
    since: Annotated[Path | None, typer.Option(help="An earlier bundle: also notice what is new since.")] = None,
    fail_on: Annotated[str, typer.Option(help="Findings of this weight or more fail the check: high, middle, low or none.")] = "none",
) -> None:
    """Validates a bundle (shapes, names, conditions, measures, data), runs its promises and notices findings.

    Exit 0: valid and every promise kept; 1: a promise is broken, or a finding weighs as much as --fail-on; 2: the bundle is wrong.
    """
    problems: list[Problem] = []
    results: list[PromiseResult] = []
    found: list[Finding] = []
    counts: dict[str, int] = {}
    try:
        if fail_on not in (*WEIGHTS, "none"):
            raise BundleError([Problem("fail_on", f"{fail_on} is not high, middle, low or none.")])
        with _progress("checking") as step:
            day = _day(as_of)
            evaluator = _evaluator(bundle, day, whole=True)
            for name in evaluator.models:
                evaluator.data(name)
            before = _evaluator(since, day) if since is not None else None
            counts = {key: len(getattr(evaluator.bundle, key)) for key in ("models", "users", "groups", "roles", "pages", "promises")}
            step("promises")
            results = run_promises(evaluator)
            step("findings")
            found = notice(evaluator, before)
    except BundleError as error:
        problems = error.problems
    broken = [result for result in results if not result.kept]
    heavy = [finding for finding in found if fail_on != "none" and WEIGHTS.index(finding.weight) <= WEIGHTS.index(fail_on)]
    code = 2 if problems else 1 if broken or heavy else 0
    if as_json:
        document = {
            "valid": not problems,
            "problems": [vars(problem) for problem in problems],
            "counts": counts,
            "promises": [result.model_dump() for result in results],
            "findings": [finding.model_dump() for finding in found],
        }
        sys.stdout.write(json.dumps(document, ensure_ascii=False, indent=2) + "\n")
        raise typer.Exit(code)
    if problems:
        raise _fail(problems)
    for result in results:
        state = "kept  " if result.kept else "broken"
        output.print(f"promise {state} {result.label} ({result.viewer}): {result.message}", markup=False, style=None if result.kept else "red")
    for finding in found:
        output.print(f"{finding.weight:<6} {finding.path}: {finding.message} {finding.remedy}", markup=False)
        for line in finding.evidence:
            output.print(f"       {line}", markup=False)
    output.print(f"{bundle} checks out: " + ", ".join(f"{count} {key}" for key, count in counts.items()) + ".", markup=False)
    if results:
        output.print(f"{len(results) - len(broken)} of {len(results)} promises kept; {len(found)} findings.", markup=False)
    raise typer.Exit(code)


@contextlib.contextmanager
def _progress(what: str) -> Iterator[Callable[[str], None]]:
    """Shows on standard error, where it is a terminal, what a long run is at."""
    with messages.status(f"{what} …") as status:
        yield lambda step: status.update(f"{what}: {step} …")


@app.command()
def evaluate(
    bundle: BundlePath, questions: Annotated[Path, typer.Argument(help="The questions, as JSON; - reads standard input.")], as_json: AsJson = False
) -> None:
    """Answers questions for viewers: rows, totals, objects, members, pages."""
    try:
        asked = _read_questions(questions)
        evaluator = _evaluator(bundle, asked.as_of)
        viewers = list(evaluator.everyone()) if asked.viewers == "everyone" else [evaluator.viewer(reference) for reference in asked.viewers]
        with _progress(f"answering {len(asked.ask)} questions for {len(viewers)} viewers"):
            answered = list(evaluator.answers(viewers, asked.ask))
    except BundleError as error:
        raise _fail(error.problems) from None
    if as_json:
        document = {"viewers": [{"viewer": viewer.login, "answers": [plain_answer(answer) for answer in answers]} for viewer, answers in answered]}
        sys.stdout.write(json.dumps(document, ensure_ascii=False) + "\n")
        return
    for viewer, answers in answered:
        for answer in answers:
            _print_answer(viewer, answer)


def _read_questions(path: Path) -> Questions:
    try:
        text = sys.stdin.read() if str(path) == "-" else path.read_text("utf-8")
        return Questions.model_validate_json(text)
    except (OSError, UnicodeDecodeError) as error:
        raise BundleError([Problem("questions", f"cannot be read: {error}.", str(path))]) from None
    except ValidationError as error:
        details = error.errors(include_url=False)
        raise BundleError([Problem("questions", f"{detail['msg']}.", path.name, ".".join(str(step) for step in detail["loc"])) for detail in details]) from None


def plain_answer(answer: Answer) -> dict[str, Any]:
    """An answer as the JSON of bundle.md."""
    plain = answer.model_dump(mode="json")
    match answer:
        case ChangeAnswer():
            del plain["reasons"]
        case TotalsAnswer():
            del plain["kept_out"]
            for line in plain["lines"]:
                if line["depth"] is None:
                    del line["depth"]
        case RowsAnswer() | ObjectsAnswer() | MembersAnswer() | PagesAnswer() | Refusal():
            pass
        case _:
            assert_never(answer)
    return plain


def _print_answer(viewer: Viewer, answer: Answer) -> None:
    name = viewer.login or "(imagined)"
    table = RichTable(title=name, title_justify="left")
    match answer:
        case Refusal():
            output.print(f"{name}: {answer.error.code}: {answer.error.message}", markup=False)
            return
        case RowsAnswer():
            _columns(table, answer.columns)
            for row in answer.rows:
                table.add_row(*(_shown(value) for value in row))
        case TotalsAnswer():
            _columns(table, answer.by)
            for measure in answer.measures:
                table.add_column(measure, justify="right")
            for line in answer.lines:
                table.add_row(*(_shown(value) for value in line.key), *[""] * (len(answer.by) - len(line.key)), *(_shown(value) for value in line.values))
            table.add_row(*(["Total", *[""] * (len(answer.by) - 1)] if answer.by else []), *(_shown(value) for value in answer.total), style="bold")
        case MembersAnswer():
            table.add_column("member")
            table.add_column("rows", justify="right")
            for member in answer.members:
                table.add_row(" › ".join(_shown(value) or "(blank)" for value in member.path), str(member.rows))
        case ChangeAnswer():
            _columns(table, ["rows", "count", "why"])
            for word, count in (("meant", answer.meant), ("allowed", answer.allowed), ("refused", answer.refused)):
                table.add_row(word, str(count), "")
            for why, count in (answer.reasons or {}).items():
                table.add_row("", str(count), why)
        case ObjectsAnswer() | PagesAnswer():
            _columns(table, ["action" if isinstance(answer, PagesAnswer) else "object", "names"])
            for key, value in answer.model_dump().items():
                names = [f"{owner}({', '.join(columns)})" for owner, columns in value.items()] if isinstance(value, dict) else value
                table.add_row(key, ", ".join(names))
        case _:
            assert_never(answer)
    output.print(table)
    if isinstance(answer, RowsAnswer):
        output.print(f"{len(answer.rows)} of {answer.visible} visible rows", markup=False)


def _columns(table: RichTable, names: list[str]) -> None:
    for name in names:
        table.add_column(name)


def _shown(value: Any) -> str:
    return "" if value is None else f"{value:,.2f}" if isinstance(value, float) else str(value)


@app.command("trace")
def trace_command(
    bundle: BundlePath,
    viewer: Annotated[str, typer.Option(help="The login of the viewer.")],
    only_role: Annotated[list[str] | None, typer.Option(help="As if the viewer held only this role; may be repeated.")] = None,
    page: Annotated[str | None, typer.Option(help="A page.")] = None,
    action: Annotated[str, typer.Option(help="What is to be done with the page: open, edit, publish, export.")] = "open",
    model: Annotated[str | None, typer.Option(help="The model; the only one that has the table, unless given.")] = None,
    object_: Annotated[str | None, typer.Option("--object", help="An object, as table:site, column:site.area, measure:energy.")] = None,
    table: Annotated[str | None, typer.Option(help="The table of a row.")] = None,
    row: Annotated[str | None, typer.Option(help="The value of the row's key; its number from 0 where the table has no key.")] = None,
    column: Annotated[str | None, typer.Option(help="A column: may this cell of the row be seen?")] = None,
    measure: Annotated[str | None, typer.Option(help="A measure: does the row count in it?")] = None,
    change: Annotated[str | None, typer.Option(help="A change of the row: delete, or update with --set.")] = None,
    set_: Annotated[str | None, typer.Option("--set", help='The new values of an update, as JSON: {"status": "open"}.')] = None,
    other: Annotated[str | None, typer.Option(help="Another login: where do the two part?")] = None,
    as_json: AsJson = False,
    as_of: AsOf = None,
) -> None:
    """Explains why a viewer can or cannot open a page, see an object, a row or a cell, or count a row; and what would have to change."""
    try:
        evaluator = _evaluator(bundle, _day(as_of))
        having = [name for name, item in evaluator.models.items() if table is None or table in item.schema.tables]
        name = model or (having[0] if len(having) == 1 else None)
        asked = _read_traced(
            {
                "page": page,
                "action": action,
                "model": None if page else name,
                "object": object_,
                "table": table,
                "row": row,
                "column": column,
                "measure": measure,
                "change": change,
                "set": _json(set_),
            },
            evaluator,
        )
        reference = RealViewer(login=viewer, only_roles=only_role) if only_role else viewer
        found = trace(evaluator, reference, asked)
        compared = trace(evaluator, other, asked) if other is not None else None
        helping = remedies(evaluator, reference, asked) if found.outcome != "can" else []
    except BundleError as error:
        raise _fail(error.problems) from None
    parting = where_they_part(found, compared) if compared is not None else None
    if as_json:
        document = {
            "trace": found.model_dump(mode="json"),
            "what_would_have_to_change": [item.model_dump(mode="json") for item in helping],
            "other": compared.model_dump(mode="json") if compared else None,
            "they_part_at": parting[0].layer if parting else None,
        }
        sys.stdout.write(json.dumps(document, ensure_ascii=False, indent=2) + "\n")
        return
    for each in [found, *([compared] if compared else [])]:
        output.print(f"{each.viewer}: {each.outcome}", markup=False, style="bold")
        for layer in each.layers:
            output.print(f"  {layer.layer:<8} {layer.verdict:<7} {layer.message}", markup=False)
            for reason in layer.reasons:
                held = f" ({'; '.join(reason.held_by)})" if reason.held_by else ""
                number = f", sentence {reason.sentence + 1}" if reason.sentence is not None else ""
                output.print(f"           {'+' if reason.passes else '-'} {reason.kind} {reason.role}{number}{held}: {reason.message}", markup=False)
                for item in reason.compared:
                    output.print(f"               {item.name} = {item.value}{f' from {item.source}' if item.source else ''}", markup=False)
    if compared is not None:
        where = f"They part at the layer {parting[0].layer}." if parting else "They do not part."
        output.print(where, markup=False)
    if helping:
        output.print("What would have to change (each alone):", markup=False)
        for remedy in helping:
            output.print(f"  {remedy.message}{' It would be seen masked.' if remedy.outcome == 'masked' else ''}", markup=False)


def _json(text: str | None) -> Any:
    try:
        return json.loads(text) if text else {}
    except json.JSONDecodeError as error:
        raise BundleError([Problem("set", f"not readable as JSON: {error}.")]) from None


def _read_traced(fields: dict[str, Any], evaluator: Evaluator) -> Traced:
    """What the options ask about; the row typed as its table's key."""
    row, schema = fields["row"], evaluator.models[fields["model"]].schema if fields["model"] in evaluator.models else None
    if row is not None and schema is not None and fields["table"] in schema.tables:
        key = schema.tables[fields["table"]].key
        try:
            fields["row"] = value_of_text(row, schema.columns[fields["table"], key].type if key else "integer")
            if isinstance(fields["row"], datetime.date):
                fields["row"] = row
        except ValueError as error:
            raise BundleError([Problem("row", f"{error}.")]) from None
    try:
        return Traced.model_validate(fields)
    except ValidationError as error:
        raise BundleError([Problem("trace", f"{detail['msg'].removeprefix('Value error, ')}.") for detail in error.errors(include_url=False)]) from None


@app.command()
def diff(
    before: Annotated[Path, typer.Argument(help="The earlier bundle.")],
    after: Annotated[Path, typer.Argument(help="The later bundle.")],
    total: Annotated[list[str] | None, typer.Option(help="A measure whose total is compared, as energy or model.energy; may be repeated.")] = None,
    as_json: AsJson = False,
    as_of: AsOf = None,
) -> None:
    """Who gains and who loses what between two bundles, over all viewers: rows, objects, cells, pages and chosen totals."""
    try:
        day = _day(as_of)
        old = _evaluator(before, day)
        new = _evaluator(after, day or old.as_of)
        new.shared = old.shared
        logins = sorted({user.login for user in (*old.bundle.users, *new.bundle.users)})
        with _progress("comparing") as step:
            impacts = impact(old, new, logins, _totals_named(total or [], old, new), lambda number: step(f"{number} of {len(logins)} viewers"))
    except BundleError as error:
        raise _fail(error.problems) from None
    groups = grouped(impacts)
    if as_json:
        document = {"viewers": len(logins), "changed": len(impacts), "groups": [group.model_dump(mode="json") for group in groups]}
        sys.stdout.write(json.dumps(document, ensure_ascii=False, indent=2) + "\n")
        return
    output.print(f"Of {len(logins)} viewers, {len(impacts)} see something else.", markup=False)
    for group in groups:
        output.print(", ".join(group.logins), markup=False, style="bold")
        for change in group.impact.tables:
            counts = " → ".join("absent" if number is None else f"{number:,}" for number in (change.before, change.after))
            output.print(f"  {change.table}: {counts} rows (+{change.gained:,}, -{change.lost:,})", markup=False)
        for shift in group.impact.totals:
            output.print(f"  total of {shift.measure}: {_shown(shift.before) or 'none'} → {_shown(shift.after) or 'none'}", markup=False)
        for sign, names in (("gains", group.impact.gained), ("loses", group.impact.lost)):
            if names:
                output.print(f"  {sign} {', '.join(names)}", markup=False)


@app.command()
def sql(
    bundle: BundlePath,
    questions: Annotated[Path, typer.Argument(help="The questions, as JSON; - reads standard input.")],
    dialect: Annotated[str, typer.Option(help="sqlite or postgres.")] = "postgres",
    as_json: AsJson = False,
) -> None:
    """The secured SQL of questions about rows and totals, with the viewer's values as bound parameters."""
    try:
        if dialect not in DIALECTS:
            raise BundleError([Problem("dialect", f"{dialect} is not {' or '.join(DIALECTS)}.")])
        asked = _read_questions(questions)
        evaluator = _evaluator(bundle, asked.as_of)
        viewers = list(evaluator.everyone()) if asked.viewers == "everyone" else [evaluator.viewer(reference) for reference in asked.viewers]
    except BundleError as error:
        raise _fail(error.problems) from None
    document: list[dict[str, Any]] = []
    for viewer in viewers:
        answers: list[dict[str, Any]] = []
        for question in asked.ask:
            try:
                answers.append({"statements": [_plain_statement(item) for item in evaluator.sql(viewer, question, DIALECTS[dialect])]})
            except Refused as refused:
                answers.append(refused.answer().model_dump())
            except NotInSql as error:
                answers.append({"error": {"code": "not_in_sql", "message": f"{error}."}})
        document.append({"viewer": viewer.login, "answers": answers})
    if as_json:
        sys.stdout.write(json.dumps({"dialect": dialect, "viewers": document}, ensure_ascii=False, indent=2) + "\n")
        return
    for entry in document:
        for answer in entry["answers"]:
            for item in answer.get("statements", []):
                output.print(f"-- {entry['viewer']}: {' '.join(filter(None, (item['gives'], item['measure'])))}", markup=False)
                output.print(f"{item['sql']};", markup=False)
                for name, value in item["parameters"].items():
                    output.print(f"--   {name} ({item['types'][name]}) = {value}", markup=False)
                if item["looks_up"]:
                    output.print(f"--   slow without an index on {', '.join(item['looks_up'])}: each row looks another up by it", markup=False)
            if "error" in answer:
                output.print(f"-- {entry['viewer']}: {answer['error']['code']}: {answer['error']['message']}", markup=False)


def _plain_statement(statement: Statement) -> dict[str, Any]:
    """A statement as JSON: numbers and booleans as such, days as ISO text, with the type of each value beside."""
    values = {name: value if isinstance(value, bool | int | float | str) else value.isoformat() for name, value in statement.parameters.items()}
    return {**vars(statement), "parameters": values}


def _totals_named(names: list[str], old: Evaluator, new: Evaluator) -> list[tuple[str, str]]:
    """The measures named on the command line, with their models. Raises BundleError for one that is in neither bundle."""
    found = []
    for written in names:
        model, _, measure = written.rpartition(".")
        owners = [name for evaluator in (new, old) for name, item in evaluator.models.items() if measure in item.measures and model in ("", name)]
        if not owners:
            raise BundleError(
                [
                    Problem(
                        "unknown_name",
                        f"there is no measure {written}.",
                        nearest=nearest_name(measure, [m for e in (old, new) for i in e.models.values() for m in i.measures]),
                    )
                ]
            )
        found.append((owners[0], measure))
    return found


def _django() -> None:
    """Sets the server up in this process and brings its database up to date."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "moorland.server.settings")
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0, interactive=False)


def _serve(port: int) -> None:
    from moorland.server.directory.invitations import setup_link
    from moorland.server.serving import serve as run

    link = setup_link()
    if link is not None:
        messages.print(f"There is no workspace yet. Set it up at http://localhost:{port}{link}", markup=False, soft_wrap=True)
    messages.print(f"Moorland is at http://localhost:{port}  (Ctrl+C stops it)", markup=False)
    run(port)


Port = Annotated[int, typer.Option(envvar="PORT", min=1, max=65535, help="The port to listen on.")]


@app.command()
def serve(port: Port = 8000) -> None:
    """Serves the workspace in the folder DATA (./var)."""
    _django()
    _serve(port)


@app.command()
def demo(port: Port = 8000, only_make: Annotated[bool, typer.Option("--only-make", help="Make the workspace without serving it.")] = False) -> None:
    """Makes the demo workspace if it is missing, and serves it."""
    os.environ["MOORLAND_DEMO"] = "1"
    _django()
    from demo.workspace import make_demo
    from moorland.server.directory.demo import DEMO_PASSWORD, demo_sign_ins

    if make_demo():
        messages.print("The demo workspace is made.")
    if only_make:
        return
    messages.print(f"Sign in with the password {DEMO_PASSWORD} as:", markup=False)
    for entry in demo_sign_ins():
        messages.print(f"  {entry.login:<10} {entry.expects}", markup=False)
    _serve(port)


if __name__ == "__main__":
    app()
