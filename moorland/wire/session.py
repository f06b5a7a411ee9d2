"""A session after signing in: each message of the client carried out (channels.md 13.6, 13.8)."""

import asyncio
import logging
from collections.abc import Awaitable, Callable
from typing import Any

import pyarrow as pa

from moorland.wire import messages
from moorland.wire.backend import Asked
from moorland.wire.commands import Command, Refused, commands_of
from moorland.wire.connection import Connection, Ended
from moorland.wire.decoding import BadValue, decoded
from moorland.wire.encoding import copy_rows, described
from moorland.wire.messages import Broken, Reader, completed
from moorland.wire.portals import MOST_OPEN, Portal, Statement
from moorland.wire.settings import AS
from moorland.wire.type_names import TYPE_NAMES

_log = logging.getLogger(__name__)
_IN_FAILED = ("commit", "rollback", "rollback to")


class Session:
    """What one client has open and is doing."""

    def __init__(self, connection: Connection) -> None:
        assert connection.asker is not None
        self._connection, self._asker = connection, connection.asker
        self._statements: dict[str, Statement] = {}
        self._portals: dict[str, Portal] = {}
        self._cursors: dict[str, Portal] = {}
        #: Outside a transaction (I), in one (T), or in one that failed (E).
        self._status = "I"
        self._skipping = False

    async def run(self) -> None:
        """Carries out messages until the client goes. Raises Ended."""
        while True:
            kind, body = await self._connection.message()
            if kind == b"X":
                return
            if self._skipping and kind != b"S":
                continue
            try:
                await self._carried_out(kind, Reader(body))
            except Refused as refused:
                self._failed(refused)
                if kind == b"Q":
                    self._connection.write(messages.ready(self._status))
                else:
                    self._skipping = True
            except Broken as broken:
                raise Ended("08P01", str(broken)) from None
            if kind in b"QSH":
                await self._connection.drained()

    def _failed(self, refused: Refused) -> None:
        self._status = "E" if self._status in "TE" else "I"
        self._connection.write(messages.said(b"E", "ERROR", refused.code, refused.message, refused.hint, refused.position))

    async def _carried_out(self, kind: bytes, body: Reader) -> None:
        match kind:
            case b"Q":
                await self._simple(body.text())
                self._connection.write(messages.ready(self._status))
            case b"P":
                await self._parse(body)
            case b"B":
                await self._bind(body)
            case b"D":
                await self._describe(body)
            case b"E":
                await self._execute(body.text(), body.int32())
            case b"C":
                self._close(body)
            case b"S":
                self._skipping = False
                if self._status == "I":
                    self._ended_transaction()
                self._connection.write(messages.ready(self._status))
            case b"H":
                pass
            case b"F":
                raise Refused("0A000", "Functions are not called by number here.")
            case b"d" | b"c" | b"f":
                pass
            case _:
                raise Broken(f"invalid frontend message type {kind[0]}")

    # The simple protocol

    async def _simple(self, text: str) -> None:
        commands = commands_of(text)
        if not commands:
            self._connection.write(messages.EMPTY)
        for command in commands:
            portal = Portal(Statement(command, []))
            if command.kind == "execute":
                portal = await self._executed_by_name(command)
            await self._run(portal, None, describe=True)
        if self._status == "I":
            self._ended_transaction()

    async def _executed_by_name(self, command: Command) -> Portal:
        statement = self._statements.get(command.name)
        if statement is None:
            raise Refused("26000", f'prepared statement "{command.name}" does not exist')
        values = []
        if command.text.strip():
            found = await self._ask(f"SELECT {command.text}", [])
            values = [column[0].as_py() for column in found.table.columns]
        return Portal(statement, values)

    # The extended protocol

    async def _parse(self, body: Reader) -> None:
        name, text = body.text(), body.text()
        oids = [body.int32() for _ in range(body.int16())]
        commands = commands_of(text)
        if len(commands) > 1:
            raise Refused("42601", "cannot insert multiple commands into a prepared statement")
        if name and name in self._statements:
            raise Refused("42P05", f'prepared statement "{name}" already exists')
        if len(self._statements) >= MOST_OPEN:
            raise Refused("53400", f"A session has at most {MOST_OPEN} prepared statements.")
        statement = Statement(commands[0] if commands else None, oids)
        self._refuse_failed(statement.command)
        await self._known(statement)
        self._statements[name] = statement
        self._connection.write(messages.PARSED)

    async def _known(self, statement: Statement) -> None:
        """Reads a statement, so that its parameters and columns are known."""
        command = statement.command
        if statement.known or command is None:
            return
        statement.known = True
        match command.kind:
            case "query":
                values = self._connection.settings.values
                asked = statement.oids

                def read() -> Any:
                    return self._asker.prepared(command.text, asked, values)

                found = await self._located(command, self._connection.worked(read))
                statement.oids, statement.columns = found.parameters, found.columns
            case "show":
                statement.columns = self._shown(command)[1]
            case "fetch":
                cursor = self._cursor(command.name)
                statement.columns = cursor.statement.columns
            case "execute":
                raise Refused("0A000", "EXECUTE is not prepared again here.")
            case _:
                pass

    async def _located(self, command: Command, work: Awaitable[Any]) -> Any:
        """What work gives; what is refused is at its place in the client's text."""
        try:
            return await work
        except Refused as refused:
            position = refused.position + command.start if refused.position is not None else None
            raise Refused(refused.code, refused.message, refused.hint, position) from None

    async def _bind(self, body: Reader) -> None:
        name, source = body.text(), body.text()
        statement = self._statements.get(source)
        if statement is None:
            raise Refused("26000", f'prepared statement "{source}" does not exist')
        codes = [body.int16() for _ in range(body.int16())]
        raw = [body.value() for _ in range(body.int16())]
        formats = [body.int16() for _ in range(body.int16())]
        if any(code not in (0, 1) for code in (*codes, *formats)):
            raise Refused("22023", "A format is 0 for text or 1 for binary.")
        if len(raw) != len(statement.oids):
            raise Refused("08P01", f"bind message supplies {len(raw)} parameters, but prepared statement requires {len(statement.oids)}")
        if len(codes) not in (0, 1, len(raw)):
            raise Refused("08P01", f"bind message has {len(codes)} parameter formats but {len(raw)} parameters")
        if len(formats) > 1 and len(formats) != len(statement.columns or []):
            raise Refused("08P01", f"bind message has {len(formats)} result formats but query has {len(statement.columns or [])} columns")
        binary = codes * len(raw) if len(codes) == 1 else codes or [0] * len(raw)
        try:
            values = [decoded(value, oid, code == 1) for value, oid, code in zip(raw, statement.oids, binary, strict=True)]
        except BadValue as bad:
            raise Refused("22P02", f"{bad}") from None
        self._refuse_failed(statement.command)
        if name and name in self._portals:
            raise Refused("42P03", f'cursor "{name}" already exists')
        if len(self._portals) >= MOST_OPEN:
            raise Refused("53400", f"A session has at most {MOST_OPEN} portals.")
        self._portals[name] = Portal(statement, values, formats)
        self._connection.write(messages.BOUND)

    async def _describe(self, body: Reader) -> None:
        kind, name = body.take(1), body.text()
        if kind == b"S":
            statement = self._statements.get(name)
            if statement is None:
                raise Refused("26000", f'prepared statement "{name}" does not exist')
            self._connection.write(messages.parameter_description(statement.oids))
            formats = [0] * len(statement.columns or [])
        else:
            portal = self._portal(name)
            statement, formats = portal.statement, portal.column_formats(len(portal.statement.columns or []))
        columns = statement.columns
        self._connection.write(messages.NO_DATA if columns is None else messages.row_description(columns, formats))

    async def _execute(self, name: str, most: int) -> None:
        portal = self._portal(name)
        await (self._give(portal, most or None, "SELECT") if name in self._cursors else self._run(portal, most or None, describe=False))

    def _portal(self, name: str) -> Portal:
        """A portal, or a cursor, which is one too."""
        found = self._portals.get(name) or self._cursors.get(name)
        if found is None:
            raise Refused("34000", f'portal "{name}" does not exist')
        return found

    def _close(self, body: Reader) -> None:
        kind, name = body.take(1), body.text()
        (self._statements if kind == b"S" else self._portals).pop(name, None)
        self._connection.write(messages.CLOSED)

    # Commands

    def _refuse_failed(self, command: Command | None) -> None:
        if self._status == "E" and command is not None and command.kind not in _IN_FAILED:
            raise Refused("25P02", "current transaction is aborted, commands ignored until end of transaction block")

    async def _run(self, portal: Portal, most: int | None, describe: bool) -> None:
        command = portal.statement.command
        if command is None:
            self._connection.write(messages.EMPTY)
            return
        self._refuse_failed(command)
        match command.kind:
            case "query":
                if portal.answer is None:
                    portal.answer = await self._located(command, self._ask(command.text, portal.values))
                    if describe:
                        self._describe_answer(portal)
                await self._give(portal, most, "SELECT")
            case "copy":
                await self._copy(command)
            case "fetch" | "move":
                await self._fetch(command, portal, describe)
            case "show":
                await self._show(command, portal, describe)
            case "declare":
                await self._declare(command)
                self._connection.write(completed(command.tag))
            case "set" | "reset":
                await self._connection.worked(lambda: self._change(command))
                self._connection.write(completed(command.tag))
            case _:
                self._plain(command)
                self._connection.write(completed("ROLLBACK" if command.kind == "commit" and self._was_failed else command.tag))

    def _plain(self, command: Command) -> None:
        """Commands that only change what the session has open."""
        self._was_failed = self._status == "E"
        match command.kind:
            case "begin":
                self._status = "T"
            case "commit" | "rollback":
                self._status = "I"
                self._ended_transaction()
            case "rollback to":
                if self._status == "I":
                    raise Refused("25P01", "ROLLBACK TO SAVEPOINT can only be used in transaction blocks")
                self._status = "T"
            case "savepoint" | "release":
                if self._status == "I":
                    raise Refused("25P01", f"{command.tag} can only be used in transaction blocks")
            case "close":
                if command.name and command.name not in self._cursors:
                    raise Refused("34000", f'cursor "{command.name}" does not exist')
                self._forget(self._cursors, command.name)
            case "deallocate":
                if command.name and command.name not in self._statements:
                    raise Refused("26000", f'prepared statement "{command.name}" does not exist')
                self._forget(self._statements, command.name)
            case "prepare":
                if command.name in self._statements:
                    raise Refused("42P05", f'prepared statement "{command.name}" already exists')
                oids = [TYPE_NAMES.get(item, 0) for item in command.value.split(",") if item]
                self._statements[command.name] = Statement(Command("query", text=command.text, start=command.start), oids)
            case "discard":
                self._discard(command)
            case _:
                pass

    _was_failed = False

    def _forget(self, kept: dict[str, Any], name: str) -> None:
        if name:
            del kept[name]
        else:
            kept.clear()

    def _discard(self, command: Command) -> None:
        if command.name == "ALL":
            if self._status != "I":
                raise Refused("25001", "DISCARD ALL cannot run inside a transaction block")
            self._statements.clear()
            self._portals.clear()
            self._cursors.clear()
            self._connection.settings.reset("all")

    def _change(self, command: Command) -> None:
        if command.kind == "reset":
            self._connection.settings.reset(command.name)
        else:
            self._connection.settings.set(command.name, command.value)

    def _ended_transaction(self) -> None:
        """What ends with a transaction: portals, and cursors that were not declared to outlive it."""
        self._portals.clear()
        self._cursors = {name: cursor for name, cursor in self._cursors.items() if not cursor.transient}

    # Answers

    async def _ask(self, text: str, values: list[Any], export: bool = False) -> Asked:
        connection, settings = self._connection, self._connection.settings
        connection.asked += 1

        def change(name: str, value: str) -> None:
            if name == AS:
                raise Refused("0A000", f"{AS} is set with SET, once, before the first question.")
            settings.set(name, value)

        def work() -> Asked:
            return self._asker.asked(text, values, settings.values, change, lambda: connection.cancelled, export)

        found = await connection.worked(work)
        for notice in found.notices:
            connection.write(messages.said(b"N", "NOTICE", "00000", notice))
        return found

    def _describe_answer(self, portal: Portal) -> None:
        assert portal.answer is not None
        columns = described(portal.answer.table, portal.answer.names)
        portal.statement.columns = columns
        self._connection.write(messages.row_description(columns, portal.column_formats(len(columns))))

    async def _give(self, portal: Portal, most: int | None, tag: str) -> None:
        """The next rows of a portal, block by block; what may no longer be told ends it."""
        given, parts = 0, portal.next_rows(most)
        assert portal.answer is not None
        stamp = portal.answer.stamp
        while True:
            await self._refuse_outdated(stamp)
            part = await self._connection.next_of(parts)
            if part is None:
                break
            given += part[0]
            self._connection.write(part[1])
            if self._connection.cancelled:
                raise Refused("57014", "canceling statement due to user request")
            await self._connection.drained()
        suspended = most is not None and given >= most and tag == "SELECT"
        self._connection.write(messages.SUSPENDED if suspended else completed(f"{tag} {given}"))

    async def _refuse_outdated(self, stamp: object) -> None:
        if not await self._connection.worked(lambda: self._asker.current(stamp)):
            raise Refused("24000", "What you may see has changed since this was asked.", "Ask it again.")

    async def _copy(self, command: Command) -> None:
        layout = command.layout
        found = await self._located(command, self._ask(command.text, [], export=True))
        self._connection.write(messages.copy_out(found.table.num_columns, layout.binary))
        parts, rows = copy_rows(found.table, found.names, layout), 0
        while True:
            await self._refuse_outdated(found.stamp)
            part = await self._connection.next_of(parts)
            if part is None:
                break
            rows += part[0]
            self._connection.write(part[1])
            await self._connection.drained()
        self._connection.write(messages.COPIED + completed(f"COPY {rows}"))

    async def _declare(self, command: Command) -> None:
        if self._status == "I" and command.local:
            raise Refused("25P01", "DECLARE CURSOR can only be used in transaction blocks")
        if command.name in self._cursors:
            raise Refused("42P03", f'cursor "{command.name}" already exists')
        if len(self._cursors) >= MOST_OPEN:
            raise Refused("53400", f"A session has at most {MOST_OPEN} cursors.")
        answer = await self._located(command, self._ask(command.text, []))
        columns = described(answer.table, answer.names)
        formats = [1] if command.binary else []
        self._cursors[command.name] = Portal(Statement(command, [], columns, True), [], formats, answer, transient=command.local)

    def _cursor(self, name: str) -> Portal:
        found = self._cursors.get(name)
        if found is None:
            raise Refused("34000", f'cursor "{name}" does not exist')
        return found

    async def _fetch(self, command: Command, portal: Portal, describe: bool) -> None:
        cursor = self._cursor(command.name)
        assert cursor.answer is not None
        if not describe and portal.formats:
            cursor.formats = portal.formats
        if command.kind == "move":
            await self._refuse_outdated(cursor.answer.stamp)
            moved = cursor.left if command.count is None else min(command.count, cursor.left)
            cursor.given += moved
            self._connection.write(completed(f"MOVE {moved}"))
            return
        if describe:
            columns = cursor.statement.columns or []
            self._connection.write(messages.row_description(columns, cursor.column_formats(len(columns))))
        await self._give(cursor, command.count, "FETCH")

    def _shown(self, command: Command) -> tuple[pa.Table, list[messages.Described]]:
        settings = self._connection.settings
        if command.name == "all":
            names = sorted(settings.values)
            table = pa.table([names, [settings.values[name] for name in names], [""] * len(names)], ["name", "setting", "description"])
        else:
            table = pa.table([[settings.show(command.name)]], [command.name])
        return table, described(table, table.column_names)

    async def _show(self, command: Command, portal: Portal, describe: bool) -> None:
        table, columns = self._shown(command)
        if describe:
            self._connection.write(messages.row_description(columns, [0] * len(columns)))
        shown = Portal(portal.statement, [], portal.formats, Asked(table, table.column_names, [], None))
        for _, data in shown.next_rows(None):
            self._connection.write(data)
        self._connection.write(completed("SHOW"))


async def served(connection: Connection, cancel: Callable[[int, int], None], entered: Callable[[Connection], None], left: Callable[[Connection], None]) -> None:
    """A connection from its first byte to its last, whatever happens on it."""
    ended: Ended | None = None
    try:
        if await connection.opened(cancel):
            entered(connection)
            await Session(connection).run()
    except Ended as over:
        ended = over
    except (Broken, asyncio.IncompleteReadError, OSError, asyncio.CancelledError):
        pass
    except Exception:
        _log.exception("a session of the door ended")
        ended = Ended("XX000", "Something went wrong here; the session ends.")
    finally:
        left(connection)
        await connection.closed(ended)
