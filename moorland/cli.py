"""The commands of bundle.md: answers on standard output, messages on standard error; exit 0 good, 1 failed, 2 the input is wrong."""

import datetime
import json
import os
import sys
from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import ValidationError
from rich.console import Console
from rich.table import Table as RichTable

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.reading import Origins, locate, read_document, read_folder_located
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Answer, ChangeAnswer, MembersAnswer, PagesAnswer, Questions, Refusal, RowsAnswer, TotalsAnswer
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


def _evaluator(path: Path, as_of: datetime.date | None, data_too: bool = False) -> Evaluator:
    """The evaluator of a bundle. Raises BundleError with every problem, located; with `data_too` those of its data as well."""
    origins: Origins = {}
    if path.is_file():
        try:
            bundle, file, folder = read_document(json.loads(path.read_text("utf-8")), path.name), path.name, path.parent
        except (UnicodeDecodeError, json.JSONDecodeError) as error:
            raise BundleError([Problem("json", f"not readable as JSON: {error}.", path.name)]) from None
    else:
        bundle, file, origins = read_folder_located(path)
        folder = path
    problems = _data_problems(bundle, folder) if data_too else []
    try:
        evaluator = Evaluator(bundle, folder_loader(folder), as_of)
    except BundleError as error:
        problems = [*(locate(problem, file, origins) for problem in error.problems), *problems]
    if problems:
        raise BundleError(problems)
    return evaluator


def _data_problems(bundle: Bundle, folder: Path) -> list[Problem]:
    problems: list[Problem] = []
    for table in (table for model in bundle.models for table in model.tables):
        try:
            read_table(folder, table)
        except BundleError as error:
            problems += error.problems
    return problems


def _day(text: str | None) -> datetime.date | None:
    try:
        return datetime.date.fromisoformat(text) if text else None
    except ValueError:
        raise BundleError([Problem("day", f"{text} is not a day; write it as YYYY-MM-DD.")]) from None


@app.command()
def check(bundle: BundlePath, as_json: AsJson = False, as_of: AsOf = None) -> None:
    """Validates a bundle: shapes, names, conditions, measures and the data it names."""
    problems: list[Problem] = []
    counts: dict[str, int] = {}
    try:
        evaluator = _evaluator(bundle, _day(as_of), data_too=True)
        counts = {key: len(getattr(evaluator.bundle, key)) for key in ("models", "users", "groups", "roles", "pages")}
    except BundleError as error:
        problems = error.problems
    if as_json:
        output.print_json(json.dumps({"valid": not problems, "problems": [vars(problem) for problem in problems], "counts": counts}))
        raise typer.Exit(2 if problems else 0)
    if problems:
        raise _fail(problems)
    output.print(f"{bundle} checks out: " + ", ".join(f"{count} {key}" for key, count in counts.items()) + ".", markup=False)


@app.command()
def evaluate(
    bundle: BundlePath, questions: Annotated[Path, typer.Argument(help="The questions, as JSON; - reads standard input.")], as_json: AsJson = False
) -> None:
    """Answers questions for viewers: rows, totals, objects, members, pages."""
    try:
        asked = _read_questions(questions)
        evaluator = _evaluator(bundle, asked.as_of)
        viewers = list(evaluator.everyone()) if asked.viewers == "everyone" else [evaluator.viewer(reference) for reference in asked.viewers]
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
    if isinstance(answer, ChangeAnswer):
        del plain["reasons"]
    if isinstance(answer, TotalsAnswer):
        del plain["kept_out"]
        for line in plain["lines"]:
            if line["depth"] is None:
                del line["depth"]
    return plain


def _print_answer(viewer: Viewer, answer: Answer) -> None:
    name = viewer.login or "(imagined)"
    if isinstance(answer, Refusal):
        output.print(f"{name}: {answer.error.code}: {answer.error.message}", markup=False)
        return
    table = RichTable(title=name, title_justify="left")
    if isinstance(answer, RowsAnswer):
        for column in answer.columns:
            table.add_column(column)
        for row in answer.rows:
            table.add_row(*(_shown(value) for value in row))
    elif isinstance(answer, TotalsAnswer):
        for column in answer.by:
            table.add_column(column)
        for measure in answer.measures:
            table.add_column(measure, justify="right")
        for line in answer.lines:
            table.add_row(*(_shown(value) for value in line.key), *[""] * (len(answer.by) - len(line.key)), *(_shown(value) for value in line.values))
        table.add_row(*(["Total", *[""] * (len(answer.by) - 1)] if answer.by else []), *(_shown(value) for value in answer.total), style="bold")
    elif isinstance(answer, MembersAnswer):
        table.add_column("member")
        table.add_column("rows", justify="right")
        for member in answer.members:
            table.add_row(" › ".join(_shown(value) or "(blank)" for value in member.path), str(member.rows))
    else:
        table.add_column("action" if isinstance(answer, PagesAnswer) else "object")
        table.add_column("names")
        for key, value in answer.model_dump().items():
            names = [f"{owner}({', '.join(columns)})" for owner, columns in value.items()] if isinstance(value, dict) else value
            table.add_row(key, ", ".join(names))
    output.print(table)
    if isinstance(answer, RowsAnswer):
        output.print(f"{len(answer.rows)} of {answer.visible} visible rows", markup=False)


def _shown(value: Any) -> str:
    return "" if value is None else f"{value:,.2f}" if isinstance(value, float) else str(value)


def _django() -> None:
    """Sets the server up in this process and brings its database up to date."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "moorland.server.settings")
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0, interactive=False)


def _serve(port: int) -> None:
    from moorland.server.serving import serve as run

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
