"""The tables of the model Turbine operations, from one seed: the same numbers on every machine."""

import datetime
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet

from demo.places import AREAS, CLOSED_SITES, CONTRACTORS, FAULTS, FIRST_NAMES, LAST_NAMES, NEW_SITES, TURBINE_TYPES

SEED = 20260331
FIRST_DAY = datetime.date(2024, 1, 1)
DAYS = 731


def generate_tables(folder: Path) -> dict[str, int]:
    """Writes every table below the folder; gives the number of rows of each."""
    random = np.random.Generator(np.random.PCG64(SEED))
    folder.mkdir(parents=True, exist_ok=True)
    site = _sites(random)
    turbine = _turbines(random, site)
    calendar = _calendar()
    contractor = pa.table({"contractor_id": [1, 2, 3], "name": list(CONTRACTORS)})
    technician = _technicians(random)
    landholder = _landholders(random)
    tables = {
        "site": site,
        "turbine": turbine,
        "calendar": calendar,
        "contractor": contractor,
        "technician": technician,
        "landholder": landholder,
        "generation": _generation(random, turbine),
        "job": _jobs(random, turbine, technician),
        "lease_payment": _lease_payments(random, site, landholder),
    }
    for name, table in tables.items():
        pyarrow.parquet.write_table(table, folder / f"{name}.parquet", compression="zstd")
    return {name: table.num_rows for name, table in tables.items()}


def _sites(random: np.random.Generator) -> pa.Table:
    rows = [(area, district, name) for area, districts in AREAS.items() for district, names in districts.items() for name in names]
    status = ["closed" if name in CLOSED_SITES else "new" if name in NEW_SITES else "open" for _, _, name in rows]
    opened = [
        datetime.date(2025, 12, 8) if name in NEW_SITES else datetime.date(int(random.integers(1998, 2020)), int(random.integers(1, 13)), 1)
        for _, _, name in rows
    ]
    return pa.table(
        {
            "site_id": list(range(1, len(rows) + 1)),
            "name": [name for _, _, name in rows],
            "area": [area for area, _, _ in rows],
            "district": [district for _, district, _ in rows],
            "kind": ["tidal" if area == "Sound" else "hill" for area, _, _ in rows],
            "status": status,
            "opened": opened,
            "annual_rent": [float(value) for value in np.round(random.uniform(4_000, 22_000, len(rows)), -2)],
        }
    )


def _turbines(random: np.random.Generator, site: pa.Table) -> pa.Table:
    count, sites = 310, site.num_rows
    older = np.flatnonzero([status != "new" for status in site["status"].to_pylist()])
    at = np.sort(np.concatenate([np.arange(sites), random.choice(older, count - sites)]))
    tidal = np.array([kind == "tidal" for kind in site["kind"].to_pylist()])[at]
    kind = np.where(tidal, 3, random.integers(0, 3, count))
    new = np.array([status == "new" for status in site["status"].to_pylist()])[at]
    year = np.where(new, 2025, random.integers(2000, 2022, count))
    return pa.table(
        {
            "turbine_id": np.arange(1, count + 1),
            "site_id": at + 1,
            "type": [TURBINE_TYPES[index][0] for index in kind],
            "capacity_kw": [float(TURBINE_TYPES[index][1]) for index in kind],
            "commissioned": [
                datetime.date(int(value), 12 if fresh else int(random.integers(1, 13)), 10 if fresh else 15) for value, fresh in zip(year, new, strict=True)
            ],
        }
    )


def _calendar() -> pa.Table:
    days = [FIRST_DAY + datetime.timedelta(days=index) for index in range(DAYS)]
    return pa.table(
        {
            "day": days,
            "month": [day.strftime("%Y-%m") for day in days],
            "quarter": [f"{day.year} Q{(day.month - 1) // 3 + 1}" for day in days],
            "year": [day.year for day in days],
        }
    )


def _names(random: np.random.Generator, count: int) -> list[str]:
    firsts, lasts = random.permutation(len(FIRST_NAMES)), random.permutation(len(LAST_NAMES))
    return [f"{FIRST_NAMES[firsts[index % len(firsts)]]} {LAST_NAMES[lasts[(index * 7 + index // 50) % len(lasts)]]}" for index in range(count)]


def _technicians(random: np.random.Generator) -> pa.Table:
    names = _names(random, 42)
    ids = np.arange(1, 43)
    firm = (ids - 1) // 14 + 1
    lead = [
        None if (value - 1) % 14 == 0 else int((number - 1) * 14 + 1 + (0 if (value - 1) % 14 < 5 else ((value - 1) % 14) // 5))
        for value, number in zip(ids, firm, strict=True)
    ]
    return pa.table(
        {
            "technician_id": ids,
            "name": names,
            "contractor_id": firm,
            "lead_id": pa.array(lead, pa.int64()),
            "phone": [f"07700 900{number:03d}" for number in random.permutation(900)[:42] + 100],
            "private_email": [f"{name.lower().replace(' ', '.')}@home.example" for name in names],
            "day_rate": [float(value) for value in random.integers(38, 76, 42) * 5],
        }
    )


def _landholders(random: np.random.Generator) -> pa.Table:
    names = _names(random, 85)
    return pa.table(
        {
            "landholder_id": np.arange(1, 86),
            "name": [name if index != 61 else names[3] for index, name in enumerate(names)],
            "parcel_no": [f"WF-{number:05d}" for number in random.permutation(90_000)[:85] + 10_000],
            "telephone": [None if index % 17 == 5 else f"01632 96{number:04d}" for index, number in enumerate(random.permutation(9_000)[:85] + 1_000)],
        }
    )


def _generation(random: np.random.Generator, turbine: pa.Table) -> pa.Table:
    count = turbine.num_rows
    capacity = np.array(turbine["capacity_kw"].to_pylist())
    start = np.array([(day - FIRST_DAY).days for day in turbine["commissioned"].to_pylist()])
    number, day = np.repeat(np.arange(count), DAYS), np.tile(np.arange(DAYS), count)
    tidal = np.array(["Skua" in name for name in turbine["type"].to_pylist()])[number]
    season = np.where(tidal, 0.42 + 0.06 * np.cos(2 * np.pi * day / 14.77), 0.30 + 0.13 * np.cos(2 * np.pi * (day - 290) / 365.25))
    weather = np.repeat(random.normal(0, 0.07, (1, DAYS)), count, axis=0).reshape(-1) * ~tidal
    share = np.clip(season + weather + random.normal(0, 0.05, count * DAYS), 0.0, 0.96)
    downtime = np.where(random.random(count * DAYS) < 0.05, np.round(random.gamma(2.0, 3.0, count * DAYS), 1), 0.0).clip(0, 24)
    energy = np.round(capacity[number] * 24 * share * (1 - downtime / 24), 1)
    curtailed = np.where(random.random(count * DAYS) < 0.08, np.round(energy * random.uniform(0.05, 0.6, count * DAYS), 1), 0.0)
    kept = (day >= start[number]) & (random.random(count * DAYS) > 0.0009)
    known = turbine["turbine_id"].to_numpy()[number].astype(np.int64)
    unknown = random.random(count * DAYS) < 0.0004
    ids = np.where(unknown, 9000 + number % 7, known)
    days = np.datetime64(FIRST_DAY) + day.astype("timedelta64[D]")
    blank = random.random(count * DAYS) < 0.002
    return pa.table(
        {
            "turbine_id": ids[kept],
            "day": days[kept],
            "energy_kwh": pa.array(energy[kept]),
            "downtime_h": pa.array(downtime[kept], mask=blank[kept]),
            "curtailed_kwh": pa.array(curtailed[kept]),
        }
    )


def _jobs(random: np.random.Generator, turbine: pa.Table, technician: pa.Table) -> pa.Table:
    count = 21_004
    machine = random.integers(0, turbine.num_rows, count)
    start = np.array([max((day - FIRST_DAY).days, 0) for day in turbine["commissioned"].to_pylist()])
    day = (start[machine] + random.random(count) * (DAYS - start[machine])).astype(np.int64)
    site = turbine["site_id"].to_numpy()[machine]
    firm = np.where(random.random(count) < 0.8, (site - 1) // 16, random.integers(0, 3, count)).clip(0, 2) + 1
    person = (firm - 1) * 14 + 1 + random.integers(0, 14, count)
    fault = random.choice(len(FAULTS), count, p=[0.16, 0.1, 0.22, 0.12, 0.12, 0.08, 0.05, 0.15])
    hours = np.round(random.gamma(2.2, 2.1, count) + 0.5, 1)
    rate = np.array(technician["day_rate"].to_pylist())[person - 1]
    parts = np.where(fault == 7, 0.0, np.round(random.gamma(1.3, 240, count) * np.where(fault == 1, 3.5, 1.0), 2))
    return pa.table(
        {
            "job_id": np.arange(1, count + 1),
            "turbine_id": turbine["turbine_id"].to_numpy()[machine],
            "contractor_id": firm,
            "technician_id": person,
            "day": np.datetime64(FIRST_DAY) + day.astype("timedelta64[D]"),
            "fault_class": [FAULTS[index] for index in fault],
            "hours": hours,
            "parts_cost": parts,
            "labour_cost": np.round(hours * rate / 8, 2),
        }
    )


def _lease_payments(random: np.random.Generator, site: pa.Table, landholder: pa.Table) -> pa.Table:
    months = np.arange(np.datetime64("2024-01"), np.datetime64("2026-01"))
    rent = np.array(site["annual_rent"].to_pylist())
    rows = [(int(holder), int((holder * 13) % site.num_rows)) for holder in range(1, landholder.num_rows + 1)]
    return pa.table(
        {
            "payment_id": np.arange(1, len(rows) * len(months) + 1),
            "landholder_id": np.repeat([holder for holder, _ in rows], len(months)),
            "site_id": np.repeat([place + 1 for _, place in rows], len(months)),
            "month": np.tile(months.astype("datetime64[D]"), len(rows)),
            "amount": np.round(np.repeat([rent[place] / 24 for _, place in rows], len(months)) * random.uniform(0.97, 1.03, len(rows) * len(months)), 2),
        }
    )
