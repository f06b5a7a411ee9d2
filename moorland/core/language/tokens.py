"""The words and signs of a condition, with their positions (semantics.md 4.1, 4.2)."""

import re
from dataclasses import dataclass

from moorland.core.language.errors import ConditionError

KEYWORDS = frozenset(
    [
        "AND",
        "OR",
        "NOT",
        "IN",
        "BETWEEN",
        "LIKE",
        "ESCAPE",
        "IS",
        "NULL",
        "TRUE",
        "FALSE",
        "CASE",
        "WHEN",
        "THEN",
        "ELSE",
        "END",
        "CAST",
        "AS",
        "DATE",
        "TIMESTAMP",
        "INTERVAL",
        "EXTRACT",
        "FROM",
        "CURRENT_DATE",
        "DISTINCT",
        "SELECT",
        "FOR",
    ]
)

_PATTERN = re.compile(
    r"""(?P<space>\s+)
      |(?P<comment>--[^\n]*|/\*.*?\*/)
      |(?P<text>'(?:[^']|'')*')
      |(?P<quoted>"(?:[^"]|"")+")
      |(?P<number>(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)
      |(?P<word>[^\W\d]\w*)
      |(?P<sign><>|<=|>=|\|\||[-+*/=<>(),.])""",
    re.VERBOSE | re.DOTALL,
)

_REMEDIES = {
    "!": "write <> for “not equal”.",
    '"': "the double quote is not closed.",
    "'": "the text is not closed; end it with '.",
    ";": "one expression only, without a semicolon.",
}


def has_comment(text: str) -> bool:
    """Whether a condition carries a comment."""
    return any(match.lastgroup == "comment" for match in _PATTERN.finditer(text))


def without_literals(text: str) -> str:
    """A condition in which every text and number reads …, and comments are left out."""
    kept = (match for match in _PATTERN.finditer(text) if match.lastgroup != "comment")
    return "".join("…" if match.lastgroup in ("text", "number") else match.group() for match in kept)


@dataclass(frozen=True)
class Token:
    """A word, name, literal or sign; `kind` is keyword, name, text, number, sign or end."""

    kind: str
    text: str
    start: int
    end: int
    raw: str = ""


def tokenize(text: str) -> list[Token]:
    """The tokens of a condition, ending with one of kind `end`; spaces and comments are passed over.

    Raises ConditionError at the first character that starts no token.
    """
    tokens: list[Token] = []
    position = 0
    while position < len(text):
        match = _PATTERN.match(text, position)
        if match is None:
            sign = text[position]
            raise ConditionError("syntax", _REMEDIES.get(sign, f"“{sign}” has no meaning here."), position, len(text) if sign in "'\"" else position + 1)
        kind, raw = str(match.lastgroup), match.group()
        if kind == "word":
            keyword = raw.upper() in KEYWORDS
            tokens.append(Token("keyword" if keyword else "name", raw.upper() if keyword else raw, position, match.end(), raw))
        elif kind == "quoted":
            tokens.append(Token("name", raw[1:-1].replace('""', '"'), position, match.end()))
        elif kind == "text":
            tokens.append(Token("text", raw[1:-1].replace("''", "'"), position, match.end()))
        elif kind in ("number", "sign"):
            tokens.append(Token(kind, raw, position, match.end()))
        position = match.end()
    tokens.append(Token("end", "", len(text), len(text)))
    return tokens
