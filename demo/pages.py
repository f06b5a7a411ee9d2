"""The demo's shelves, pages and promises."""

from typing import Any

SHELVES = [{"name": "operations", "label": "Operations"}, {"name": "money", "label": "Money"}, {"name": "stores", "label": "Stores"}]


def _exhibit(title: str, kind: str, **more: Any) -> dict[str, Any]:
    return {"title": title, "kind": kind, **more}


#: A page that a reader made and published beside the release: whose it is, on which shelf, and what it says.
READERS_PAGE: tuple[str, str, dict[str, Any]] = (
    "j.ames",
    "operations",
    {
        "label": "My areas, week by week",
        "about": "What the stewards talk about on Mondays.",
        "model": "operations",
        "filters": ["calendar.year"],
        "exhibits": [
            _exhibit("Energy", "figure", measures=["energy"]),
            _exhibit("Downtime", "figure", measures=["downtime"]),
            _exhibit("Downtime by site", "bar", by=["site.name"], measures=["downtime"]),
            _exhibit("Energy by place and year", "two_way", by=["site.area", "site.district", "calendar.year"], measures=["energy"], totals=True),
        ],
    },
)

PAGES: list[dict[str, Any]] = [
    {
        "name": "output",
        "label": "Output",
        "shelf": "operations",
        "model": "operations",
        "tags": ["monthly"],
        "owner": "h.warden",
        "filters": ["site.area", "calendar.year"],
        "exhibits": [
            _exhibit("Energy", "figure", measures=["energy"]),
            _exhibit("Availability", "figure", measures=["availability"]),
            _exhibit("Curtailed output", "figure", measures=["curtailed_output"]),
            _exhibit("Energy by area", "bar", by=["site.area"], measures=["energy"], colour="site.area"),
            _exhibit("Energy by month", "line", by=["calendar.month"], measures=["energy"]),
            _exhibit(
                "Sites",
                "list",
                table="site",
                columns=["site.name", "site.area", "site.district", "site.kind", "site.status"],
                order=["site.area", "site.name"],
                limit=60,
            ),
        ],
    },
    {
        "name": "outages",
        "label": "Outages and jobs",
        "shelf": "operations",
        "model": "operations",
        "tags": ["weekly"],
        "owner": "h.warden",
        "filters": ["site.area", "job.fault_class"],
        "exhibits": [
            _exhibit("Downtime", "figure", measures=["downtime"]),
            _exhibit("Jobs", "figure", measures=["jobs"]),
            _exhibit("Job cost", "figure", measures=["job_cost"]),
            _exhibit("Jobs by fault", "bar", by=["job.fault_class"], measures=["jobs"]),
            _exhibit("Jobs by month", "line", by=["calendar.month"], measures=["jobs"]),
            _exhibit("Job cost by place and fault", "two_way", by=["site.area", "site.district", "job.fault_class"], measures=["job_cost"], totals=True),
        ],
    },
    {
        "name": "contractor-week",
        "label": "Contractor week",
        "shelf": "operations",
        "model": "operations",
        "tags": ["weekly", "contract"],
        "owner": "q.lund",
        "filters": ["job.fault_class"],
        "exhibits": [
            _exhibit("Jobs", "figure", measures=["jobs"]),
            _exhibit("Hours worked", "figure", measures=["job_hours"]),
            _exhibit("Job cost", "figure", measures=["job_cost"]),
            _exhibit("Jobs by technician", "bar", by=["technician.name"], measures=["jobs"]),
            _exhibit(
                "Latest jobs",
                "list",
                table="job",
                columns=["job.day", "site.name", "job.fault_class", "technician.name", "job.hours"],
                order=["-job.day"],
                limit=50,
            ),
        ],
    },
    {
        "name": "compensation",
        "label": "Compensation",
        "shelf": "money",
        "model": "operations",
        "tags": ["monthly", "grid-agreement"],
        "owner": "t.holm",
        "exhibits": [
            _exhibit("Compensation due", "figure", measures=["compensation_due"]),
            _exhibit("Curtailed output", "figure", measures=["curtailed_output"]),
            _exhibit("Full potential", "figure", measures=["full_potential"]),
            _exhibit("Compensation due by month", "line", by=["calendar.month"], measures=["compensation_due"]),
            _exhibit(
                "Curtailed by area and quarter",
                "two_way",
                by=["site.area", "calendar.year", "calendar.quarter"],
                across=2,
                measures=["curtailed_output"],
                totals=True,
            ),
        ],
    },
    {
        "name": "lease-payments",
        "label": "Lease payments",
        "shelf": "money",
        "model": "operations",
        "tags": ["quarterly"],
        "owner": "t.holm",
        "filters": ["site.area"],
        "exhibits": [
            _exhibit("Lease paid", "figure", measures=["lease_paid"]),
            _exhibit("Lease paid by quarter", "bar", by=["calendar.quarter"], measures=["lease_paid"]),
            _exhibit("Lease paid by area", "bar", by=["site.area"], measures=["lease_paid"]),
            _exhibit(
                "Payments",
                "list",
                table="lease_payment",
                columns=["lease_payment.month", "site.name", "landholder.name", "lease_payment.amount"],
                order=["-lease_payment.month"],
                limit=50,
            ),
        ],
    },
]

PAGES.append(
    {
        "name": "stock-by-depot",
        "label": "Stock by depot",
        "shelf": "stores",
        "model": "spare-parts",
        "tags": ["monthly"],
        "owner": "t.holm",
        "exhibits": [
            _exhibit("Quantity held", "figure", measures=["quantity_held"]),
            _exhibit("Value at cost", "figure", measures=["value_at_cost"]),
            _exhibit("Value by class", "treemap", by=["part.class"], measures=["value_at_cost"], colour="part.class", width=3),
            _exhibit("Quantity by area and class", "two_way", by=["depot.area", "part.class"], measures=["quantity_held"]),
        ],
    }
)


def _promise(name: str, viewer: Any, **must: Any) -> dict[str, Any]:
    return {"name": name, "viewer": viewer, "must": must}


_OPERATIONS = {"model": "operations"}
#: Two are broken on purpose: a newcomer sees how that looks.
PROMISES: list[dict[str, Any]] = [
    _promise("Jo Ames keeps to her areas", "j.ames", rows={**_OPERATIONS, "table": "site", "where": "area NOT IN ('High Fells', 'Eastmoor')", "count": 0}),
    _promise("stewards see no closed site", "j.ames", values={**_OPERATIONS, "column": "site.status", "only": ["open"]}),
    _promise("no grid orders for stewards", {"imagine": {"groups": ["stewards"]}}, hidden={**_OPERATIONS, "objects": ["tag:grid-agreement"]}),
    _promise("no grid orders for contractors", "r.oddie", hidden={**_OPERATIONS, "objects": ["column:generation.curtailed_kwh", "measure:compensation_due"]}),
    _promise("contractors see no costs", "r.oddie", hidden={**_OPERATIONS, "objects": ["measure:job_cost", "measure:cost_per_job"]}),
    _promise("contractors see jobs of their own firm only", "r.oddie", rows={**_OPERATIONS, "table": "job", "where": "contractor_id <> 1", "count": 0}),
    _promise("contractors open their own page only", "r.oddie", pages={"can_open": ["contractor-week"], "cannot_open": ["output", "outages", "compensation"]}),
    _promise("the board sees every site", "v.birk", rows={**_OPERATIONS, "table": "site", "count": 48}),
    _promise("landholders see one landholder", "lh.03", rows={**_OPERATIONS, "table": "landholder", "count": 1}),
    _promise("treasury reads no private e-mail", "t.holm", values={**_OPERATIONS, "column": "technician.private_email", "only": []}),
    _promise("visitors see nothing", "u.stell", nothing=True),
    _promise("the disabled see nothing", "a.finn", nothing=True),
    _promise("Cairn reads the books of Cairn only", "d.carr", values={"model": "books", "column": "entry.holding", "only": ["cairn"]}),
    _promise("the expired line opens nothing", "g.mire", values={**_OPERATIONS, "column": "site.district", "excludes": ["Estuary"]}),
    _promise("treasury opens no compensation", "t.holm", pages={"cannot_open": ["compensation"]}),
    _promise(
        "the stores overview withholds what bearings are worth",
        "l.esk",
        total={"model": "spare-parts", "measure": "value_at_cost", "by": ["part.class"], "line": ["Gearbox"], "equals": 6405240},
    ),
]
