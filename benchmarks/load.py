"""Many viewers at once: pages and totals a second, and how long each waits."""

import json
import statistics
import threading
import time
from collections.abc import Callable

from benchmarks.served import Caller, Served, served_demo

VIEWERS, SECONDS = 50, 8.0
TOTALS = {"ask": [{"totals": {"model": "operations", "by": ["site.area"], "measures": ["energy"]}}]}

Line = tuple[str, str, str, str, str, str]


def load_lines() -> list[Line]:
    """The lines of the table, with what was measured before answers of a release were kept."""
    with served_demo() as served:
        callers = [caller for login, caller in sorted(served.callers().items()) if _pages_of(caller)][:VIEWERS]
        pages = {id(caller): _pages_of(caller) for caller in callers}
        turn = {id(caller): 0 for caller in callers}

        def page(caller: Caller) -> None:
            place = turn[id(caller)] = turn[id(caller)] + 1
            _ok(caller.call("GET", f"my/pages/{pages[id(caller)][place % len(pages[id(caller)])]}"))

        def totals(caller: Caller) -> None:
            _ok(caller.call("POST", "my/answers", TOTALS))

        for caller in callers * 6:
            page(caller)
        return [
            *_lines("pages of a release, one viewer", "16–26", measured(callers[:1], page, 4.0)),
            *_lines(f"pages of a release, {len(callers)} viewers at once", "16–26", measured(callers, page, SECONDS)),
            *_lines(f"totals, {len(callers)} viewers at once", "52–72", measured(callers, totals, SECONDS)),
            *_beside_heavy(served),
        ]


def _pages_of(caller: Caller) -> list[str]:
    return [page["name"] for shelf in json.loads(caller.call("GET", "my/pages")[1])["shelves"] for page in shelf["pages"]]


def _ok(answer: tuple[int, bytes]) -> None:
    if answer[0] != 200:
        raise RuntimeError(f"{answer[0]}: {answer[1][:200]!r}")


def measured(callers: list[Caller], ask: Callable[[Caller], None], seconds: float) -> list[float]:
    """How long each of many requests took, each caller asking again as soon as it has its answer; the same caller is used by one thread."""
    waits: list[float] = []
    until = time.monotonic() + seconds

    def run(caller: Caller) -> None:
        while (began := time.monotonic()) < until:
            ask(caller)
            waits.append(time.monotonic() - began)

    threads = [threading.Thread(target=run, args=(caller,)) for caller in dict.fromkeys(callers)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return [seconds, *waits]


def _lines(what: str, before: str, found: list[float]) -> list[Line]:
    seconds, *waits = found
    waits.sort()
    half, most = statistics.median(waits), waits[int(len(waits) * 0.95)]
    return [
        (what, f"{len(waits) / seconds:.0f} a second", "before", f"{before} a second", "", f"half within {half * 1000:.0f} ms, 95% within {most * 1000:.0f} ms")
    ]


def _beside_heavy(served: Served) -> list[Line]:
    """How long a light question waits while two viewers ask as much as they may."""
    callers = served.callers(["v.birk", "t.holm", "j.ames"])
    heavy = {"ask": [{"totals": {"model": "operations", "by": ["reading.reading_id", "site.name", "turbine.turbine_id"], "measures": ["energy"]}}] * 10}
    stopped = threading.Event()

    def press(caller: Caller) -> None:
        while not stopped.is_set():
            caller.call("POST", "my/answers", heavy)

    threads = [threading.Thread(target=press, args=(callers[login],)) for login in ("v.birk", "t.holm")]
    for thread in threads:
        thread.start()
    time.sleep(1.0)
    waits = []
    for _ in range(30):
        began = time.monotonic()
        _ok(callers["j.ames"].call("POST", "my/answers", TOTALS))
        waits.append(time.monotonic() - began)
    stopped.set()
    for thread in threads:
        thread.join()
    longest = max(waits)
    return [("a light question beside two heavy viewers: longest", f"{longest * 1000:.0f} ms", "limit", "1000 ms", "", "under" if longest < 1 else "OVER")]


if __name__ == "__main__":
    for line in load_lines():
        print(*line, sep=" | ")
