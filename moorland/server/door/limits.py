"""How much one account takes through the door (channels.md 13.9)."""

import threading
import time
from collections import defaultdict, deque

from moorland.wire.commands import Refused

#: Rows one account is given in a minute, sessions of one account and of all, and connections that have not signed in.
ROWS_A_MINUTE = 10_000_000
SESSIONS_OF_ONE, SESSIONS, CONNECTIONS = 60, 150, 300

_taken: dict[int, deque[tuple[float, int]]] = defaultdict(deque)
_lock = threading.Lock()


def pay_rows(account: int, rows: int) -> None:
    """Before rows are given. Raises Refused where an account took too many within a minute."""
    now = time.monotonic()
    with _lock:
        taken = _taken[account]
        while taken and now - taken[0][0] > 60:
            taken.popleft()
        if sum(count for _, count in taken) + rows > ROWS_A_MINUTE:
            raise Refused("53400", f"An account is given at most {ROWS_A_MINUTE:,} rows a minute.", "Wait a minute, or ask for totals.")
        taken.append((now, rows))
