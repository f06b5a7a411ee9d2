"""LIKE without backtracking: the cost of a match grows with the text and the pattern, whatever they hold (semantics.md 4.2)."""

import re
from collections.abc import Callable

#: A piece with `_` of up to so many signs is looked for by a search; a longer one by a set of places kept as bits.
SHORT_PIECE = 64

Matcher = Callable[[str], bool]


def like_parts(pattern: str, escape: str) -> list[tuple[str, bool]] | None:
    """The signs of a LIKE pattern, each with whether it is a wildcard; None where the escape is not used as it must be."""
    parts: list[tuple[str, bool]] = []
    position = 0
    if len(escape) > 1:
        return None
    while position < len(pattern):
        sign = pattern[position]
        escaped = bool(escape) and sign == escape
        if escaped:
            position += 1
            if position == len(pattern) or pattern[position] not in ("%", "_", escape):
                return None
            sign = pattern[position]
        parts.append((sign, not escaped and sign in "%_"))
        position += 1
    return parts


def like_matcher(pattern: str, escape: str) -> Matcher | None:
    """Whether a text is like the pattern, as a function; None where the escape is not used as it must be.

    Between two `%` stands a piece of fixed length; taking each piece where it first fits is enough, so nothing is tried twice.
    """
    signs = like_parts(pattern, escape)
    if signs is None:
        return None
    pieces: list[list[tuple[str, bool]]] = [[]]
    for sign in signs:
        if sign == ("%", True):
            pieces.append([])
        else:
            pieces[-1].append(sign)
    if any(len(piece) > SHORT_PIECE and any(wild for _, wild in piece) for piece in pieces):
        return _by_places(pieces)
    if len(pieces) == 1:
        whole = _expression(pieces[0])
        return lambda text: whole.fullmatch(text) is not None
    first, *middle, last = pieces
    return _by_pieces(_expression(first), [_search(piece) for piece in middle if piece], _expression(last), len(first), len(last))


def _expression(piece: list[tuple[str, bool]]) -> re.Pattern[str]:
    """A piece of fixed length as an expression; it has nothing to go back to."""
    return re.compile("".join("." if wild else re.escape(sign) for sign, wild in piece), re.DOTALL)


def _search(piece: list[tuple[str, bool]]) -> Callable[[str, int, int], int]:
    """Where a piece fits first between two places of a text, as the place behind it; -1 where it does not."""
    length = len(piece)
    if not any(wild for _, wild in piece):
        literal = "".join(sign for sign, _ in piece)

        def found(text: str, start: int, end: int) -> int:
            place = text.find(literal, start, end)
            return place if place < 0 else place + length

        return found
    expression = _expression(piece)

    def searched(text: str, start: int, end: int) -> int:
        match = expression.search(text, start, end)
        return match.end() if match else -1

    return searched


def _by_pieces(first: re.Pattern[str], middle: list[Callable[[str, int, int], int]], last: re.Pattern[str], head: int, tail: int) -> Matcher:
    def matches(text: str) -> bool:
        end = len(text) - tail
        if end < head or not first.match(text) or not last.match(text, end):
            return False
        place = head
        for search in middle:
            place = search(text, place, end)
            if place < 0:
                return False
        return True

    return matches


def _by_places(pieces: list[list[tuple[str, bool]]]) -> Matcher:
    """All places of the pattern a text may have come to, kept as the bits of one number: a step for each sign of the text."""
    signs = [sign for piece in pieces for sign in piece]
    everywhere = sum(1 << place for place, (_, wild) in enumerate(signs) if wild)
    fits: dict[str, int] = {}
    for place, (sign, wild) in enumerate(signs):
        if not wild:
            fits[sign] = fits.get(sign, everywhere) | 1 << place
    waits, place = 0, 0
    for piece in pieces[:-1]:
        place += len(piece)
        waits |= 1 << place

    def matches(text: str) -> bool:
        places = 1
        for sign in text:
            places = ((places & fits.get(sign, everywhere)) << 1) | (places & waits)
            if not places:
                return False
        return bool(places >> len(signs) & 1)

    return matches
