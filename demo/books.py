"""The books of the holdings: each holding keeps its own database, made from a seed of its own."""

import datetime
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

import numpy as np

SEED = 20260501
#: The holdings that have a database; the books of a third are still on paper.
HOLDINGS = {"cairn": 420, "saltmarsh": 310}
ACCOUNTS = [
    ("tracks", "Roads and tracks", "upkeep"),
    ("cables", "Cables", "upkeep"),
    ("rent", "Rent of yards", "premises"),
    ("heating", "Heating and light", "premises"),
    ("members", "Members' evenings", "community"),
    ("school", "School visits", "community"),
]

MODEL: dict[str, Any] = {
    "name": "books",
    "label": "Holding books",
    "about": "What a holding spent, in the holding's own database: which one is asked depends on the holding of whoever asks.",
    "tables": [
        {
            "name": "account",
            "key": "account",
            "columns": [{"name": "account", "type": "text"}, {"name": "title", "type": "text"}, {"name": "class", "type": "text"}],
            "in_place": {"source": "holding-books", "relation": ["account"]},
        },
        {
            "name": "entry",
            "key": "entry_id",
            "columns": [
                {"name": "entry_id", "type": "integer"},
                {"name": "holding", "type": "text"},
                {"name": "day", "type": "date"},
                {"name": "account", "type": "text"},
                {"name": "amount", "type": "number", "tags": ["money"]},
            ],
            "in_place": {"source": "holding-books", "relation": ["entry"]},
        },
    ],
    "relationships": [{"from": "entry.account", "to": "account.account"}],
    "measures": [
        {"name": "spent", "label": "Spent", "table": "entry", "expression": "SUM(amount)"},
        {"name": "entries", "label": "Entries", "table": "entry", "expression": "COUNT(*)"},
    ],
}
SOURCE: dict[str, Any] = {
    "name": "holding-books",
    "label": "Holding books",
    "about": "A database for each holding; the attribute holding says whose is asked.",
    "kind": "sqlite",
    "file": "books_{viewer.holding}.sqlite",
}
ATTRIBUTE: dict[str, Any] = {
    "name": "holding",
    "label": "Holding",
    "type": "text",
    "allowed": list(HOLDINGS),
    "about": "Whose books somebody reads; set for organizations, and not yet for Eastmoor.",
}
ROLE: dict[str, Any] = {
    "name": "book-keeper",
    "label": "Book keeper",
    "kind": "grant",
    "model": "books",
    "about": "The books of one's own holding, and of no other: they are in another database.",
    "sentences": [{"beneath": {"tables": ["entry"], "rows": True, "limit": 500}}],
    "assigned": [{"user": "d.carr"}, {"user": "e.dunn"}, {"user": "t.keld"}],
}


def generate_books(folder: Path) -> None:
    """Writes the database of each holding into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    random = np.random.Generator(np.random.PCG64(SEED))
    first = datetime.date(2025, 1, 1)
    for holding, entries in HOLDINGS.items():
        days, accounts = np.sort(random.integers(0, 365, entries)), random.integers(0, len(ACCOUNTS), entries)
        amounts = np.round(random.gamma(2.0, 180.0, entries), 2)
        rows = [
            (number, holding, (first + datetime.timedelta(days=day)).isoformat(), ACCOUNTS[account][0], amount)
            for number, (day, account, amount) in enumerate(zip(days.tolist(), accounts.tolist(), amounts.tolist(), strict=True), 1)
        ]
        file = folder / f"books_{holding}.sqlite"
        file.unlink(missing_ok=True)
        with closing(sqlite3.connect(file)) as database:
            database.execute("CREATE TABLE account (account TEXT PRIMARY KEY, title TEXT NOT NULL, class TEXT NOT NULL)")
            database.execute("CREATE TABLE entry (entry_id INTEGER PRIMARY KEY, holding TEXT, day DATE, account TEXT, amount REAL)")
            database.executemany("INSERT INTO account VALUES (?, ?, ?)", ACCOUNTS)
            database.executemany("INSERT INTO entry VALUES (?, ?, ?, ?, ?)", rows)
            database.commit()
