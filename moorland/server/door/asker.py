"""A session of the door as whoever came in: statements read and answered as theirs (channels.md 13)."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

import pyarrow as pa

from moorland.core.bundle.shape import ValueType
from moorland.core.door.asking import ask_planned, planned
from moorland.core.door.asking import described as described_plan
from moorland.core.door.catalogue import Catalogue, catalogue_of
from moorland.core.door.errors import SqlRefused
from moorland.core.door.parameters import SAMPLES, listed_parameters, parameter_types
from moorland.core.door.reading import parsed
from moorland.core.door.system import Session as SystemSession
from moorland.core.door.system import SystemCatalogue, read_system
from moorland.core.door.system_tables import VALUE_TYPES
from moorland.core.engine.evaluator import Evaluator
from moorland.core.people import Viewer
from moorland.core.price import TooCostly, Unwanted
from moorland.server.directory.models import Account
from moorland.server.door.keys import note_use
from moorland.server.door.limits import pay_rows
from moorland.server.door.models import DoorKey
from moorland.server.duties.rights import rights_of
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator
from moorland.server.pricing import TooMany, account_asker, priced
from moorland.server.trail.models import record
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.role_use import note_questions
from moorland.wire.backend import Asked, Prepared
from moorland.wire.commands import Refused
from moorland.wire.encoding import described
from moorland.wire.settings import DEFAULTS

#: What one statement may take: seconds, rows, and values.
SECONDS, MOST_ROWS, MOST_VALUES = 30.0, 1_000_000, 40_000_000
#: Seconds a statement waits while others of the same account are answered.
WAIT_SECONDS = 30.0
#: Catalogues of so many viewers are kept.
MOST_KEPT = 48
_OID_TYPES: dict[int, ValueType] = {16: "boolean", 20: "integer", 21: "integer", 23: "integer", 26: "integer", 700: "number", 701: "number", 1700: "number", 1082: "date", 1114: "timestamp", 1184: "timestamp"}  # fmt: skip

_kept: OrderedDict[tuple[object, str], tuple[Catalogue, SystemCatalogue]] = OrderedDict()
_lock = threading.Lock()


class AccountAsker:
    """Somebody who came in with a key of their own, asking as themselves or as whom they stand in for.

    Without a key it is a check of what somebody is answered: recorded by whoever runs it, as one look.
    """

    def __init__(self, account: Account, key: DoorKey | None, number: int) -> None:
        self._key, self._account, self._number = key, account, number
        self._as: str | None = None
        self._has_asked = False
        if key is not None:
            note_use(key)

    @property
    def login(self) -> str:
        """Whose answers are given."""
        return self._as or self._account.login

    @property
    def account(self) -> str:
        """Who came in."""
        return self._account.login

    @property
    def key(self) -> int:
        """The key of the session; 0 for a check."""
        return self._key.pk if self._key is not None else 0

    @property
    def key_name(self) -> str:
        """What the key is called."""
        return self._key.name if self._key is not None else ""

    def stands_in(self, login: str) -> None:
        """Asks as somebody else from now on; once, and before the first question (13.1). Raises Refused."""
        if self._as is not None or self._has_asked:
            raise Refused("25001", "moorland.as is set once, before the first question.")
        with _answering():
            self._refuse_standing_in(login)
            record_look(self._account, [login], "stands in", "live")
        self._as = login

    def _refuse_standing_in(self, login: str) -> None:
        """Raises Refused where the account may not ask as somebody (any more); in the same words for somebody out of reach and for nobody."""
        base, rights = evaluator("live"), rights_of(self._account)
        if login not in base.people.users or not rights.reaches("stand-in", person=base.viewer(login)):
            raise Refused("28000", f'nobody may be asked as by the name "{login}"')
        other = Account.objects.get(login=login)
        if any(not rights.covers(held.duty.acts, held.duty.scope, base.people) for held in rights_of(other).held):
            raise Refused("28000", f"{login} has wider duties than {self._account.login}; nobody stands in for more than they may do themselves.")

    def current(self, stamp: object) -> bool:
        """Whether what was worked out in a state may still be told."""
        if self._as is not None:
            self._refuse_standing_in(self._as)
        return stamp is None or evaluator("live").stamp is stamp

    def prepared(self, text: str, oids: Sequence[int], settings: dict[str, str]) -> Prepared:
        """A statement read without asking it: the types of its parameters, by what the client says or where they stand, and its columns."""
        with self._priced(lambda: False), _answering():
            base, viewer, catalogue, system = self._known(settings)
            statement = read_system(text)
            read = statement.query if statement is not None else parsed(text)
            listed = listed_parameters(read)
            known = [VALUE_TYPES[kind] for kind in parameter_types(read, catalogue)]
            inferred = [kind.array if number in listed else kind.oid for number, kind in enumerate(known, start=1)]
            types = [oids[place] if place < len(oids) and oids[place] not in (0, 705) else oid for place, oid in enumerate(inferred)]
            types += list(oids[len(types) :])
            samples = [[] if number in listed else SAMPLES[_OID_TYPES.get(oid, "text")] for number, oid in enumerate(types, start=1)]
            if statement is not None:
                table = system.ask(statement, self._session(settings, None), dict(enumerate(samples, start=1)), described=True)
                return Prepared(types, described(table, table.column_names))
            found = described_plan(planned(base, viewer, text, samples, catalogue))
            return Prepared(types, described(found.table, found.names))

    def asked(
        self, text: str, parameters: Sequence[Any], settings: dict[str, str], change: Callable[[str, str], None], gone: Callable[[], bool], export: bool
    ) -> Asked:  # fmt: skip
        """What a statement gives; what it asked stands in the trail."""
        with self._priced(gone), _answering():
            base, viewer, catalogue, system = self._known(settings)
            statement = read_system(text)
            if statement is not None:
                table = system.ask(statement, self._session(settings, change), dict(enumerate(parameters, start=1)))
                return Asked(table, table.column_names, [], None)
            self._has_asked = True
            stood_for = {"as": self._as} if self._as else {}
            if self._key is not None:
                record(self._account.login, "ask", "sql", **stood_for, statement=text[:2000], door=self._key.name, **({"copied": True} if export else {}))
            plan = planned(base, viewer, text, parameters, catalogue)
            if self._key is not None:
                note_questions(base, viewer, [part.question for part in plan.bases])
            found = ask_planned(base, viewer, plan, export)
            pay_rows(self._account.pk, found.table.num_rows)
            return Asked(found.table, found.names, found.notices, base.stamp)

    def _session(self, settings: dict[str, str], change: Callable[[str, str], None] | None) -> SystemSession:
        return SystemSession(self.login, settings, self._number, change)

    @contextmanager
    def _priced(self, gone: Callable[[], bool]) -> Iterator[None]:
        try:
            with priced(account_asker(self._account.pk), SECONDS, MOST_ROWS, MOST_VALUES, gone, WAIT_SECONDS):
                yield
        except TooMany:
            raise Refused("53300", "Too many of your statements are being answered at once. Wait for one of them.") from None

    def _known(self, settings: dict[str, str]) -> tuple[Evaluator, Viewer, Catalogue, SystemCatalogue]:
        """The live release, who asks, and what exists for them, kept until something changes."""
        base = evaluator("live")
        if self._as is not None:
            # A duty that was taken away meanwhile ends what it allowed.
            self._refuse_standing_in(self._as)
        if self.login not in base.people.users:
            raise Refused("28000", f'role "{self.login}" does not exist')
        viewer = base.viewer(self.login)
        key = (base.stamp, self.login)
        with _lock:
            found = _kept.get(key)
            if found is not None:
                _kept.move_to_end(key)
        if found is None:
            catalogue = catalogue_of(base, viewer)
            found = (catalogue, SystemCatalogue(catalogue, self.login, DEFAULTS))
            with _lock:
                for old in [old for old in _kept if old[1] == self.login]:
                    del _kept[old]
                _kept[key] = found
                while len(_kept) > MOST_KEPT:
                    _kept.popitem(last=False)
        path = tuple(name.strip().strip('"') for name in settings.get("search_path", "").split(","))
        return base, viewer, replace(found[0], path=path), found[1]


@contextmanager
def _answering() -> Iterator[None]:
    """What is refused while answering, as the protocol says it."""
    try:
        yield
    except SqlRefused as refused:
        raise Refused(refused.code, refused.message, refused.hint, refused.position) from None
    except Failure as failure:
        raise Refused("55000", failure.message) from None
    except TooCostly as costly:
        raise Refused("54000", costly.message) from None
    except Unwanted:
        raise Refused("57014", "canceling statement due to user request") from None
    except pa.ArrowInvalid:
        raise Refused("22000", "A value of the answer cannot be written.") from None
