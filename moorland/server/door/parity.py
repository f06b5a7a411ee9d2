"""Parity in a workspace: the same questions through the channels as they are served, for chosen people (channels.md, parity)."""

import datetime
import json
from typing import Any, Literal

import pyarrow as pa

from moorland.core.door.parity import Case, Compared, ParityDifference, Way, parity
from moorland.core.engine.evaluator import Evaluator
from moorland.core.people import Viewer
from moorland.core.price import step
from moorland.core.sources.exporting import csv_text
from moorland.server.directory.models import Account
from moorland.server.door.asker import AccountAsker
from moorland.server.errors import Failure, answer
from moorland.server.outside.claims import Claims, NotVouched, text_of, viewer_of
from moorland.server.outside.frames import opened_page
from moorland.server.outside.models import Issuer
from moorland.server.viewing.page_looks import LookedAt, exported_exhibit, page_as_seen
from moorland.server.viewing.page_shapes import BeneathRequest, PageAnswer
from moorland.server.viewing.service import for_viewers_channel
from moorland.server.viewing.shapes import MyAnswers
from moorland.wire.backend import Asked
from moorland.wire.commands import Command, Refused
from moorland.wire.decoding import decoded
from moorland.wire.encoding import CopyLayout, copy_rows, data_rows, described
from moorland.wire.messages import Reader
from moorland.wire.portals import Portal, Statement
from moorland.wire.settings import DEFAULTS

Shape = Literal["text", "binary", "cursor", "copy"]
#: A cursor gives so many rows at a time.
FETCHED = 7


def served_parity(base: Evaluator, logins: list[str], pushed_down: bool) -> Compared:
    """The questions of `parity` through the API and the door as they are served; pages as files, and as frames show them."""
    viewers = [base.viewer(login) for login in logins]
    askers = {login: AccountAsker(Account.objects.get(login=login), None, 0) for login in logins}
    shapes: tuple[Shape, ...] = ("text", "binary", "cursor", "copy")
    ways: dict[str, Way] = {"api": lambda case, _: _over_api(base, case)}
    for shape in shapes:
        ways[f"door, {shape}"] = _through_door(askers, shape)
    found = parity(base, viewers, ways, pushed_down)
    counts, differences = dict(found.questions), list(found.differences)
    for name, compare in (("export", _exported), ("embedding", _embedded)):
        counts[name] = 0
        for viewer in viewers:
            for what, expected, given in compare(base, viewer):
                counts[name] += 1
                if expected != given:
                    differences.append(
                        ParityDifference(viewer=viewer.login or "", way=name, question=what, expected=str(expected)[:400], found=str(given)[:400])
                    )
    return Compared(counts, differences)


def _over_api(base: Evaluator, case: Case) -> Any:
    """The answer as the API writes it, read again."""
    told = json.loads(answer(MyAnswers(answers=[for_viewers_channel(base.answer(case.viewer, case.question))])).data)["answers"][0]
    texts = _texts(case)
    if "error" in told:
        return None
    if case.question.rows is not None:
        return [[_text(value, is_text) for value, is_text in zip(row, texts, strict=True)] for row in told["rows"]]
    if told.get("not_found"):
        return "refused: 42501"
    lines = [[*(_text(part, is_text) for part, is_text in zip(line["key"], texts, strict=False)), *line["values"]] for line in told["lines"]]
    return lines if told["by"] else [told["total"]]


def _texts(case: Case) -> list[bool]:
    """Which of the columns asked for are text."""
    asked = case.question.rows or case.question.totals
    assert asked is not None
    names = case.question.rows.columns if case.question.rows else case.question.totals.by if case.question.totals else []
    by_key = {".".join(field.key): field.type for field in case.relation.fields if field.key is not None}
    return [by_key.get(name) == "text" for name in names or []]


def _text(value: Any, is_text: bool) -> Any:
    return str(value) if is_text and value is not None else value


def _through_door(askers: dict[str, AccountAsker], shape: Shape) -> Way:
    return lambda case, _: _at_door(askers[case.viewer.login or ""], case, shape)


def _at_door(asker: AccountAsker, case: Case, shape: Shape) -> Any:
    """The rows as a client of the door reads them from their bytes."""
    export = shape == "copy"
    if export and case.question.rows is not None:
        # Rows are copied as far as they may be exported, which is another question.
        return None
    settings = dict(DEFAULTS)
    try:
        found = asker.asked(case.statement, [], settings, lambda *_: None, lambda: False, export)
    except Refused as refused:
        return f"refused: {refused.code}"
    rows = _copied(found) if export else _cursor(found) if shape == "cursor" else _fetched(found.table, 1 if shape == "binary" else 0, found)
    return [[value.isoformat() if isinstance(value, datetime.date) else value for value in row] for row in rows]


def _fetched(table: pa.Table, format_: int, found: Asked) -> list[list[Any]]:
    """Data rows, read as a client does."""
    written = b"".join(bytes(part) for _, part in data_rows(table, [format_] * table.num_columns))
    oids = [column.oid for column in described(found.table, found.names)]
    rows, at = [], 0
    while at < len(written):
        end = at + 1 + int.from_bytes(written[at + 1 : at + 5], "big")
        body = Reader(written[at + 5 : end])
        rows.append([decoded(body.value(), oids[place], format_ == 1) for place in range(body.int16())])
        at = end
    return rows


def _cursor(found: Asked) -> list[list[Any]]:
    """The rows in parts, as a cursor gives them."""
    portal = Portal(Statement(Command("query"), []), answer=found)
    rows: list[list[Any]] = []
    while portal.left:
        rows += _fetched(found.table.slice(portal.given, FETCHED), 0, found)
        for _ in portal.next_rows(FETCHED):
            pass
    return rows


def _copied(found: Asked) -> list[list[Any]]:
    """A copy in text, read again."""
    oids = [column.oid for column in described(found.table, found.names)]
    written, rows, at = b"".join(bytes(part) for _, part in copy_rows(found.table, found.names, CopyLayout())), [], 0
    while at < len(written):
        end = at + 1 + int.from_bytes(written[at + 1 : at + 5], "big")
        cells = written[at + 5 : end - 1].split(b"\t")
        rows.append([decoded(None if cell == b"\\N" else _unescaped(cell), oid, False) for cell, oid in zip(cells, oids, strict=True)])
        at = end
    return rows


def _unescaped(cell: bytes) -> bytes:
    return cell.decode("unicode_escape").encode("latin-1") if b"\\" in cell else cell


def _exported(base: Evaluator, viewer: Viewer) -> list[tuple[str, Any, Any]]:
    """Exhibits of totals as files, against the page."""
    found = []
    for page in base.bundle.pages:
        looked_at = LookedAt(page)
        if not base.may(viewer, "open", page) or not looked_at.allows(base, viewer, "export"):
            continue
        step()
        seen = page_as_seen(base, viewer, looked_at, [])
        for place, entry in enumerate(seen.exhibits):
            if entry.totals is None or not page.exhibits[place].measures:
                continue
            try:
                rows = exported_exhibit(base, viewer, looked_at, BeneathRequest(exhibit=place, key=[], filters=[], limit=1, offset=0, beneath=False))
            except Failure:
                continue
            totals = entry.totals
            lines = [[*line.key, *line.values] for line in totals.lines if totals.by and len(line.key) == len(totals.by)]
            closing = [*(["Total"] if totals.by else []), *([None] * (len(totals.by) - 1)), *totals.total]
            found.append((f"{page.name}, exhibit {place + 1}", csv_text([[*totals.by, *totals.measures], *lines, closing]), csv_text(rows)))
    return found


def _embedded(base: Evaluator, viewer: Viewer) -> list[tuple[str, Any, Any]]:
    """Pages in frames for somebody an issuer vouches for with the same groups and attributes, where they then hold and are the same."""
    found = []
    for issuer in Issuer.objects.filter(enabled=True):
        text = text_of(issuer)
        bounds = [item.attribute for item in text.attributes]
        own = {name: list(resolution.values) for name, resolution in viewer.attributes.items() if name in bounds and resolution.values}
        multiple = {definition.name: definition.multiple for definition in base.bundle.attributes}
        attributes = {name: values if multiple.get(name) else values[0] for name, values in own.items()}
        groups = [name for name in text.groups if name in viewer.groups]
        try:
            twin = viewer_of(base, text, Claims.model_validate({"sub": "parity", "groups": groups, "attributes": attributes}))
        except (NotVouched, ValueError):
            continue
        if base.view_of(twin) != base.view_of(viewer):
            continue
        for page in text.pages:
            step()
            try:
                framed = page_as_seen(base, twin, opened_page(base, text.pages, twin, page), [], own=True)
            except NotVouched:
                continue
            looked_at = next(item for item in base.bundle.pages if item.name == page)
            own_page: PageAnswer | None = page_as_seen(base, viewer, LookedAt(looked_at), [], own=True) if base.may_open(viewer, page) else None
            found.append((f"{page} for {text.name}", own_page, framed))
    return found
