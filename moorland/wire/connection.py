"""One connection of the door: signing in, then commands by the simple and the extended protocol (channels.md 13.1, 13.6, 13.8)."""

import asyncio
import contextlib
import hashlib
import secrets
import ssl
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

from moorland.wire import messages
from moorland.wire.backend import Asker, Backend
from moorland.wire.commands import Refused
from moorland.wire.messages import Broken, Reader
from moorland.wire.portals import next_number
from moorland.wire.scram import BOUND, PLAIN, Exchange, NotProved
from moorland.wire.settings import TOLD, Settings

#: Seconds for signing in, for the rest of a message that has begun, for a client to take what it asked for, and for nothing at all.
SIGN_IN_SECONDS, MESSAGE_SECONDS, STALL_SECONDS, IDLE_SECONDS = 20, 30, 60, 4 * 3600
_BUFFERED = 1024 * 1024
Given = TypeVar("Given")


class Ended(Exception):
    """The session ends; the client is told why, where there is something to tell."""

    def __init__(self, code: str = "", sentence: str = "", hint: str | None = None) -> None:
        self.code, self.sentence, self.hint = code, sentence, hint
        super().__init__(sentence)


class Connection:
    """A client that came: read and written to in the event loop, while what it asks is worked out in a thread."""

    def __init__(
        self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, backend: Backend, pool: ThreadPoolExecutor, tls: ssl.SSLContext | None, binding: bytes | None
    ) -> None:  # fmt: skip
        self._reader, self._writer, self._backend, self._pool, self._tls, self._binding = reader, writer, backend, pool, tls, binding
        self.number, self.secret = next_number(), secrets.randbits(32)
        self.began, self.asked, self.busy = time.time(), 0, False
        self.encrypted = False
        self.user = ""
        self.asker: Asker | None = None
        self.settings = Settings(self._told, self._stand_in)
        self._loop = asyncio.get_running_loop()
        self._cancelled = False
        self._closing: Ended | None = None
        self._task: asyncio.Task[Any] | None = None

    @property
    def address(self) -> str:
        """Where the client is."""
        found = self._writer.get_extra_info("peername")
        return str(found[0]) if found else ""

    @property
    def cancelled(self) -> bool:
        """Whether what is being worked out is no longer wanted."""
        return self._cancelled or self._closing is not None or self._reader.at_eof() or self._reader.exception() is not None

    def cancel(self) -> None:
        """Stops what is being worked out now."""
        self._cancelled = self.busy

    def end(self, code: str, sentence: str) -> None:
        """Ends the session from outside, in the event loop."""
        self._closing = self._closing or Ended(code, sentence)
        if self._task is not None:
            self._task.cancel()

    def write(self, data: Any) -> None:
        """Sends some bytes, when there is time."""
        self._writer.write(data)

    async def drained(self) -> None:
        """Waits until the client has taken enough. Raises Ended where it takes nothing for too long."""
        try:
            async with asyncio.timeout(STALL_SECONDS):
                await self._writer.drain()
        except TimeoutError:
            self._writer.transport.abort()
            raise Ended from None

    async def worked(self, work: Callable[[], Given]) -> Given:
        """What some work gives, done in a thread."""
        self.busy, self._cancelled = True, False
        try:
            return await asyncio.shield(asyncio.get_running_loop().run_in_executor(self._pool, work))
        finally:
            self.busy = False

    async def next_of(self, parts: Iterator[Given]) -> Given | None:
        """The next part of what is made bit by bit; None at its end."""
        return await self.worked(lambda: next(parts, None))

    # From the first byte to signed in

    async def opened(self, cancel: Callable[[int, int], None]) -> bool:
        """Signs in; False where it was only asked to cancel something. Raises Ended."""
        self._task = asyncio.current_task()
        self._writer.transport.set_write_buffer_limits(high=_BUFFERED)
        try:
            async with asyncio.timeout(SIGN_IN_SECONDS):
                options = await self._begun(cancel)
                if options is None:
                    return False
                await self._signed_in(options)
        except TimeoutError:
            raise Ended("08006", "Signing in took too long.") from None
        return True

    async def _begun(self, cancel: Callable[[int, int], None]) -> dict[str, str] | None:
        while True:
            length = int.from_bytes(await self._reader.readexactly(4), "big")
            if not 8 <= length <= messages.MOST_BEFORE:
                raise Ended
            body = Reader(await self._reader.readexactly(length - 4))
            version = body.int32()
            if version in (messages.TLS, messages.GSS):
                await self._encrypted(version)
            elif version == messages.CANCEL:
                cancel(body.int32() & 0xFFFFFFFF, body.int32() & 0xFFFFFFFF)
                return None
            elif version >> 16 != messages.PROTOCOL:
                raise Ended("0A000", f"unsupported frontend protocol {version >> 16}.{version & 0xFFFF}: this door speaks 3.0")
            else:
                return self._options(body, version)

    async def _encrypted(self, asked: int) -> None:
        if asked == messages.GSS or self._tls is None or self.encrypted:
            self.write(b"N")
            await self.drained()
            return
        self.write(b"S")
        await self.drained()
        await self._writer.start_tls(self._tls)
        self.encrypted = True

    def _options(self, body: Reader, version: int) -> dict[str, str]:
        options: dict[str, str] = {}
        while name := body.text():
            options[name] = body.text()
        if self._tls is not None and not self.encrypted:
            raise Ended("28000", "This door is for encrypted connections only.", "Use sslmode=require, or better verify-full.")
        if not options.get("user"):
            raise Ended("28000", "no PostgreSQL user name specified in startup packet")
        if options.get("replication", "false").lower() not in ("false", "off", "no", "0"):
            raise Ended("0A000", "Nothing is replicated from this door.")
        unknown = [name for name in options if name.startswith("_pq_.")]
        if unknown or version & 0xFFFF:
            self.write(messages.negotiated(unknown))
        return options

    async def _signed_in(self, options: dict[str, str]) -> None:
        self.user = options["user"]
        verifier = await self.worked(lambda: self._backend.verifier(self.user))
        binding = self._binding if self.encrypted else None
        self.write(messages.sasl((BOUND, PLAIN) if binding else (PLAIN,)))
        try:
            first = Reader(await self._password())
            mechanism = first.text()
            if mechanism not in (PLAIN, BOUND):
                raise NotProved
            exchange = Exchange(verifier, mechanism, binding)
            self.write(messages.sasl_step(exchange.first(first.value() or b""), last=False))
            proved = exchange.last(await self._password())
        except (NotProved, Broken):
            await self.worked(lambda: self._backend.failed(self.user, self.address))
            raise Ended("28P01", f'password authentication failed for user "{self.user}"', "The door is opened with a door key, made in My account.") from None
        try:
            self.asker = await self.worked(lambda: self._backend.entered(self.user, self.address, self.number))
            self.settings.values["session_authorization"] = self.asker.login
            self.settings.values["is_superuser"] = "off"
            self.write(messages.sasl_step(proved, last=True) + messages.AUTHENTICATED)
            begun = self.settings.begun_with(options)
            await self.worked(lambda: self._begin_with(begun))
        except Refused as refused:
            raise Ended(refused.code, refused.message, refused.hint) from None
        for name, spelled in TOLD.items():
            self.write(messages.parameter(spelled, self.settings.values[name]))
        self.write(messages.key_data(self.number, self.secret) + messages.ready("I"))
        await self.drained()

    def _begin_with(self, options: dict[str, str]) -> None:
        for name, value in options.items():
            self.settings.set(name, value)

    async def _password(self) -> bytes:
        await self.drained()
        kind, body = await self.message(messages.MOST_BEFORE)
        if kind != b"p":
            raise NotProved
        return body

    def _told(self, name: str, value: str) -> None:
        """Tells the client of a setting that changed, from whichever thread."""
        self._loop.call_soon_threadsafe(self.write, messages.parameter(name, value))

    def _stand_in(self, login: str) -> None:
        """Asks as somebody else; where that is not to be, the session ends (13.1)."""
        assert self.asker is not None
        try:
            self.asker.stands_in(login)
        except Refused as refused:
            raise Ended(refused.code, refused.message, refused.hint) from None

    # Messages

    async def message(self, most: int = messages.MOST_BYTES) -> tuple[bytes, bytes]:
        """The next message: its letter, and what it says. Raises Ended, or IncompleteReadError where the client has gone."""
        if self._closing is not None:
            raise self._closing
        try:
            async with asyncio.timeout(IDLE_SECONDS):
                kind = await self._reader.readexactly(1)
        except TimeoutError:
            raise Ended("57P05", "terminating connection: nothing was asked for too long") from None
        try:
            async with asyncio.timeout(MESSAGE_SECONDS):
                length = int.from_bytes(await self._reader.readexactly(4), "big", signed=True) - 4
                if length < 0 or length > most:
                    raise Ended("08P01", f"invalid message length: a message has at most {most:,} bytes")
                return kind, await self._reader.readexactly(length)
        except TimeoutError:
            raise Ended("08P01", "terminating connection: a message came only in part") from None

    async def closed(self, ended: Ended | None) -> None:
        """Says why, and lets go."""
        ended = self._closing or ended
        with contextlib.suppress(OSError, asyncio.CancelledError, TimeoutError, ssl.SSLError):
            if ended is not None and ended.sentence:
                self.write(messages.said(b"E", "FATAL", ended.code, ended.sentence, ended.hint))
            async with asyncio.timeout(2):
                await self._writer.drain()
                self._writer.close()
                await self._writer.wait_closed()
        self._writer.transport.abort()


def encrypting(certificate: str, private_key: str | None) -> ssl.SSLContext:
    """What connections are encrypted with."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.minimum_version = ssl.TLSVersion.TLSv1_2
    context.load_cert_chain(certificate, private_key)
    return context


def certificate_hash(path: str) -> bytes:
    """What a client binds its sign-in to: the hash of the certificate (RFC 5929)."""
    with open(path, encoding="ascii") as opened:  # noqa: PTH123
        pem = opened.read()
    start = pem.index("-----BEGIN CERTIFICATE-----")
    end = pem.index("-----END CERTIFICATE-----", start) + len("-----END CERTIFICATE-----")
    return hashlib.sha256(ssl.PEM_cert_to_DER_cert(pem[start:end])).digest()
