"""Generated fact rows: readings of sites by crews, ten million unless asked otherwise; people with two roles each."""

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet

from moorland.core.bundle.model import Model
from moorland.core.bundle.reading import read_document
from moorland.core.engine.columns import TableData
from moorland.core.engine.evaluator import Evaluator
from moorland.core.sources.files import to_table_data

AREAS = [f"area {number:02d}" for number in range(40)]
FIRMS = [f"firm {number:02d}" for number in range(12)]
SITES, CREWS = 500, 40
USERS = 1000
STEWARD = "area IN viewer.areas AND kind <> 'closed'"
FIRM = "firm IN viewer.firms"


def million(count: int) -> int:
    """Rows for so many millions."""
    return count * 1_000_000


@dataclass(frozen=True)
class FactData:
    """Sites, crews, readings, and users who look after some areas and work for some firms."""

    site: pa.Table
    crew: pa.Table
    run: pa.Table
    users: int = USERS

    @cached_property
    def loaded(self) -> dict[str, TableData]:
        """The tables as the engine keeps them, loaded once."""
        return {}

    @property
    def arrow(self) -> dict[str, pa.Table]:
        """The tables by name."""
        return {"site": self.site, "crew": self.crew, "run": self.run}

    def areas_of(self, user: int) -> list[str]:
        """The areas of a user: between one and twelve."""
        random = np.random.Generator(np.random.PCG64(user))
        return [AREAS[index] for index in sorted(random.choice(len(AREAS), int(random.integers(1, 13)), replace=False))]

    def firms_of(self, user: int) -> list[str]:
        """The firms of a user: one or two."""
        random = np.random.Generator(np.random.PCG64(user + 1_000_000))
        return [FIRMS[index] for index in sorted(random.choice(len(FIRMS), int(random.integers(1, 3)), replace=False))]

    def document(self, steward: str = STEWARD, data: str | None = None) -> dict[str, Any]:
        """The bundle: two grant roles that everybody holds, by area of the site and by firm of the crew."""
        columns = {
            "site": [("id", "integer"), ("area", "text"), ("kind", "text")],
            "crew": [("id", "integer"), ("firm", "text")],
            "run": [("site_id", "integer"), ("crew_id", "integer"), ("day", "integer"), ("kwh", "number")],
        }
        tables = [
            {
                "name": name,
                "columns": [{"name": column, "type": type_} for column, type_ in shapes],
                **({"key": "id"} if name != "run" else {}),
                **({"data": data.format(name)} if data else {}),
            }
            for name, shapes in columns.items()
        ]
        roles = [("steward", "site", steward), ("crew", "crew", FIRM)]
        return {
            "moorland": 1,
            "name": "benchmark",
            "attributes": [{"name": name, "type": "text", "multiple": True} for name in ("areas", "firms")],
            "users": [
                {"login": f"u{user}", "name": f"User {user}", "attributes": {"areas": self.areas_of(user), "firms": self.firms_of(user)}}
                for user in range(self.users)
            ],
            "models": [
                {
                    "name": "farm",
                    "tables": tables,
                    "relationships": [{"from": "run.site_id", "to": "site.id"}, {"from": "run.crew_id", "to": "crew.id"}],
                    "measures": [{"name": "energy", "table": "run", "expression": "SUM(kwh)"}, {"name": "runs", "table": "run", "expression": "COUNT(*)"}],
                }
            ],
            "roles": [
                {"name": name, "kind": "grant", "model": "farm", "sentences": [{"rows": {"table": table, "where": where}}], "assigned": [{"everyone": True}]}
                for name, table, where in roles
            ],
        }

    def evaluator(self, steward: str = STEWARD, beside: Evaluator | None = None) -> Evaluator:
        """An evaluator of the bundle; with `beside`, on the data that one has joined."""

        def load(model: Model, name: str) -> TableData:
            if name not in self.loaded:
                self.loaded[name] = to_table_data(self.arrow[name], next(table for table in model.tables if table.name == name))
            return self.loaded[name]

        return Evaluator(read_document(self.document(steward)), load, shared=beside.shared if beside else None)

    def write(self, folder: Path) -> None:
        """The bundle as a folder, tables as Parquet."""
        import json

        for name, table in self.arrow.items():
            pyarrow.parquet.write_table(table, folder / f"{name}.parquet")
        (folder / "bundle.json").write_text(json.dumps(self.document(data="{}.parquet")))


def facts(rows: int, users: int = USERS) -> FactData:
    """So many readings from one seed."""
    random = np.random.Generator(np.random.PCG64(7))
    site = pa.table(
        {
            "id": np.arange(SITES),
            "area": [AREAS[index] for index in random.integers(0, len(AREAS), SITES)],
            "kind": [("hill", "tidal", "closed")[index] for index in random.integers(0, 3, SITES)],
        }
    )
    crew = pa.table({"id": np.arange(CREWS), "firm": [FIRMS[index] for index in random.integers(0, len(FIRMS), CREWS)]})
    run = pa.table(
        {
            "site_id": random.integers(0, SITES, rows),
            "crew_id": random.integers(0, CREWS, rows),
            "day": random.integers(0, 730, rows),
            "kwh": np.round(random.gamma(2.0, 300.0, rows), 1),
        }
    )
    return FactData(site, crew, run, users)
