"""A run of one night in short: viewers read, an administrator edits and releases, files come in, and the server is killed at random.

`make soak` runs it for MINUTES (10 unless given); memory, waits and errors are printed. It fails where something acknowledged was lost,
an answer was an error of the server, the trail is broken, or memory keeps growing.
"""

import json
import os
import random
import signal
import statistics
import subprocess
import sys
import threading
import time
from collections import Counter, defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field

from rich.console import Console
from rich.table import Table

from benchmarks.served import Caller, Served, served_demo

console = Console(width=140)
messages = Console(stderr=True)
MINUTES = float(os.environ.get("MINUTES", "10"))
#: Seconds between two kills, and the share by which memory may be larger at the end than after the first quarter.
KILL_SECONDS, MORE_MEMORY = 60.0, 1.25
#: Waits that fall into so many seconds after a start are told apart: the data is read and joined anew meanwhile.
STARTING_SECONDS = 15.0
CSV_ROWS = 60_000


@dataclass
class Found:
    """What happened on the way."""

    #: When each call began, and how long it took, in seconds.
    waits: dict[str, list[tuple[float, float]]] = field(default_factory=lambda: defaultdict(list))
    statuses: dict[str, Counter[int]] = field(default_factory=lambda: defaultdict(Counter))
    gone: Counter[str] = field(default_factory=Counter)
    groups: set[str] = field(default_factory=set)
    imported: set[str] = field(default_factory=set)
    memory: list[int] = field(default_factory=list)
    #: When the server was started first, and whenever it was killed.
    starts: list[float] = field(default_factory=lambda: [time.monotonic()])

    def call(self, what: str, caller: Caller, method: str, path: str, body: object = None) -> bytes | None:
        """Calls and notes how it went; None where nobody answered or the answer was none."""
        began = time.monotonic()
        try:
            status, answer = caller.call(method, path, body)
        except OSError:
            self.gone[what] += 1
            time.sleep(0.3)
            return None
        self.waits[what].append((began, time.monotonic() - began))
        self.statuses[what][status] += 1
        return answer if status in (200, 201, 202) else None

    def after_a_start(self, began: float, seconds: float) -> bool:
        """Whether a call met a server that had just been started, or killed."""
        return any(began < start + STARTING_SECONDS and began + seconds > start for start in self.starts)


def main() -> None:
    with served_demo() as served:
        found = Found()
        callers = served.callers()
        keeper = callers.pop("h.warden")
        until = time.monotonic() + 60 * MINUTES
        work: list[Callable[[float], None]] = [
            lambda until: _edits(found, keeper, until),
            lambda until: _imports(found, served.callers(["h.warden"])["h.warden"], until),
            lambda until: _kills(found, served, until),
            lambda until: _remembers(found, served, until),
            *(lambda until, caller=caller: _reads(found, caller, until) for _, caller in sorted(callers.items())[:20]),
        ]
        threads = [threading.Thread(target=part, args=(until,), daemon=True) for part in work]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60 * MINUTES + 120)
        _print(found)
        wrong = _wrong(found, served, keeper)
    for sentence in wrong:
        console.print(sentence, style="red")
    sys.exit(1 if wrong else 0)


def _reads(found: Found, caller: Caller, until: float) -> None:
    """A viewer reads pages, one after the other, with a breath between."""
    while time.monotonic() < until:
        listed = found.call("list of pages", caller, "GET", "my/pages")
        pages = [page["name"] for shelf in json.loads(listed)["shelves"] for page in shelf["pages"]] if listed else []
        for page in pages[:4]:
            found.call("page", caller, "GET", f"my/pages/{page}")
            time.sleep(random.uniform(0.1, 0.6))
        time.sleep(0.5)


def _edits(found: Found, keeper: Caller, until: float) -> None:
    """An administrator saves a role, adds a group, and now and then releases."""
    turn = 0
    while time.monotonic() < until:
        turn += 1
        listed = found.call("roles", keeper, "GET", "roles")
        if listed:
            entry = next(item for item in json.loads(listed)["roles"] if item["role"]["name"] == "area-steward")
            role = {**entry["role"], "assigned": [], "about": f"edited {turn} times"}
            found.call("save a role", keeper, "PUT", "roles/area-steward", {"role": role, "version": entry["version"]})
        name = f"soak-{turn}"
        if found.call("add a group", keeper, "POST", "acts", {"save_group": {"name": name}}) is not None:
            found.groups.add(name)
        if turn % 10 == 0 and (pending := found.call("review", keeper, "GET", "releases/pending")):
            found.call("release", keeper, "POST", "releases", {"hash": json.loads(pending)["hash"], "note": f"soak {turn}", "override": "a soak"})
        time.sleep(4.0)


def _imports(found: Found, keeper: Caller, until: float) -> None:
    """A model is brought in from a file, again and again, and the one before is deleted."""
    content = b"id,word,figure\n" + b"".join(b"%d,word %d,%d.25\n" % (row, row % 50, row) for row in range(CSV_ROWS))
    columns = [
        {"position": place, "name": name, "label": name, "type": kind, "spelling": "plain", "blanks": [], "tags": []}
        for place, (name, kind) in enumerate((("id", "integer"), ("word", "text"), ("figure", "number")))
    ]
    turn = 0
    while time.monotonic() < until:
        turn += 1
        name = f"soak_{turn}"
        brought = found.call("bring a file", keeper, "POST", "uploads?name=soak.csv", content)
        if not brought:
            continue
        table = {"upload": json.loads(brought)["id"], "reading": {"format": "csv"}, "name": "lines", "label": "lines", "key": "id", "columns": columns}
        asked = {"model": name, "new_model": True, "label": name, "tables": [table], "relationships": []}
        started = found.call("import", keeper, "POST", "imports", asked)
        if started and _finished(found, keeper, json.loads(started)["id"], until):
            found.imported.add(name)
            draft = found.call("model", keeper, "GET", f"models/{name}")
            if draft and turn % 4 and found.call("delete a model", keeper, "DELETE", f"models/{name}/draft?version={json.loads(draft)['version']}") is None:
                found.imported.discard(name)
        time.sleep(2.0)


def _finished(found: Found, keeper: Caller, task: str, until: float) -> bool:
    while time.monotonic() < until + 30:
        answer = found.call("task", keeper, "GET", f"tasks/{task}")
        state = json.loads(answer)["state"] if answer else "running"
        if state not in ("running", "waiting"):
            return bool(state == "done")
        time.sleep(0.5)
    return False


def _kills(found: Found, served: Served, until: float) -> None:
    while time.monotonic() < until - 20:
        time.sleep(random.uniform(0.5, 1.5) * KILL_SECONDS)
        process = served.answering()
        if process is not None and time.monotonic() < until - 15:
            os.kill(process, signal.SIGKILL)
            found.starts.append(time.monotonic())


def _remembers(found: Found, served: Served, until: float) -> None:
    while time.monotonic() < until:
        found.memory.append(served.memory())
        time.sleep(5.0)


def _wrong(found: Found, served: Served, keeper: Caller) -> list[str]:
    try:
        return _lost(found, served, keeper)
    except OSError:
        return ["The server no longer answers."]


def _lost(found: Found, served: Served, keeper: Caller) -> list[str]:
    """What is wrong at the end, in sentences."""
    wrong: list[str] = []
    people = json.loads(keeper.call("GET", "people")[1])
    missing = found.groups - {group["name"] for group in people["groups"]}
    if missing:
        wrong.append(f"{len(missing)} groups that were acknowledged are gone.")
    failed = {what: {status: times for status, times in statuses.items() if status >= 500} for what, statuses in found.statuses.items()}
    wrong += [f"{what}: {statuses}" for what, statuses in failed.items() if statuses]
    tasks = json.loads(keeper.call("GET", "tasks")[1])["tasks"]
    if any(task["state"] in ("running", "waiting") for task in tasks):
        wrong.append("A task is still said to be running.")
    verified = subprocess.run([sys.executable, "-m", "moorland.cli", "trail", "verify"], env=served.environment, capture_output=True, text=True)
    if verified.returncode:
        wrong.append(verified.stderr.strip())
    quarter = [size for size in found.memory[: len(found.memory) // 4] if size]
    last = [size for size in found.memory[-len(found.memory) // 4 :] if size]
    if quarter and last and max(last) > MORE_MEMORY * max(quarter):
        wrong.append(f"Memory grew from {max(quarter) // 2**20} to {max(last) // 2**20} MB.")
    return wrong


def _print(found: Found) -> None:
    table = Table(title=f"{MINUTES:g} minutes, 20 viewers, an administrator, imports, {len(found.starts) - 1} kills")
    for name in ("what", "answers", "half within", "95% within", "longest", "after a start", "other than 200", "met the killed server"):
        table.add_column(name, justify="left" if name == "what" else "right")
    for what, calls in sorted(found.waits.items()):
        waits = sorted(seconds for _, seconds in calls)
        after = [seconds for began, seconds in calls if found.after_a_start(began, seconds)]
        steady = [seconds for began, seconds in calls if not found.after_a_start(began, seconds)]
        other = {status: times for status, times in found.statuses[what].items() if status not in (200, 201, 202, 204)}
        spans = (statistics.median(waits), waits[int(len(waits) * 0.95)], max(steady, default=0.0), max(after, default=0.0))
        figures = [f"{seconds * 1000:.0f} ms" for seconds in spans]
        table.add_row(what, f"{len(waits):,}", *figures, str(other or "none"), str(found.gone[what]))
    console.print(table)
    sizes = [size / 2**20 for size in found.memory if size]
    console.print(f"memory of the process that answers: {min(sizes):.0f} to {max(sizes):.0f} MB, {sizes[-1]:.0f} MB at the end")


if __name__ == "__main__":
    main()
