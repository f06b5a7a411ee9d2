"""Runs the server: one process answers, so that joined data is in memory once; another watches it and starts it anew when it dies."""

import ctypes
import os
import signal
import socket
import sys
import tempfile
import threading
import time
from http.cookies import CookieError, SimpleCookie
from typing import Any

from django.conf import settings
from django.db import connections
from waitress.adjustments import Adjustments
from waitress.channel import HTTPChannel
from waitress.server import TcpWSGIServer

from moorland.server.keys import open_to_others
from moorland.server.wsgi import application

#: Threads that answer. Requests are read and answers are sent without one.
THREADS = 24
#: Seconds for a request's first line and headers, and for nothing happening on a connection.
HEADER_SECONDS, IDLE_SECONDS = 20, 60
#: A body comes at no less than so many bytes a second, after a start.
BODY_BYTES_A_SECOND = 20_000
#: Larger bodies are received only from somebody signed in, and only where files are brought.
LARGE_BODY, LARGEST_BODY = 4 * 1024**2, 8 * 1024**3
MOST_CONNECTIONS = 4_000
#: After so many seconds a server has started and answered: a death then is one alone, however many came before. So many that never got
#: there, one after the other, and it is not started anew.
STEADY_SECONDS = 10
MOST_DEATHS = 5
#: Linux: the signal this process gets when the one that made it dies.
_PARENT_DEATH_SIGNAL = 1


def after_a_stop() -> None:
    """Takes back what was half done when the process that answers ended last, however it ended."""
    from moorland.server.catalog.storage import remove_unfinished
    from moorland.server.tasks.running import mark_interrupted

    mark_interrupted()
    remove_unfinished()


class _Channel(HTTPChannel):  # type: ignore[misc]  # waitress has no types
    """A connection that has to bring its request in time."""

    began: float | None = None

    def received(self, data: bytes) -> bool:
        going_on: bool = super().received(data)
        if self.request is None:
            self.began = None
        elif self.began is None:
            self.began = time.time()
        if self.request is not None and self.request.headers_finished and not _welcome(self.request):
            self.will_close = True
        return going_on

    def late(self, now: float) -> bool:
        """Whether the request that is arriving has taken too long."""
        if self.began is None or self.request is None:
            return False
        body = self.request.body_bytes_received if self.request.headers_finished else 0
        return now - self.began > HEADER_SECONDS + body / BODY_BYTES_A_SECOND


def _welcome(arriving: Any) -> bool:
    """Whether a body may be as large as it says: a large one only where files are brought, by somebody who is signed in."""
    if not arriving.chunked and arriving.content_length <= LARGE_BODY:
        return True
    if arriving.chunked:
        return bool(arriving.body_bytes_received <= LARGE_BODY)
    from moorland.server.directory.session_store import SessionStore

    try:
        cookie = SimpleCookie(arriving.headers.get("COOKIE", "")).get(settings.SESSION_COOKIE_NAME)
    except CookieError:
        return False
    return arriving.path.startswith("/api/uploads") and cookie is not None and "_auth_user_id" in SessionStore(cookie.value)


class _Server(TcpWSGIServer):  # type: ignore[misc]
    channel_class = _Channel

    def maintenance(self, now: float) -> None:
        super().maintenance(now)
        for channel in self.active_channels.values():
            if channel.late(now):
                channel.will_close = True


def _answer(listening: socket.socket, at_door: socket.socket | None) -> None:
    """Answers until it is stopped, or until the process that watches is gone."""
    from moorland.server.checks.running import keep_running
    from moorland.server.door.serving import open_door
    from moorland.server.schedules.scheduler import start as start_schedules
    from moorland.server.trail.verifying import keep_looking

    ctypes.CDLL(None).prctl(_PARENT_DEATH_SIGNAL, signal.SIGTERM)
    after_a_stop()
    threading.Thread(target=keep_looking, name="trail", daemon=True).start()
    start_schedules()
    threading.Thread(target=keep_running, name="promises", daemon=True).start()
    arriving = settings.DATA / "arriving"
    arriving.mkdir(mode=0o700, exist_ok=True)
    tempfile.tempdir = str(arriving)
    proxies = {"trusted_proxy": settings.TRUSTED_PROXY, "trusted_proxy_headers": "x-forwarded-for x-forwarded-proto x-forwarded-host"}
    adjustments = Adjustments(
        sockets=[listening],
        threads=THREADS,
        connection_limit=MOST_CONNECTIONS,
        asyncore_use_poll=True,
        backlog=1024,
        channel_timeout=IDLE_SECONDS,
        cleanup_interval=5,
        channel_request_lookahead=1,
        max_request_header_size=32 * 1024,
        max_request_body_size=LARGEST_BODY,
        ident=None,
        clear_untrusted_proxy_headers=True,
        **(proxies if settings.TRUSTED_PROXY else {}),
    )
    described = (listening.family, listening.type, listening.proto, listening.getsockname())
    server = _Server(application, _sock=listening, adj=adjustments, bind_socket=False, sockinfo=described)

    def stop(*_: object) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, stop)
    door = open_door(at_door) if at_door is not None else None
    server.run()
    if door is not None:
        door.stop()


def serve(port: int, door: int | None = None) -> None:
    """Serves on the loopback address until it is stopped, and opens the query door; the process that answers is started anew when it dies.

    No thread may run when it is called: of a pool that was used before, the process that answers would have the queue and nobody who works it off.
    """
    for said in open_to_others(settings.DATA):
        print(said, file=sys.stderr, flush=True)
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind(("127.0.0.1", port))
    except OSError as error:
        raise SystemExit(f"Port {port} cannot be listened on: {error.strerror}. Choose another with PORT.") from None
    at_door = _at_door(door) if door is not None else None
    deaths = 0
    while True:
        # A connection to the database is not carried over into the process that answers.
        connections.close_all()
        child = os.fork()
        if child == 0:
            _answer(listening, at_door)
            os._exit(0)
        began = time.monotonic()
        status = _watched(child)
        if status is None or os.waitstatus_to_exitcode(status) == 0:
            return
        deaths = in_a_row(deaths, time.monotonic() - began)
        if deaths > MOST_DEATHS:
            raise SystemExit("The server died again and again; see above. It is not started anew.")
        print(f"The process that answers ended ({os.waitstatus_to_exitcode(status)}); it is started anew.", file=sys.stderr, flush=True)


def _at_door(port: int) -> socket.socket:
    from moorland.server.door.serving import door_socket

    try:
        return door_socket(port)
    except OSError as error:
        raise SystemExit(f"The query door cannot be opened on port {port}: {error.strerror}. Choose another with DOOR, or 0 to leave it closed.") from None


def in_a_row(deaths: int, seconds: float) -> int:
    """How many deaths followed one another, after one more that came so many seconds after its start."""
    return 0 if seconds > STEADY_SECONDS else deaths + 1


def _watched(child: int) -> int | None:
    """How the process that answers ended; None where this one was asked to stop, and stopped it."""
    stopping = False

    def stop(number: int, _: object) -> None:
        nonlocal stopping
        stopping = True
        os.kill(child, signal.SIGTERM)

    before = {number: signal.signal(number, stop) for number in (signal.SIGTERM, signal.SIGINT)}
    try:
        status = os.waitpid(child, 0)[1]
    except ChildProcessError:
        return None
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
    return None if stopping else status
