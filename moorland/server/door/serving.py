"""The door itself: it listens beside the server of pages, in the same process, and knows who is connected (channels.md 13.8, 13.9)."""

import asyncio
import os
import socket
import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime

from moorland.server.door.asker import AccountAsker
from moorland.server.door.keys import key_named, opening, verifier_for
from moorland.server.door.limits import CONNECTIONS, SESSIONS, SESSIONS_OF_ONE
from moorland.server.trail.floods import record_refusal
from moorland.server.trail.models import record
from moorland.wire.backend import Asker
from moorland.wire.commands import Refused
from moorland.wire.connection import Connection, Ended, certificate_hash, encrypting
from moorland.wire.scram import Verifier
from moorland.wire.session import served

#: Threads that answer. What is worked out takes turns with all else the server does.
THREADS = 16
#: Seconds between two looks at whether those who are connected may still be.
LOOK_SECONDS = 0.5


@dataclass(frozen=True)
class Connected:
    """A session of the door as it is told."""

    number: int
    login: str
    account: str
    key: str
    since: datetime
    address: str
    program: str
    asked: int
    busy: bool
    encrypted: bool


class Door:
    """Listens on a socket until it is stopped. With a certificate, connections are encrypted."""

    def __init__(self, listening: socket.socket, certificate: str | None = None, private_key: str | None = None) -> None:
        self._listening = listening
        self._sessions: dict[int, Connection] = {}
        self._came = 0
        self._pool = ThreadPoolExecutor(THREADS, thread_name_prefix="door")
        self._loop = asyncio.new_event_loop()
        self._tls = encrypting(certificate, private_key) if certificate else None
        self._binding = certificate_hash(certificate) if certificate else None
        self._stopped = asyncio.Event()

    @property
    def port(self) -> int:
        """Where it listens."""
        return int(self._listening.getsockname()[1])

    @property
    def encrypted(self) -> bool:
        """Whether connections have to be encrypted."""
        return self._tls is not None

    def begin(self) -> None:
        """Listens in a thread of its own."""
        threading.Thread(target=self._run, name="door", daemon=True).start()

    def stop(self) -> None:
        """Ends every session, and listens no more."""
        self._loop.call_soon_threadsafe(self._stopped.set)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_until_complete(self._serve())

    async def _serve(self) -> None:
        server = await asyncio.start_server(self._connected, sock=self._listening, backlog=256)
        looking = self._loop.create_task(self._look())
        await self._stopped.wait()
        looking.cancel()
        server.close()
        ending = list(self._sessions.values())
        for connection in ending:
            connection.end("57P01", "terminating connection due to administrator command: the server stops")
        await asyncio.sleep(0.2)

    async def _connected(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        connection = Connection(reader, writer, self, self._pool, self._tls, self._binding)
        if self._came >= CONNECTIONS:
            await connection.closed(Ended("53300", "sorry, too many clients already"))
            return
        self._came += 1
        try:
            await served(connection, self._cancel, self._entered, self._left)
        finally:
            self._came -= 1

    def _cancel(self, number: int, secret: int) -> None:
        found = self._sessions.get(number)
        if found is not None and found.secret == secret:
            found.cancel()

    def _entered(self, connection: Connection) -> None:
        self._sessions[connection.number] = connection

    def _left(self, connection: Connection) -> None:
        self._sessions.pop(connection.number, None)

    async def _look(self) -> None:
        """Ends the sessions of those who may no longer be connected."""
        while True:
            await asyncio.sleep(LOOK_SECONDS)
            there = {connection: connection.asker.key for connection in self._sessions.values() if isinstance(connection.asker, AccountAsker)}
            if not there:
                continue
            wanted = set(there.values())
            good = await self._loop.run_in_executor(self._pool, lambda keys=wanted: opening(keys))  # type: ignore[misc]
            for connection, key in there.items():
                if key not in good:
                    connection.end("57P01", "terminating connection due to administrator command: this key no longer opens the door")

    # What the protocol asks

    def verifier(self, user: str) -> Verifier:
        """What a key of this user is proved by."""
        return verifier_for(user)

    def failed(self, user: str, address: str) -> None:
        """A key was not proved: it goes to the trail, once for a stretch of work."""
        record_refusal(user[:200], "sign-in refused", "query door", address)

    def entered(self, user: str, address: str, number: int) -> Asker:
        """Somebody whose key was proved. Raises Refused."""
        key = key_named(user)
        if key is None:
            raise Refused("28P01", f'password authentication failed for user "{user}"')
        there = [item.asker for item in list(self._sessions.values()) if isinstance(item.asker, AccountAsker)]
        if len(there) >= SESSIONS or sum(item.account == key.account.login for item in there) >= SESSIONS_OF_ONE:
            raise Refused("53300", "sorry, too many clients already")
        record(key.account.login, "come in", "query door", key=key.name, address=address)
        return AccountAsker(key.account, key, number)

    # What settings show

    def connected(self) -> list[Connected]:
        """Who is connected, oldest first."""
        return [
            Connected(
                number=item.number, login=item.asker.login, account=item.asker.account, key=item.asker.key_name, since=datetime.fromtimestamp(item.began, UTC),
                address=item.address, program=item.settings.values["application_name"][:200], asked=item.asked, busy=item.busy, encrypted=item.encrypted,
            )
            for item in sorted(self._sessions.copy().values(), key=lambda item: item.began)
            if isinstance(item.asker, AccountAsker)
        ]  # fmt: skip

    def end(self, number: int) -> bool:
        """Ends a session; False where there is none."""
        found = self._sessions.get(number)
        if found is None:
            return False
        self._loop.call_soon_threadsafe(found.end, "57P01", "terminating connection due to administrator command")
        return True


_open: list[Door] = []


def open_door(listening: socket.socket) -> Door:
    """Opens the door of this process, with the certificate that MOORLAND_DOOR_CERT and MOORLAND_DOOR_KEY name."""
    door = Door(listening, os.environ.get("MOORLAND_DOOR_CERT"), os.environ.get("MOORLAND_DOOR_KEY"))
    door.begin()
    _open.append(door)
    return door


def the_door() -> Door | None:
    """The door of this process, where it is open."""
    return _open[0] if _open else None


def door_socket(port: int) -> socket.socket:
    """A socket to listen on: the loopback address only, unless there is a certificate and MOORLAND_DOOR_HOST names another. Raises OSError."""
    host = os.environ.get("MOORLAND_DOOR_HOST", "127.0.0.1") if os.environ.get("MOORLAND_DOOR_CERT") else "127.0.0.1"
    # Said to be TCP, so that the event loop sends small answers without waiting.
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((host, port))
        listening.listen(256)
    except OSError:
        listening.close()
        raise
    return listening
