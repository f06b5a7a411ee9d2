"""The demo bundle: model, roles, shelves and pages of Whinfell, written as bundle.yaml beside the generated data."""

import csv
from pathlib import Path
from typing import Any

from demo import books
from demo.pages import PAGES, PROMISES, SHELVES
from demo.people import ATTRIBUTES, DUTIES, ORGANIZATIONS, groups, users
from demo.stores import generate_stores
from demo.tables import generate_tables
from moorland.core.bundle.reading import read_document
from moorland.core.bundle.writing import write_folder


def _columns(text: str) -> list[dict[str, Any]]:
    """`name type [#tag …]`, one a line."""
    columns = []
    for line in text.strip().splitlines():
        name, type_, *tags = line.split()
        columns.append({"name": name, "type": type_, **({"tags": [tag.lstrip("#") for tag in tags]} if tags else {})})
    return columns


def _table(name: str, columns: str, **more: Any) -> dict[str, Any]:
    return {"name": name, "data": f"data/{name}.parquet", "columns": _columns(columns), **more}


def _with_column(table: dict[str, Any], column: dict[str, Any]) -> dict[str, Any]:
    """The table with one column more."""
    return {**table, "columns": [*table["columns"], column]}


TABLES = [
    _table("site", "site_id integer\nname text\narea text\ndistrict text\nkind text\nstatus text\nopened date\nannual_rent number #money", key="site_id"),
    _table("turbine", "turbine_id integer\nsite_id integer\ntype text\ncapacity_kw number\ncommissioned date", key="turbine_id"),
    _table("calendar", "day date\nmonth text\nquarter text\nyear integer", key="day"),
    _table("contractor", "contractor_id integer\nname text", key="contractor_id"),
    _table(
        "technician",
        "technician_id integer\nname text\ncontractor_id integer\nlead_id integer\nphone text #personal\nprivate_email text #personal\nday_rate number #personal",
        key="technician_id",
    ),
    _table("landholder", "landholder_id integer\nname text #personal\nparcel_no text #personal\ntelephone text #personal", key="landholder_id"),
    _table("generation", "turbine_id integer\nday date\nenergy_kwh number\ndowntime_h number\ncurtailed_kwh number #grid-agreement"),
    _table(
        "job",
        "job_id integer\nturbine_id integer\ncontractor_id integer\ntechnician_id integer\nday date\nfault_class text\nhours number\n"
        "parts_cost number #money\nlabour_cost number #money",
        key="job_id",
    ),
    _table("lease_payment", "payment_id integer\nlandholder_id integer\nsite_id integer\nmonth date\namount number #money", key="payment_id"),
    {
        "name": "steward_scope",
        "data": "data/steward_scope.csv",
        "about": "Who looks after which area and district; kept by the operations desk.",
        "columns": _columns("login text\narea text\ndistrict text\nuntil_day date"),
    },
]

MEASURES = [
    ("energy", "Energy", "generation", "SUM(energy_kwh)", "kWh"),
    ("downtime", "Downtime", "generation", "SUM(downtime_h)", "h"),
    ("availability", "Availability", "generation", "1 - SUM(downtime_h) / NULLIF(COUNT(*) * 24, 0)", "%"),
    ("curtailed_output", "Curtailed output", "generation", "SUM(curtailed_kwh)", "kWh"),
    ("adjusted_availability", "Adjusted availability", "generation", "measure.energy / NULLIF(SUM(energy_kwh + curtailed_kwh), 0)", "%"),
    ("compensation_due", "Compensation due", "generation", "ROUND(SUM(curtailed_kwh) * 0.085, 2)", ""),
    ("full_potential", "Full potential", "generation", "measure.energy + measure.curtailed_output", "kWh"),
    ("jobs", "Jobs", "job", "COUNT(*)", ""),
    ("job_hours", "Hours worked", "job", "SUM(hours)", "h"),
    ("job_cost", "Job cost", "job", "SUM(parts_cost + labour_cost)", ""),
    ("cost_per_job", "Cost per job", "job", "measure.job_cost / NULLIF(measure.jobs, 0)", ""),
    ("lease_paid", "Lease paid", "lease_payment", "SUM(amount)", ""),
    ("mean_day_rate", "Mean day rate", "technician", "AVG(day_rate)", ""),
]

MODEL = {
    "name": "operations",
    "label": "Turbine operations",
    "tables": TABLES,
    "relationships": [
        {"from": "turbine.site_id", "to": "site.site_id"},
        {"from": "generation.turbine_id", "to": "turbine.turbine_id"},
        {"from": "generation.day", "to": "calendar.day"},
        {"from": "job.turbine_id", "to": "turbine.turbine_id"},
        {"from": "job.contractor_id", "to": "contractor.contractor_id"},
        {"from": "job.technician_id", "to": "technician.technician_id"},
        {"from": "job.day", "to": "calendar.day"},
        {"from": "lease_payment.landholder_id", "to": "landholder.landholder_id"},
        {"from": "lease_payment.site_id", "to": "site.site_id"},
        {"from": "lease_payment.month", "to": "calendar.day"},
    ],
    "hierarchies": [
        {"name": "geography", "label": "Geography", "table": "site", "levels": ["area", "district", "name"]},
        {"name": "time", "label": "Time", "table": "calendar", "levels": ["year", "quarter", "month"]},
        {"name": "reporting", "label": "Reporting line", "table": "technician", "key": "technician_id", "parent": "lead_id"},
    ],
    "measures": [
        {"name": name, "label": label, "table": table, "expression": expression, **({"format": unit} if unit else {})}
        for name, label, table, expression, unit in MEASURES
    ],
    "cubes": [
        {
            "name": "turning",
            "label": "Output by place and time",
            "facts": ["generation"],
            "dimensions": [{"table": "site", "hierarchies": ["geography"]}, {"table": "calendar", "hierarchies": ["time"]}],
            "measures": ["energy", "downtime", "availability", "curtailed_output"],
        }
    ],
}


def _rows(table: str, where: str) -> dict[str, Any]:
    return {"rows": {"table": table, "where": where}}


def _mask(column: str, with_: Any, **more: Any) -> dict[str, Any]:
    return {"mask": {"column": column, "with": with_, **more}}


#: How treasury sees personal columns.
PERSONAL: list[tuple[str, Any]] = [
    ("technician.phone", {"keep": {"last": 3}}),
    ("technician.private_email", "withhold"),
    ("landholder.name", {"keep": {"first": 1}}),
    ("landholder.parcel_no", {"keep": {"first": 3}}),
    ("landholder.telephone", "withhold"),
]

STORES = {
    "name": "spare-parts",
    "label": "Spare parts",
    "tables": [
        _table("part", "part_id integer\nclass text\nfamily text\nname text", key="part_id"),
        _table("depot", "depot_id integer\narea text\nname text", key="depot_id"),
        _with_column(
            _table("stock", "part_id integer\ndepot_id integer\nmonth date\nquantity integer\nvalue number #money\nissues integer"),
            {"name": "year", "type": "integer", "expression": "EXTRACT(YEAR FROM month)"},
        ),
    ],
    "relationships": [{"from": "stock.part_id", "to": "part.part_id"}, {"from": "stock.depot_id", "to": "depot.depot_id"}],
    "hierarchies": [
        {"name": "parts", "label": "Parts", "table": "part", "levels": ["class", "family", "name"]},
        {"name": "depots", "label": "Depots", "table": "depot", "levels": ["area", "name"]},
        {"name": "months", "label": "Months", "table": "stock", "levels": ["year", "month"]},
    ],
    "measures": [
        {"name": "quantity_held", "label": "Quantity held", "table": "stock", "expression": "SUM(quantity)"},
        {"name": "value_at_cost", "label": "Value at cost", "table": "stock", "expression": "SUM(value)"},
        {"name": "issued", "label": "Issued", "table": "stock", "expression": "SUM(issues)"},
    ],
    "cubes": [
        {
            "name": "stores",
            "label": "Stores",
            "facts": ["stock"],
            "dimensions": [
                {"table": "part", "hierarchies": ["parts"]},
                {"table": "depot", "hierarchies": ["depots"]},
                {"table": "stock", "hierarchies": ["months"]},
            ],
            "measures": ["quantity_held", "value_at_cost", "issued"],
        }
    ],
}


ROLES: list[dict[str, Any]] = [
    {
        "name": "all-data",
        "label": "All data",
        "kind": "grant",
        "model": "operations",
        "about": "Everything, on purpose. There is no other way to see everything.",
        "sentences": [{"pages": {"actions": ["open", "edit", "publish", "export"]}}],
        "assigned": [{"group": "board"}, {"group": "auditors"}],
    },
    {
        "name": "area-steward",
        "label": "Area steward",
        "kind": "grant",
        "model": "operations",
        "about": "What happens in the areas somebody looks after.",
        "sentences": [
            _rows("site", "area IN viewer.areas"),
            {"objects": {"hide": ["tag:personal", "table:landholder", "table:lease_payment", "table:steward_scope", "column:site.annual_rent"]}},
            {"pages": {"actions": ["open", "export"], "on": ["shelf:operations"], "where": "'contract' NOT IN page.tags"}},
            {"pages": {"actions": ["create", "edit", "publish"], "on": ["shelf:operations"]}},
        ],
        "assigned": [{"group": "stewards"}],
    },
    {
        "name": "contractor",
        "label": "Contractor",
        "kind": "grant",
        "model": "operations",
        "about": "A firm's own jobs and the names of its technicians; no costs.",
        "sentences": [
            _rows("job", "contractor_id = viewer.contractor_id"),
            _rows("technician", "contractor_id = viewer.contractor_id"),
            _rows("contractor", "contractor_id = viewer.contractor_id"),
            {
                "objects": {
                    "default": "hidden",
                    "show": [
                        "table:job",
                        "table:site",
                        "table:turbine",
                        "table:calendar",
                        "table:contractor",
                        "column:technician.technician_id",
                        "column:technician.name",
                    ],
                    "hide": ["tag:money"],
                }
            },
            {"pages": {"actions": ["open"], "on": ["page:contractor-week"]}},
        ],
        "assigned": [{"group": "contractors"}],
    },
    {
        "name": "landholder",
        "label": "Landholder",
        "kind": "grant",
        "model": "operations",
        "about": "Somebody's own lease payments.",
        "sentences": [
            _rows("landholder", "landholder_id = viewer.landholder_id"),
            {
                "objects": {
                    "default": "hidden",
                    "show": ["table:lease_payment", "table:landholder", "table:calendar", "column:site.site_id", "column:site.name", "column:site.area"],
                }
            },
            {"pages": {"actions": ["open", "export"], "on": ["page:lease-payments"]}},
        ],
        "assigned": [{"group": "landholders"}],
    },
    {
        "name": "treasury",
        "label": "Treasury",
        "kind": "grant",
        "model": "operations",
        "about": "Costs and payments everywhere; personal columns only in part, the day rate only in averages of at least five people.",
        "sentences": [
            *(_mask(column, with_) for column, with_ in PERSONAL),
            _mask("technician.day_rate", "withhold", in_totals={"full": {"at_least": 5}}),
            {"pages": {"actions": ["open", "export"], "on": ["shelf:money"]}},
            {"pages": {"actions": ["open"], "where": "'monthly' IN page.tags"}},
        ],
        "assigned": [{"group": "treasury"}],
    },
    {
        "name": "payments",
        "label": "Payments",
        "kind": "grant",
        "model": "operations",
        "about": "Lease payments of one's own areas, with parcel numbers and names in clear.",
        "sentences": [
            _rows("site", "area IN viewer.areas"),
            {"objects": {"default": "hidden", "show": ["table:lease_payment", "table:landholder", "table:calendar", "table:site"], "hide": ["tag:money"]}},
        ],
        "assigned": [{"group": "payments"}],
    },
    {
        "name": "district-desk",
        "label": "District desk",
        "kind": "grant",
        "model": "operations",
        "about": "The districts that the steward scope lists for somebody; blank opens the whole area, an expired line nothing.",
        "sentences": [
            {
                "entitlement": {
                    "table": "site",
                    "through": "steward_scope",
                    "person": "login",
                    "person_is": "login",
                    "where": "until_day IS NULL OR until_day >= CURRENT_DATE",
                    "match": {"area": "area", "district": "district"},
                    "separator": ",",
                    "everything": "blank",
                }
            },
            {"objects": {"hide": ["tag:personal", "tag:money", "table:landholder", "table:lease_payment"]}},
            {"beneath": {"tables": ["job"], "rows": True, "limit": 500, "only_under": 5000}},
            {"pages": {"actions": ["open"], "on": ["page:output", "page:outages"]}},
        ],
        "assigned": [{"user": login} for login in ("b.lyth", "f.hurst", "g.mire", "i.moss2")],
    },
    {
        "name": "stores-keeper",
        "label": "Stores keeper",
        "kind": "grant",
        "model": "spare-parts",
        "about": "Rotor and gearbox parts in the depots of the hills; a new depot is hidden until it is listed.",
        "sentences": [
            {
                "members": {
                    "hierarchy": "parts",
                    "list": [{"path": ["Rotor"], "see": True}, {"path": ["Gearbox"], "see": True}, {"path": ["Gearbox", "Bearings"], "see": False}],
                }
            },
            {"members": {"hierarchy": "depots", "list": [{"path": ["High Fells"], "see": True}, {"path": ["Westdale"], "see": True}]}},
            {"pages": {"actions": ["open", "export"], "on": ["shelf:stores"]}},
        ],
        "assigned": [{"user": "k.skerry"}],
    },
    {
        "name": "stores-overview",
        "label": "Stores overview",
        "kind": "grant",
        "model": "spare-parts",
        "about": "Stock over everything, the bearings withheld. The totals are whole, and so they give something away: a check says what.",
        "sentences": [
            {
                "members": {
                    "hierarchy": "parts",
                    "unlisted": "visible",
                    "list": [{"path": ["Gearbox", "Bearings"], "see": False}],
                    "totals": "whole",
                }
            },
            {"beneath": {"tables": ["stock"], "rows": False}},
            {"pages": {"actions": ["open"], "on": ["shelf:stores"]}},
        ],
        "assigned": [{"user": "l.esk"}],
    },
    {
        "name": "winter-review",
        "label": "Winter review",
        "kind": "grant",
        "model": "operations",
        "about": "Two areas for the people who prepare the winter, for one season.",
        "sentences": [
            _rows("site", "area IN ('High Fells', 'Westdale') AND status = 'open'"),
            {"objects": {"hide": ["tag:personal", "tag:money", "table:landholder", "table:lease_payment", "table:steward_scope"]}},
            {"pages": {"actions": ["open"], "on": ["page:output"]}},
        ],
        "assigned": [{"user": "n.pike", "from": "2025-10-01", "until": "2026-03-31"}, {"user": "f.hurst", "from": "2026-10-01", "until": "2027-03-31"}],
    },
    {
        "name": "no-grid-orders",
        "label": "No grid orders",
        "kind": "limit",
        "model": "operations",
        "about": "What the grid agreement keeps inside: ordered curtailment and what follows from it.",
        "reason": "Grid agreement, section on confidentiality",
        "sentences": [{"objects": {"hide": ["tag:grid-agreement"]}}, {"pages": {"actions": ["open"], "where": "'grid-agreement' IN page.tags"}}],
        "assigned": [{"group": "stewards"}, {"group": "contractors"}],
    },
    {
        "name": "open-sites-only",
        "label": "Open sites only",
        "kind": "limit",
        "model": "operations",
        "about": "Closed and not yet opened sites stay with the board.",
        "sentences": [_rows("site", "status = 'open'")],
        "assigned": [{"group": "stewards"}, {"group": "contractors"}, {"group": "operations-desk"}],
    },
]

_SCOPE = [
    ("a.knott", "High Fells", "Upper Rigg", ""),
    ("a.knott", "High Fells", "Lower Rigg", ""),
    ("A.Knott", "Westdale", "", ""),
    ("b.lyth", "Eastmoor", "Heatherlea,Stonebeck", ""),
    ("f.hurst", "High Fells", "Tarnside", "2026-12-31"),
    ("g.mire", "Saltmarsh", "Estuary", "2026-02-28"),
    ("g.mire", "Saltmarsh", "Spit", ""),
    ("i.moss2", "Eastmoor", "Ridings", ""),
    ("n.pike", "Sound", "", ""),
    ("R.Oddie ", "High Fells", "Upper Rigg", ""),
    ("b.ritson", "Fen End", "Washes", ""),
    ("operations-desk", "Fen End", "Droves", ""),
]


def document() -> dict[str, Any]:
    """The bundle as one document, data by reference."""
    return {
        "moorland": 1,
        "name": "Whinfell Co-operative",
        "time_zone": "UTC",
        "sensitive_tags": ["sensitive", "personal"],
        "organizations": ORGANIZATIONS,
        "attributes": [*ATTRIBUTES, books.ATTRIBUTE],
        "groups": groups(),
        "users": users(),
        "sources": [books.SOURCE],
        "models": [MODEL, STORES, books.MODEL],
        "roles": [*ROLES, books.ROLE],
        "shelves": SHELVES,
        "pages": PAGES,
        "promises": PROMISES,
        "duties": DUTIES,
    }


def generate(folder: Path) -> None:
    """Writes the demo bundle with its data into a folder."""
    generate_tables(folder / "data")
    generate_stores(folder / "data")
    books.generate_books(folder)
    with (folder / "data" / "steward_scope.csv").open("w", encoding="utf-8", newline="") as opened:
        writer = csv.writer(opened, lineterminator="\n")
        writer.writerow(["login", "area", "district", "until_day"])
        writer.writerows(_SCOPE)
    write_folder(read_document(document()), folder)


if __name__ == "__main__":
    import sys

    generate(Path(sys.argv[1]))
