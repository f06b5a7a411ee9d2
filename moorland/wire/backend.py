"""What the protocol asks of the program behind it: who may come in, and what a statement gives them."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import pyarrow as pa

from moorland.wire.messages import Described
from moorland.wire.scram import Verifier


@dataclass(frozen=True)
class Prepared:
    """A statement that was read: the types of its parameters, and its columns."""

    parameters: list[int]
    columns: list[Described]


@dataclass(frozen=True)
class Asked:
    """What a statement gave. `stamp` stands for the state it was worked out in."""

    table: pa.Table
    names: list[str]
    notices: list[str]
    stamp: object


class Asker(Protocol):
    """Somebody who came in, asking as themselves or, standing in, as somebody else. All of it may raise commands.Refused.

    Called from threads, one call at a time.
    """

    @property
    def login(self) -> str:
        """Whose answers are given."""
        ...

    def prepared(self, text: str, oids: Sequence[int], settings: dict[str, str]) -> Prepared:
        """A statement read without asking it."""
        ...

    def asked(
        self, text: str, parameters: Sequence[Any], settings: dict[str, str], change: Callable[[str, str], None], gone: Callable[[], bool], export: bool
    ) -> Asked:
        """What a statement gives; with `export` as a copy, of rows that may be exported."""
        ...

    def current(self, stamp: object) -> bool:
        """Whether what was worked out in a state may still be told."""
        ...

    def stands_in(self, login: str) -> None:
        """Asks as somebody else from now on."""
        ...


class Backend(Protocol):
    """Who may come in. Called from threads."""

    def verifier(self, user: str) -> Verifier:
        """What a key of this user is proved by; of nobody, something that nothing proves."""
        ...

    def failed(self, user: str, address: str) -> None:
        """A key was not proved."""
        ...

    def entered(self, user: str, address: str, number: int) -> Asker:
        """Somebody whose key was proved. Raises commands.Refused."""
        ...
