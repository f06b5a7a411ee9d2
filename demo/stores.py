"""The tables of the model Spare parts, from a seed of their own."""

from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet

SEED = 20260401
PARTS: dict[str, dict[str, list[str]]] = {
    "Rotor": {"Blades": ["Blade root bolt", "Leading edge tape", "Blade sensor"], "Hub": ["Hub seal", "Pitch belt"]},
    "Gearbox": {"Bearings": ["Main bearing", "Planet bearing"], "Oil": ["Gear oil drum", "Oil filter"]},
    "Electrical": {"Converter": ["Fuse set", "Power module"], "Cable": ["Tower cable", "Slip ring"]},
}
DEPOTS = {"High Fells": ["Rigg yard", "Tarn shed"], "Westdale": ["Dale store"], "Saltmarsh": ["Quay store", "Spit hut"]}
MONTHS = np.arange(np.datetime64("2024-01"), np.datetime64("2026-01"))


def generate_stores(folder: Path) -> None:
    """Writes the parts, the depots and the stock of every month below the folder."""
    random = np.random.Generator(np.random.PCG64(SEED))
    parts = [(class_, family, name) for class_, families in PARTS.items() for family, names in families.items() for name in names]
    depots = [(area, name) for area, names in DEPOTS.items() for name in names]
    part, depot, month = (axis.ravel() for axis in np.meshgrid(np.arange(len(parts)), np.arange(len(depots)), np.arange(len(MONTHS)), indexing="ij"))
    cost = random.integers(4, 900, len(parts)) * 5.0
    quantity = random.poisson(12, len(part))
    tables = {
        "part": pa.table(
            {
                "part_id": np.arange(1, len(parts) + 1),
                "class": [item[0] for item in parts],
                "family": [item[1] for item in parts],
                "name": [item[2] for item in parts],
            }
        ),
        "depot": pa.table({"depot_id": np.arange(1, len(depots) + 1), "area": [item[0] for item in depots], "name": [item[1] for item in depots]}),
        "stock": pa.table(
            {
                "part_id": part + 1,
                "depot_id": depot + 1,
                "month": MONTHS[month].astype("datetime64[D]"),
                "quantity": quantity,
                "value": quantity * cost[part],
                "issues": random.poisson(3, len(part)),
            }
        ),
    }
    for name, table in tables.items():
        pyarrow.parquet.write_table(table, folder / f"{name}.parquet", compression="zstd")
