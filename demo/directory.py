"""The directory of the co-operative's head office, beside the demo: people who are here already, people who are new, and groups in groups.

`make directory` starts it; Settings, Directories connects it.
"""

import os
import signal
import threading

from demo.slapd import READER, READER_PASSWORD, SUFFIX, at, entry, group, group_at, person, running_slapd

PORT = 3890
#: login, name, organization, areas
_NEW = [
    ("a.hollin", "Asa Hollin", "cairn", ["High Fells"]),
    ("b.sour", "Bea Sour", "cairn", ["High Fells", "Westdale"]),
    ("c.tarn", "Col Tarn", "saltmarsh", ["Saltmarsh"]),
    ("d.whin", "Dora Whin", "saltmarsh", ["Fen End"]),
    ("e.gorse", "Eddie Gorse", "eastmoor", ["Eastmoor"]),
    ("f.linn", "Fay Linn", "eastmoor", []),
    ("g.hag", "Gus Hag", "whinfell", []),
    ("h.bield", "Hedda Bield", "whinfell", []),
]
#: Somebody who is in the demo already, under the same login, and two entries that share one.
_ODD = [("o.ling", "Orla Ling", "eastmoor", ["Eastmoor"]), ("j.twin", "Jem Twin", "cairn", [])]


def entries(more: int = 0) -> list[str]:
    """The directory as LDIF; `more` people without any group beside them."""
    people = [_person(*item) for item in [*_NEW, *_ODD, *((f"p{number:05d}", f"Person {number}", "whinfell", []) for number in range(more))]]
    twin = entry(f"cn=Jem Twin,ou=people,{SUFFIX}", objectClass="inetOrgPerson", uid="j.twin", cn="Jem Twin", sn="Twin")
    groups = [
        group("High Fells stewards", at("a.hollin"), at("b.sour"), group_at("Seasonal stewards")),
        group("Seasonal stewards", at("f.linn"), group_at("High Fells stewards")),
        group("Everybody in the office", at("g.hag"), at("h.bield")),
    ]
    return [*people, twin, *groups]


def _person(login: str, name: str, organization: str, areas: list[str]) -> str:
    return person(login, name, mail=f"{login}@whinfell.example", o=organization, **({"departmentNumber": areas} if areas else {}))


def main() -> None:
    """Serves the directory until it is stopped."""
    port, more = int(os.environ.get("DIRECTORY_PORT", PORT)), int(os.environ.get("PEOPLE", "0"))
    stopped = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stopped.set())
    with running_slapd(entries(more), port):
        print(f"A directory is at localhost, port {port}, without TLS (Ctrl+C stops it).")
        print(f"Connect it under Settings, Directories. It is asked as {READER} with the password: {READER_PASSWORD}")
        print(f"People are below ou=people,{SUFFIX}, groups below ou=groups,{SUFFIX}; an organization is named by o, areas by departmentNumber.", flush=True)
        stopped.wait()


if __name__ == "__main__":
    main()
