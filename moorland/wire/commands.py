"""What a text asks the door to do: one command for each of its statements (channels.md 13.6)."""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Literal

from moorland.wire.encoding import CopyLayout


class Refused(Exception):
    """What is not done: the standard's code, a sentence, what to do, and the place in the text (from 0) where there is one."""

    def __init__(self, code: str, message: str, hint: str | None = None, position: int | None = None) -> None:
        self.code, self.message, self.hint, self.position = code, message, hint, position
        super().__init__(message)


@dataclass(frozen=True)
class Command:
    """A statement by what it does; `name` is that of a setting, cursor or prepared statement, and `text` a query inside it.

    `start` is where the query begins in what the client sent.
    """

    kind: Literal[
        "query", "begin", "commit", "rollback", "savepoint", "release", "rollback to", "set", "show", "reset", "declare", "fetch", "move", "close",
        "prepare", "execute", "deallocate", "discard", "copy", "accepted",
    ]  # fmt: skip
    tag: str = ""
    name: str = ""
    value: str = ""
    text: str = ""
    start: int = 0
    #: How many rows a FETCH is for; None for all.
    count: int | None = None
    binary: bool = False
    local: bool = False
    layout: CopyLayout = field(default_factory=CopyLayout)


@dataclass(frozen=True)
class _Word:
    """A token: what it says, in capitals where it is a bare word, and where it stands."""

    said: str
    text: str
    start: int
    end: int
    bare: bool


_QUERIES = ("SELECT", "WITH", "VALUES", "TABLE", "(")
_WRITES = (
    "INSERT",
    "UPDATE",
    "DELETE",
    "MERGE",
    "TRUNCATE",
    "CREATE",
    "DROP",
    "ALTER",
    "GRANT",
    "REVOKE",
    "COMMENT",
    "REINDEX",
    "VACUUM",
    "CLUSTER",
    "REFRESH",
    "IMPORT",
    "SECURITY",
    "REASSIGN",
)
MOST_STATEMENTS = 100


def commands_of(text: str) -> list[Command]:
    """The commands of a text, in order. Raises Refused."""
    found: list[Command] = []
    for words in _statements(text):
        if len(found) >= MOST_STATEMENTS:
            raise Refused("54000", f"A text has at most {MOST_STATEMENTS} statements.")
        found.append(_command(words, text))
    return found


#: A comment, a text, a name in quotes, a text between dollars, a word, a number, a parameter, or any one sign.
_TOKEN = re.compile(
    r"""(?P<space>\s+|--[^\n]*|/\*.*?\*/)|(?P<text>[eE]'(?:[^'\\]|\\.|'')*'|'(?:[^']|'')*')|(?P<name>"(?:[^"]|"")*")"""
    r"""|(?P<dollar>\$(?P<tag>[A-Za-z_]*)\$.*?\$(?P=tag)\$)|(?P<word>[^\W\d][\w$]*)|(?P<number>\d[\w.]*)|(?P<parameter>\$\d+)|(?P<sign>.)""",
    re.DOTALL,
)


def _statements(text: str) -> Iterator[list[_Word]]:
    words: list[_Word] = []
    for found in _TOKEN.finditer(text):
        kind, written = found.lastgroup if found.lastgroup != "tag" else "dollar", found[0]
        if kind == "space":
            continue
        if kind == "sign" and written in "'\"":
            raise Refused("42601", "syntax error: a text or a name has no end", position=found.start())
        if written == ";":
            if words:
                yield words
            words = []
            continue
        said, plain = written, written
        if kind == "word":
            said, plain = written.upper(), written.lower()
        elif kind == "text":
            plain = written[written.index("'") + 1 : -1].replace("''", "'")
        elif kind == "name":
            plain = written[1:-1].replace('""', '"')
        words.append(_Word(said, plain, found.start(), found.end(), kind == "word"))
    if words:
        yield words


def _command(words: list[_Word], text: str) -> Command:
    first = words[0].said
    said = [word.said for word in words]
    if first in _QUERIES:
        return Command("query", text=text[words[0].start : words[-1].end], start=words[0].start)
    match first:
        case "BEGIN" | "START":
            return Command("begin", "BEGIN" if first == "BEGIN" else "START TRANSACTION")
        case "COMMIT" | "END":
            return Command("commit", "COMMIT")
        case "ABORT":
            return Command("rollback", "ROLLBACK")
        case "ROLLBACK":
            return Command("rollback to", "ROLLBACK", name=words[-1].text) if "TO" in said else Command("rollback", "ROLLBACK")
        case "SAVEPOINT":
            return Command("savepoint", "SAVEPOINT", name=words[-1].text)
        case "RELEASE":
            return Command("release", "RELEASE", name=words[-1].text)
        case "SET":
            return _set(words, text)
        case "SHOW":
            return Command("show", "SHOW", name=_setting_name(words[1:]))
        case "RESET":
            return Command("reset", "RESET", name=_setting_name(words[1:]))
        case "DECLARE":
            return _declare(words, text)
        case "FETCH" | "MOVE":
            return _fetch(words, first)
        case "CLOSE":
            return Command("close", "CLOSE CURSOR ALL" if said[1:] == ["ALL"] else "CLOSE CURSOR", name=_one(words, 1) if said[1:] != ["ALL"] else "")
        case "PREPARE":
            return _prepare(words, text)
        case "EXECUTE":
            inside = text[words[2].end : words[-1].start] if len(words) > 2 and words[2].said == "(" else ""
            return Command("execute", "EXECUTE", name=_one(words, 1), text=inside)
        case "DEALLOCATE":
            rest = words[2:] if said[1:2] == ["PREPARE"] else words[1:]
            everything = [word.said for word in rest] == ["ALL"]
            return Command("deallocate", "DEALLOCATE ALL" if everything else "DEALLOCATE", name="" if everything else _one(rest, 0))
        case "DISCARD":
            return Command("discard", f"DISCARD {said[1] if len(said) > 1 else 'ALL'}", name=said[1] if len(said) > 1 else "ALL")
        case "COPY":
            return _copy(words, text)
        case "UNLISTEN" | "LISTEN":
            return Command("accepted", first)
    if first in _WRITES:
        raise Refused("25006", f"{first} is not answered: this door answers questions and changes nothing.", "Use SELECT.", words[0].start)
    if first in ("EXPLAIN", "ANALYZE", "CALL", "DO", "LOCK", "NOTIFY", "LOAD", "CHECKPOINT"):
        raise Refused("0A000", f"{first} is not answered here.", "Use SELECT.", words[0].start)
    raise Refused("42601", f'syntax error at or near "{words[0].text}"', position=words[0].start)


def _one(words: list[_Word], place: int) -> str:
    if place >= len(words):
        raise Refused("42601", "syntax error at end of input")
    return words[place].text


def _setting_name(words: list[_Word]) -> str:
    said = [word.said for word in words]
    if said[:2] == ["TIME", "ZONE"]:
        return "timezone"
    if said[:3] == ["TRANSACTION", "ISOLATION", "LEVEL"]:
        return "transaction_isolation"
    if said[:2] == ["SESSION", "AUTHORIZATION"]:
        return "session_authorization"
    return "".join(word.text for word in words).lower()


def _set(words: list[_Word], text: str) -> Command:
    rest, local = words[1:], False
    said = [word.said for word in rest]
    if said[:1] in (["SESSION"], ["LOCAL"]) and said[1:2] not in (["AUTHORIZATION"], ["CHARACTERISTICS"]):
        local, rest, said = said[0] == "LOCAL", rest[1:], said[1:]
    if said[:1] == ["TRANSACTION"] or said[:2] == ["SESSION", "CHARACTERISTICS"]:
        return Command("accepted", "SET")
    if said[:2] == ["TIME", "ZONE"]:
        return Command("set", "SET", name="timezone", value=_values(rest[2:]), local=local)
    if said[:1] == ["NAMES"]:
        return Command("set", "SET", name="client_encoding", value=_values(rest[1:]), local=local)
    if said[:1] == ["ROLE"] or said[:2] == ["SESSION", "AUTHORIZATION"]:
        raise Refused(
            "0A000", "Nobody becomes somebody else by this.", "A service with the duty stand-in uses SET moorland.as = 'login', before its first question."
        )
    place = next((place for place, word in enumerate(rest) if word.said in ("=", "TO")), None)
    if not place or place + 1 >= len(rest):
        raise Refused("42601", "syntax error: SET takes a name and a value")
    return Command("set", "SET", name="".join(word.text for word in rest[:place]).lower(), value=_values(rest[place + 1 :]), local=local)


def _values(words: list[_Word]) -> str:
    return "".join(", " if word.said == "," else word.text for word in words)


def _declare(words: list[_Word], text: str) -> Command:
    said = [word.said for word in words]
    if "CURSOR" not in said or "FOR" not in said[said.index("CURSOR") :]:
        raise Refused("42601", "syntax error: DECLARE takes a name, CURSOR FOR, and a query")
    place = said.index("FOR", said.index("CURSOR")) + 1
    options = said[2 : place - 1]
    if "SCROLL" in options and "NO" not in options:
        raise Refused("0A000", "Cursors lead forward only here.", "Leave SCROLL out.")
    body = words[place:]
    if not body or body[0].said not in _QUERIES:
        raise Refused("42601", "syntax error: a cursor is for a query")
    hold = "HOLD" in options and "WITHOUT" not in options
    return Command(
        "declare", "DECLARE CURSOR", name=_one(words, 1), text=text[body[0].start : body[-1].end], start=body[0].start, binary="BINARY" in options, local=not hold
    )  # fmt: skip


def _fetch(words: list[_Word], kind: str) -> Command:
    rest, count = words[1:], 1
    said = [word.said for word in rest]
    everything = False
    if said[:1] in (["NEXT"], ["FORWARD"]):
        rest, said = rest[1:], said[1:]
    elif said[:1] and said[0] in ("PRIOR", "FIRST", "LAST", "ABSOLUTE", "RELATIVE", "BACKWARD"):
        raise Refused("0A000", "Cursors lead forward only here.")
    if said[:1] == ["ALL"]:
        everything, rest = True, rest[1:]
    elif said[:1] and said[0].isdigit():
        count, rest = int(said[0]), rest[1:]
    elif said[:1] == ["-"]:
        raise Refused("0A000", "Cursors lead forward only here.")
    if rest and rest[0].said in ("FROM", "IN"):
        rest = rest[1:]
    return Command("fetch" if kind == "FETCH" else "move", kind, name=_one(rest, 0), count=None if everything else count)


def _prepare(words: list[_Word], text: str) -> Command:
    said = [word.said for word in words]
    if "AS" not in said:
        raise Refused("42601", "syntax error: PREPARE takes a name, AS, and a query")
    place = said.index("AS")
    types = [word.text for word in words[2:place] if word.bare]
    body = words[place + 1 :]
    if not body or body[0].said not in _QUERIES:
        raise Refused("0A000", "Only queries are prepared here.")
    return Command("prepare", "PREPARE", name=_one(words, 1), value=",".join(types), text=text[body[0].start : body[-1].end], start=body[0].start)


def _copy(words: list[_Word], text: str) -> Command:
    said = [word.said for word in words]
    place = _outside(said)
    if place is None:
        raise Refused("42601", "syntax error: COPY takes a query or a relation, and TO STDOUT")
    if said[place] == "FROM":
        raise Refused("25006", "COPY FROM is not answered: this door changes nothing.", "Use COPY (SELECT …) TO STDOUT.")
    if said[place + 1 : place + 2] != ["STDOUT"]:
        raise Refused("42501", "This door writes no files.", "Use COPY (SELECT …) TO STDOUT.")
    layout = _layout(words[place + 2 :])
    if said[1] == "(":
        inner = words[2 : place - 1]
        return Command("copy", "COPY", text=text[inner[0].start : inner[-1].end] if inner else "", start=inner[0].start if inner else 0, layout=layout)
    opening = next((number for number, word in enumerate(said[:place]) if word == "("), place)
    relation = text[words[1].start : words[opening - 1].end]
    columns = text[words[opening].end : words[place - 1].start] if opening < place else "*"
    # The client's own text, read again as the query it stands for.
    return Command("copy", "COPY", text=f"SELECT {columns} FROM {relation}", start=0, layout=layout)  # noqa: S608


def _outside(said: list[str]) -> int | None:
    """Where TO or FROM stands outside of brackets."""
    depth = 0
    for place, word in enumerate(said):
        depth += (word == "(") - (word == ")")
        if depth == 0 and word in ("TO", "FROM"):
            return place
    return None


def _layout(words: list[_Word]) -> CopyLayout:
    rest = [word for word in words if word.said not in ("(", ")", ",", "WITH", "AS")]
    kind, header, delimiter, null = "text", False, None, None
    at = 0
    while at < len(rest):
        name, value = rest[at].said, rest[at + 1].text if at + 1 < len(rest) else ""
        at += 2
        match name:
            case "FORMAT":
                kind = value.lower()
            case "CSV" | "BINARY" | "TEXT":
                kind, at = name.lower(), at - 1
            case "HEADER":
                takes = value.lower() in ("true", "on", "1", "false", "off", "0")
                header, at = value.lower() not in ("false", "off", "0"), at if takes else at - 1
            case "DELIMITER":
                delimiter = value
            case "NULL":
                null = value
            case "ENCODING":
                if value.upper().replace("-", "") not in ("UTF8", "UNICODE"):
                    raise Refused("0A000", "Only UTF-8 is written here.")
            case "QUOTE" | "ESCAPE":
                if value != '"':
                    raise Refused("0A000", "Copies are quoted with double quotes here.")
            case _:
                raise Refused("0A000", f"The option {name} of COPY is not known here.")
    if kind not in ("text", "csv", "binary"):
        raise Refused("22023", f'COPY format "{kind}" not recognized')
    if delimiter is not None and (len(delimiter) != 1 or delimiter in '\n\r"\\'):
        raise Refused("22023", "A COPY delimiter is a single sign.")
    return CopyLayout(kind, header, delimiter, null)
