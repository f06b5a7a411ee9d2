"""Generated fact rows: readings of sites, ten million unless asked otherwise."""

from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from moorland.core.bundle.model import Model
from moorland.core.bundle.reading import read_document
from moorland.core.engine.columns import TableData
from moorland.core.engine.evaluator import Evaluator
from moorland.core.sources.files import to_table_data

AREAS = [f"area {number:02d}" for number in range(40)]
SITES = 2000
USERS = 1000


def million(count: int) -> int:
    """Rows for so many millions."""
    return count * 1_000_000


@dataclass(frozen=True)
class FactData:
    """Sites, readings, and users who look after some areas."""

    site: pa.Table
    run: pa.Table

    def areas_of(self, user: int) -> list[str]:
        """The areas of a user: between one and twelve."""
        random = np.random.Generator(np.random.PCG64(user))
        return [AREAS[index] for index in sorted(random.choice(len(AREAS), int(random.integers(1, 13)), replace=False))]

    def evaluator(self, where: str) -> Evaluator:
        """An evaluator with one grant role of everyone's."""
        arrow = {"site": self.site, "run": self.run}
        loaded: dict[str, TableData] = {}

        def load(model: Model, name: str) -> TableData:
            if name not in loaded:
                loaded[name] = to_table_data(arrow[name], next(table for table in model.tables if table.name == name))
            return loaded[name]

        columns = {
            "site": [("id", "integer"), ("area", "text"), ("kind", "text")],
            "run": [("site_id", "integer"), ("day", "integer"), ("kwh", "number")],
        }
        tables = [
            {"name": name, "columns": [{"name": column, "type": type_} for column, type_ in shapes], **({"key": "id"} if name == "site" else {})}
            for name, shapes in columns.items()
        ]
        document = {
            "moorland": 1,
            "name": "benchmark",
            "attributes": [{"name": "areas", "type": "text", "multiple": True}],
            "users": [{"login": f"u{user}", "name": f"User {user}", "attributes": {"areas": self.areas_of(user)}} for user in range(USERS)],
            "models": [
                {
                    "name": "farm",
                    "tables": tables,
                    "relationships": [{"from": "run.site_id", "to": "site.id"}],
                    "measures": [{"name": "energy", "table": "run", "expression": "SUM(kwh)"}, {"name": "runs", "table": "run", "expression": "COUNT(*)"}],
                }
            ],
            "roles": [
                {
                    "name": "steward",
                    "kind": "grant",
                    "model": "farm",
                    "sentences": [{"rows": {"table": "site", "where": where}}],
                    "assigned": [{"everyone": True}],
                }
            ],
        }
        return Evaluator(read_document(document), load)


def facts(rows: int) -> FactData:
    """So many readings from one seed."""
    random = np.random.Generator(np.random.PCG64(7))
    site = pa.table(
        {
            "id": np.arange(SITES),
            "area": [AREAS[index] for index in random.integers(0, len(AREAS), SITES)],
            "kind": [("hill", "tidal", "closed")[index] for index in random.integers(0, 3, SITES)],
        }
    )
    run = pa.table({"site_id": random.integers(0, SITES, rows), "day": random.integers(0, 730, rows), "kwh": np.round(random.gamma(2.0, 300.0, rows), 1)})
    return FactData(site, run)
