"""Columns that probably hold what is personal or must not be shared: told by their names and by the pattern of their values."""

import re
from collections.abc import Sequence

_NAMED = (
    (re.compile(r"e[-_ ]?mail|mail_?addr"), "mail address"),
    (re.compile(r"phone|mobile|(^|_)tel(_|$)|telefon|fax"), "telephone"),
    (re.compile(r"(first|last|full|given|family|sur|maiden)[-_ ]?name"), "personal name"),
    (re.compile(r"birth|(^|_)dob(_|$)"), "day of birth"),
    (re.compile(r"salary|wage|day_rate|hourly_rate|bonus|(^|_)pay(_|$)"), "pay"),
    (re.compile(r"iban|account_(no|number)|sort_code|card_number"), "bank account"),
    (re.compile(r"street|post_?code|zip_?code|home_address|(^|_)address"), "address"),
    (re.compile(r"passport|national_id|social_sec|tax_(id|no|number)|insurance_n"), "official number"),
    (re.compile(r"(^|_)(gender|sex|religion|ethnic\w*|health|diagnosis|disab\w*|union_member)(_|$)"), "protected characteristic"),
)
_MAIL = re.compile(r"[^@\s]+@[^@\s]+\.[A-Za-z]{2,}")
_TELEPHONE = re.compile(r"(\+|00|0)[\d ()/.-]{6,20}")
_PERSON = re.compile(r"[^\W\d_][\w'’.-]+( [^\W\d_][\w'’.-]*){1,3}")
_PERSON_HEADER = re.compile(
    r"(^|_)(name|person|contact|owner|holder|lead|technician|employee|worker|driver|customer|patient|author|keeper|member|people|staff|user|steward)s?(_|$)"
)
_CASED = re.compile(r"[A-ZÀ-Þ]")


def sensitive(name: str, table: str, texts: Sequence[str]) -> str | None:
    """What a column seems to hold that is sensitive, with how that was seen; None where nothing speaks for it.

    `texts` are distinct values as they stand in the file.
    """
    folded = name.lower()
    for pattern, kind in _NAMED:
        if pattern.search(folded):
            return f"{kind}, by the column's name"
    if not texts:
        return None

    def share(pattern: re.Pattern[str]) -> float:
        return sum(pattern.fullmatch(text.strip()) is not None for text in texts) / len(texts)

    if share(_MAIL) >= 0.8:
        return "mail address, by its values"
    if share(_TELEPHONE) >= 0.8 and sum(any(sign in text for sign in "+ -/(") for text in texts) >= 0.5 * len(texts):
        return "telephone, by its values"
    if len(texts) >= 5 and (_PERSON_HEADER.search(folded) and (folded != "name" or _PERSON_HEADER.search(table.lower()))):
        proper = sum(all(_CASED.match(word) for word in text.split()) for text in texts) / len(texts)
        if share(_PERSON) >= 0.85 and proper >= 0.7:
            return "personal name, by its name and values"
    return None
