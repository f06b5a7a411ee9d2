"""`moorland evaluate` and `moorland sql`: answers to questions, and the statements that would give them."""

import datetime
import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any, assert_never

import typer
from pydantic import ValidationError
from rich.table import Table as RichTable

from moorland.commands.bundles import AsJson, BundlePath, evaluator_at, progress
from moorland.commands.console import fail, output
from moorland.commands.serving import set_up_django
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.many_viewers import answers, everyones_answers
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
from moorland.core.language.dialects import DIALECTS
from moorland.core.language.sql_parts import NotInSql


def evaluate(
    bundle: Annotated[Path, typer.Argument(help="A bundle's folder, or a bundle in one JSON document; with --as-lived, the questions.")],
    questions: Annotated[Path | None, typer.Argument(help="The questions, as JSON; - reads standard input.")] = None,
    as_lived: Annotated[
        str | None, typer.Option("--as-lived", help="Ask the workspace in DATA as it was at the end of a day (YYYY-MM-DD): its people, lines and release then.")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Answers questions for viewers: rows, totals, objects, members, pages."""
    try:
        if (questions is None) != (as_lived is not None):
            wrong = "names a bundle and questions, or with --as-lived the questions alone."
            raise BundleError([Problem("usage", wrong, "evaluate")])
        asked = read_questions(bundle if questions is None else questions)
        evaluator = _lived(as_lived) if as_lived is not None else evaluator_at(bundle, asked.as_of)
        with progress(f"answering {len(asked.ask)} questions for {'everyone' if asked.viewers == 'everyone' else len(asked.viewers)}"):
            answered = _answered(evaluator, asked)
    except BundleError as error:
        raise fail(error.problems) from None
    if as_json:
        document = {"viewers": [{"viewer": login, "answers": given} for login, given in _plain(answered)]}
        sys.stdout.write(json.dumps(document, ensure_ascii=False) + "\n")
        return
    for login, given in answered:
        for answer in given:
            print_answer(login, answer)


def _answered(evaluator: Evaluator, asked: Questions) -> list[tuple[str | None, list[Answer]]]:
    """The answers by login, in its order where everyone is asked; those who see the same have the same ones."""
    if asked.viewers == "everyone":
        by_login = {login: given for logins, given in everyones_answers(evaluator, asked.ask) for login in logins}
        return [(login, by_login[login]) for login in sorted(by_login)]
    return [(viewer.login, given) for viewer, given in answers(evaluator, [evaluator.viewer(reference) for reference in asked.viewers], asked.ask)]


def _plain(answered: list[tuple[str | None, list[Answer]]]) -> Iterator[tuple[str | None, list[dict[str, Any]]]]:
    """The same as plain objects; answers that are several people's are written out once."""
    known: dict[int, list[dict[str, Any]]] = {}
    for login, given in answered:
        if id(given) not in known:
            known[id(given)] = [plain_answer(answer) for answer in given]
        yield login, known[id(given)]


def _lived(day: str) -> Evaluator:
    """The workspace as it was at the end of a day. Raises BundleError where that cannot be told."""
    set_up_django()
    from moorland.server.errors import Failure
    from moorland.server.evaluating import evaluator as of_workspace
    from moorland.server.trail.models import record

    try:
        found = of_workspace("live", datetime.date.fromisoformat(day), as_lived=True)
    except ValueError:
        raise BundleError([Problem("as_lived", f"{day!r} is no day. Write YYYY-MM-DD.", "evaluate")]) from None
    except Failure as failure:
        raise BundleError([Problem(failure.code, failure.message, "evaluate")]) from None
    record("on the machine", "evaluate as lived", day)
    return found


def read_questions(path: Path) -> Questions:
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
            if answer.all_lines is None:
                del plain["all_lines"]
            for line in plain["lines"]:
                if line["depth"] is None:
                    del line["depth"]
        case PagesAnswer():
            if answer.create is None:
                del plain["create"]
        case RowsAnswer() | ObjectsAnswer() | MembersAnswer() | Refusal():
            pass
        case _:
            assert_never(answer)
    return plain


def print_answer(login: str | None, answer: Answer) -> None:
    name = login or "(imagined)"
    table = RichTable(title=name, title_justify="left")
    match answer:
        case Refusal():
            output.print(f"{name}: {answer.error.code}: {answer.error.message}", markup=False)
            return
        case RowsAnswer():
            add_columns(table, answer.columns)
            for row in answer.rows:
                table.add_row(*(shown(value) for value in row))
        case TotalsAnswer():
            add_columns(table, answer.by)
            for measure in answer.measures:
                table.add_column(measure, justify="right")
            for line in answer.lines:
                table.add_row(*(shown(value) for value in line.key), *[""] * (len(answer.by) - len(line.key)), *(shown(value) for value in line.values))
            table.add_row(*(["Total", *[""] * (len(answer.by) - 1)] if answer.by else []), *(shown(value) for value in answer.total), style="bold")
        case MembersAnswer():
            table.add_column("member")
            table.add_column("rows", justify="right")
            for member in answer.members:
                table.add_row(" › ".join(shown(value) or "(blank)" for value in member.path), str(member.rows))
        case ChangeAnswer():
            add_columns(table, ["rows", "count", "why"])
            for word, count in (("meant", answer.meant), ("allowed", answer.allowed), ("refused", answer.refused)):
                table.add_row(word, str(count), "")
            for why, count in (answer.reasons or {}).items():
                table.add_row("", str(count), why)
        case ObjectsAnswer() | PagesAnswer():
            add_columns(table, ["action" if isinstance(answer, PagesAnswer) else "object", "names"])
            for key, value in answer.model_dump().items():
                names = [f"{owner}({', '.join(columns)})" for owner, columns in value.items()] if isinstance(value, dict) else value
                table.add_row(key, ", ".join(names or []))
        case _:
            assert_never(answer)
    output.print(table)
    if isinstance(answer, RowsAnswer):
        output.print(f"{len(answer.rows)} of {answer.visible} visible rows", markup=False)


def add_columns(table: RichTable, names: list[str]) -> None:
    for name in names:
        table.add_column(name)


def shown(value: Any) -> str:
    return "" if value is None else f"{value:,.2f}" if isinstance(value, float) else str(value)


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
        asked = read_questions(questions)
        evaluator = evaluator_at(bundle, asked.as_of)
        viewers = list(evaluator.everyone()) if asked.viewers == "everyone" else [evaluator.viewer(reference) for reference in asked.viewers]
    except BundleError as error:
        raise fail(error.problems) from None
    document: list[dict[str, Any]] = []
    for viewer in viewers:
        answers: list[dict[str, Any]] = []
        for question in asked.ask:
            try:
                answers.append({"statements": [plain_statement(item) for item in evaluator.sql(viewer, question, DIALECTS[dialect])]})
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


def plain_statement(statement: Statement) -> dict[str, Any]:
    """A statement as JSON: numbers and booleans as such, days as ISO text, with the type of each value beside."""
    values = {name: value if isinstance(value, bool | int | float | str) else value.isoformat() for name, value in statement.parameters.items()}
    return {**vars(statement), "parameters": values}
