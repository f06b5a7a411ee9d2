"""The spellings in which files write values: recognised, told with evidence, and read as values of the six types (semantics.md 1.1)."""

import datetime
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from moorland.core.bundle.shape import ValueType
from moorland.core.engine.columns import ARROW_TYPES

#: How the ambiguous part of a spelling is read: 03/04/2026 by day or by month, 1.234 with a decimal comma or point.
Spelling = Literal["plain", "day_first", "month_first", "decimal_comma"]
SPELLINGS: tuple[Spelling, ...] = get_args(Spelling)

#: Words that stand for "nothing" in spreadsheets.
BLANK_WORDS = ("n/a", "na", "null", "none", "nil", "-", "--", "?", "#n/a", "#ref!", "#div/0!", "#value!", "#name?", "nan", "(blank)", "unknown")

_MONTHS = {name: number for number, name in enumerate(["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"], 1)}
_INTEGER = re.compile(r"[-+]?\d{1,19}")
_NUMBER = re.compile(r"[-+]?(\d+(\.\d*)?|\.\d+)([eE][-+]?\d+)?")
_GROUPED = re.compile(r"[-+]?\d{1,3}([, '\u00a0\u202f]\d{3})+(\.\d+)?")
_COMMA = re.compile(r"[-+]?(\d{1,3}([. '\u00a0\u202f]\d{3})+|\d+)(,\d+)?")
_ISO_DAY = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})")
_SLASHED_YEAR_FIRST = re.compile(r"(\d{4})[/.](\d{1,2})[/.](\d{1,2})")
_BY_PARTS = re.compile(r"(\d{1,2})([./-])(\d{1,2})\2(\d{4})")
_NAMED_DAY_FIRST = re.compile(r"(\d{1,2})[ .-]*([A-Za-z]{3,9})\.?[ ,-]+(\d{4})")
_NAMED_MONTH_FIRST = re.compile(r"([A-Za-z]{3,9})\.? +(\d{1,2})(?:st|nd|rd|th)?,? +(\d{4})")
_TIME = re.compile(r"(.+?)[T ]+(\d{1,2}):(\d{2})(?::(\d{2})(\.\d{1,6})?)?(?: ?Z)?")
_TRUE, _FALSE = frozenset({"true", "yes", "y"}), frozenset({"false", "no", "n"})


class Unreadable(ValueError):
    """A text that is not of the type: `row` counts from 0 in what was read."""

    def __init__(self, row: int, text: str) -> None:
        self.row, self.text = row, text
        super().__init__(f"{text[:60]!r}")


def read_day(text: str, spelling: Spelling = "plain") -> datetime.date | None:
    """A day in any unambiguous spelling, and in an ambiguous one by the spelling chosen; None where it is no day."""
    text = text.strip()
    try:
        if found := _ISO_DAY.fullmatch(text) or _SLASHED_YEAR_FIRST.fullmatch(text):
            return datetime.date(int(found[1]), int(found[2]), int(found[3]))
        if found := _BY_PARTS.fullmatch(text):
            first, second, year = int(found[1]), int(found[3]), int(found[4])
            by_day = first > 12 or found[2] == "." or first == second
            by_month = second > 12
            if spelling == "day_first" or (spelling == "plain" and by_day and not by_month):
                return datetime.date(year, second, first)
            return datetime.date(year, first, second) if spelling == "month_first" or (spelling == "plain" and by_month) else None
        if found := _NAMED_DAY_FIRST.fullmatch(text):
            return datetime.date(int(found[3]), _MONTHS[found[2][:3].lower()], int(found[1]))
        if found := _NAMED_MONTH_FIRST.fullmatch(text):
            return datetime.date(int(found[3]), _MONTHS[found[1][:3].lower()], int(found[2]))
    except (ValueError, KeyError):
        return None
    return None


def read_moment(text: str, spelling: Spelling = "plain") -> datetime.datetime | None:
    """A day with a time; None where it is none."""
    found = _TIME.fullmatch(text.strip())
    day = read_day(found[1] if found else text, spelling)
    if day is None:
        return None
    try:
        hour, minute, second = (int(found[2]), int(found[3]), int(found[4] or 0)) if found else (0, 0, 0)
        return datetime.datetime(day.year, day.month, day.day, hour, minute, second, round(1e6 * float(found[5] or 0)) if found else 0)
    except ValueError:
        return None


def read_number(text: str, spelling: Spelling = "plain") -> float | None:
    """A finite number, thousands grouped or not; None where it is none."""
    text = text.strip()
    if spelling == "decimal_comma":
        if not _COMMA.fullmatch(text):
            return None
        plain = re.sub("[. '\u00a0\u202f]", "", text).replace(",", ".")
    elif _NUMBER.fullmatch(text):
        plain = text
    elif _GROUPED.fullmatch(text):
        plain = re.sub("[, '\u00a0\u202f]", "", text)
    else:
        return None
    number = float(plain)
    return number if np.isfinite(number) else None


def read_integer(text: str, spelling: Spelling = "plain") -> int | None:
    """A whole number of 64 bits; None where it is none."""
    text = text.strip()
    if not _INTEGER.fullmatch(text):
        number = read_number(text, spelling) if _GROUPED.fullmatch(text) or spelling == "decimal_comma" else None
        return int(number) if number is not None and number.is_integer() and abs(number) < 2**53 else None
    number_ = int(text)
    return number_ if -(2**63) <= number_ < 2**63 else None


def read_boolean(text: str, spelling: Spelling = "plain") -> bool | None:
    """Yes or no; None where it is neither."""
    word = text.strip().lower()
    return True if word in _TRUE else False if word in _FALSE else None


_READERS: dict[str, Callable[[str, Spelling], object]] = {
    "boolean": read_boolean,
    "integer": read_integer,
    "number": read_number,
    "date": read_day,
    "timestamp": read_moment,
}


def read_texts(texts: pa.ChunkedArray, type_: ValueType, spelling: Spelling = "plain", blanks: Sequence[str] = ()) -> pa.ChunkedArray:
    """Texts as values of a type; empty texts and the `blanks` (letter case ignored) are null.

    Raises Unreadable at the first text that is not of the type.
    """
    if blanks:
        words = pa.array([word.lower() for word in blanks])
        texts = pc.if_else(pc.is_in(pc.utf8_lower(pc.utf8_trim_whitespace(texts)), value_set=words), None, texts)
    texts = pc.if_else(pc.equal(texts, ""), None, texts)
    if type_ == "text":
        return texts
    if spelling == "plain" and type_ in ("integer", "number"):
        cast = _cast(texts, type_)
        if cast is not None:
            return cast
    encoded = pc.dictionary_encode(texts)
    encoded = encoded.combine_chunks() if isinstance(encoded, pa.ChunkedArray) else encoded
    if isinstance(encoded, pa.ChunkedArray):
        encoded = encoded.chunk(0) if encoded.num_chunks else pa.array([], pa.string()).dictionary_encode()
    read = _READERS[type_]
    distinct = encoded.dictionary.to_pylist()
    values = [read(text, spelling) for text in distinct]
    wrong = next((text for text, value in zip(distinct, values, strict=True) if value is None), None)
    if wrong is not None:
        raise Unreadable(int(np.flatnonzero(pc.equal(texts, wrong).fill_null(False).to_numpy())[0]), wrong)
    return pa.chunked_array([pc.take(pa.array(values, ARROW_TYPES[type_]), encoded.indices)], type=ARROW_TYPES[type_])


def _cast(texts: pa.ChunkedArray, type_: str) -> pa.ChunkedArray | None:
    """The texts converted at once where all are written plainly; None where one is not."""
    try:
        cast = pc.cast(texts, ARROW_TYPES[type_])
    except pa.ArrowInvalid:
        return None
    return None if type_ == "number" and pc.any(pc.invert(pc.is_finite(cast))).as_py() else cast


@dataclass(frozen=True)
class Reading:
    """How a column's texts are best read, and why: `evidence` is one sentence; `doubts` are what somebody should look at."""

    type: ValueType
    spelling: Spelling
    blanks: tuple[str, ...]
    evidence: str
    doubts: tuple[str, ...]


_CANDIDATES: tuple[tuple[ValueType, Spelling], ...] = (
    ("boolean", "plain"),
    ("integer", "plain"),
    ("number", "plain"),
    ("number", "decimal_comma"),
    ("date", "plain"),
    ("date", "day_first"),
    ("date", "month_first"),
    ("timestamp", "plain"),
    ("timestamp", "day_first"),
    ("timestamp", "month_first"),
)
_WORDS = {"boolean": "yes or no", "integer": "a whole number", "number": "a number", "date": "a day", "timestamp": "a day with a time"}


def recognise(counts: dict[str, int], rows_of: Callable[[str], int]) -> Reading:
    """The type of a column from its distinct texts with their rows; `rows_of` gives the first row in the file that holds a text.

    A type is proposed where every text fits, words for "nothing" aside; otherwise the column stays text and the doubts say what stood in the way.
    """
    filled = {text: rows for text, rows in counts.items() if text.strip()}
    if not filled:
        return Reading("text", "plain", (), "empty in every row", ())
    words = {text.strip().lower() for text in filled if text.strip().lower() in BLANK_WORDS}
    values = {text: rows for text, rows in filled.items() if text.strip().lower() not in words}
    if not values:
        return Reading("text", "plain", (), "text", ())
    if any(re.fullmatch(r"[-+]?0\d+", text.strip()) for text in values):
        return Reading("text", "plain", (), "digits with leading zeros: kept as text", ())
    total = sum(values.values())
    best: tuple[int, ValueType, Spelling] | None = None
    sample = list(values)[:: max(1, len(values) // 400)]
    likely = [(type_, spelling) for type_, spelling in _CANDIDATES if sum(_READERS[type_](text, spelling) is not None for text in sample) >= 0.5 * len(sample)]
    for type_, spelling in likely:
        fits = sum(rows for text, rows in values.items() if _READERS[type_](text, spelling) is not None)
        if fits == total:
            return _fitting(type_, spelling, values, tuple(sorted(words)))
        if best is None or fits > best[0]:
            best = (fits, type_, spelling)
    if best is None:
        return Reading("text", "plain", (), "text", ())
    fits, type_, spelling = best
    if fits < 0.8 * total:
        return Reading("text", "plain", (), "text", ())
    strangers = [text for text in values if _READERS[type_](text, spelling) is None]
    shown = ", ".join(f"{text[:30]!r} in row {rows_of(text):,}" for text in strangers[:3])
    count = total - fits
    doubt = f"{count:,} of {total:,} values {'is' if count == 1 else 'are'} not {_WORDS[type_]}: {shown}{' …' if len(strangers) > 3 else ''}. Kept as text; mend the file, or read such words as blank."
    return Reading("text", "plain", (), f"text, though {fits:,} of {total:,} values are {_WORDS[type_]}", (doubt,))


def _fitting(type_: ValueType, spelling: Spelling, values: dict[str, int], blanks: tuple[str, ...]) -> Reading:
    doubts: list[str] = []
    evidence = f"every value is {_WORDS[type_]}"
    if type_ in ("date", "timestamp"):
        shapes: dict[str, int] = {}
        examples: dict[str, str] = {}
        for text, rows in values.items():
            shape = re.sub(r"[A-Za-z]+", "a", re.sub(r"\d+", "9", text.strip()))
            shapes[shape] = shapes.get(shape, 0) + rows
            examples.setdefault(shape, text.strip())
        if len(shapes) > 1:
            told = ", ".join(f"{examples[shape]} ({rows:,})" for shape, rows in sorted(shapes.items(), key=lambda item: -item[1])[:4])
            doubts.append(f"Days stand in {len(shapes)} spellings: {told}. All are read.")
        if spelling != "plain":
            other: Spelling = "month_first" if spelling == "day_first" else "day_first"
            read = _READERS[type_]
            both = all(read(text, other) is not None for text in values)
            sample = next(text for text in values if read(text, "plain") is None)
            if both:
                doubts.append(f"{sample} can be read by day or by month first; nothing in the column decides. Choose which.")
            else:
                evidence += f", {'day' if spelling == 'day_first' else 'month'} first"
    if spelling == "decimal_comma":
        evidence += ", with a decimal comma"
    if blanks:
        doubts.append(f"{', '.join(blanks)} {'is' if len(blanks) == 1 else 'are'} read as blank.")
    return Reading(type_, spelling, blanks, evidence, tuple(doubts))
