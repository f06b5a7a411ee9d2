"""Values in the spellings people use: recognised with evidence, read exactly, refused where nothing decides."""

import datetime

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moorland.core.sources.spellings import Reading, Spelling, Unreadable, read_day, read_moment, read_number, read_texts, recognise


def seen(*texts: str) -> Reading:
    return recognise(dict.fromkeys(texts, 1), lambda text: texts.index(text) + 2)


@pytest.mark.parametrize(
    ("text", "spelling", "day"),
    [
        ("2026-03-31", "plain", (2026, 3, 31)),
        ("31.03.2026", "plain", (2026, 3, 31)),
        ("31/03/2026", "plain", (2026, 3, 31)),
        ("03/31/2026", "plain", (2026, 3, 31)),
        ("03/04/2026", "day_first", (2026, 4, 3)),
        ("03/04/2026", "month_first", (2026, 3, 4)),
        ("3 March 2026", "plain", (2026, 3, 3)),
        ("Mar 3, 2026", "plain", (2026, 3, 3)),
        ("2026/03/31", "plain", (2026, 3, 31)),
    ],
)
def test_a_day_is_read_in_its_spelling(text: str, spelling: Spelling, day: tuple[int, int, int]) -> None:
    assert read_day(text, spelling) == datetime.date(*day)


@pytest.mark.parametrize(
    ("text", "spelling"), [("03/04/2026", "plain"), ("31/03/2026", "month_first"), ("03/31/2026", "day_first"), ("2026-02-30", "plain"), ("soon", "plain")]
)
def test_what_nothing_decides_is_no_day(text: str, spelling: Spelling) -> None:
    assert read_day(text, spelling) is None


@given(st.dates(datetime.date(1000, 1, 1)), st.sampled_from(["%Y-%m-%d", "%d.%m.%Y", "%d %B %Y", "%Y/%m/%d"]))
def test_every_day_written_unambiguously_is_read_back(day: datetime.date, shape: str) -> None:
    assert read_day(day.strftime(shape)) == day


@given(st.datetimes(datetime.datetime(1000, 1, 1)))
def test_every_moment_is_read_back(moment: datetime.datetime) -> None:
    assert read_moment(moment.isoformat()) == moment
    assert read_moment(moment.isoformat(sep=" ")) == moment


@given(st.integers(-(10**12), 10**12))
def test_grouped_numbers_are_read_back(number: int) -> None:
    assert read_number(f"{number:,}") == number
    assert read_number(f"{number:,}".replace(",", "."), "decimal_comma") == number


@pytest.mark.parametrize(
    ("text", "spelling"), [("nan", "plain"), ("1e999", "plain"), ("1,2", "plain"), ("12,34,56", "plain"), ("1.2.3", "decimal_comma"), ("", "plain")]
)
def test_what_is_no_number_is_refused(text: str, spelling: Spelling) -> None:
    assert read_number(text, spelling) is None


@pytest.mark.parametrize(
    ("texts", "type_", "spelling"),
    [
        (("1", "2", "3"), "integer", "plain"),
        (("1", "2.5"), "number", "plain"),
        (("1,5", "2,25"), "number", "decimal_comma"),
        (("1.234,5", "2"), "number", "decimal_comma"),
        (("yes", "no"), "boolean", "plain"),
        (("2026-01-01", "01.02.2026", "3 March 2026"), "date", "plain"),
        (("13/01/2026", "02/01/2026"), "date", "day_first"),
        (("01/13/2026", "01/02/2026"), "date", "month_first"),
        (("2026-01-01 10:00", "2026-01-02 11:30:15"), "timestamp", "plain"),
        (("0012", "0145"), "text", "plain"),
        (("fell", "7"), "text", "plain"),
    ],
)
def test_the_type_of_a_column_is_recognised(texts: tuple[str, ...], type_: str, spelling: str) -> None:
    found = seen(*texts)
    assert (found.type, found.spelling) == (type_, spelling)


def test_words_for_nothing_are_told() -> None:
    found = seen("1", "2", "N/A", "-")
    assert (found.type, found.blanks) == ("integer", ("-", "n/a"))
    assert "read as blank" in found.doubts[0]


def test_an_ambiguous_column_of_days_asks() -> None:
    assert "nothing in the column decides" in " ".join(seen("03/04/2026", "05/06/2026").doubts)


def test_a_stranger_among_numbers_is_named_with_its_row() -> None:
    found = seen(*map(str, range(20)), "about ten")
    assert found.type == "text"
    assert "1 of 21 values is not a whole number: 'about ten' in row 22" in found.doubts[0]


def test_blank_words_and_empty_texts_are_null() -> None:
    texts = pa.chunked_array([["1", "", "N/A", "4", None]])
    assert read_texts(texts, "integer", blanks=["n/a"]).to_pylist() == [1, None, None, 4, None]


def test_the_first_text_of_another_type_is_named() -> None:
    with pytest.raises(Unreadable) as found:
        read_texts(pa.chunked_array([["1", "x", "2", "y"]]), "integer")
    assert (found.value.row, found.value.text) == (1, "x")
