"""The people of the demo: organizations, groups in groups, attributes, and the messy spots real directories have."""

from typing import Any

ORGANIZATIONS: list[dict[str, Any]] = [
    {"name": "whinfell", "label": "Whinfell Co-operative"},
    {"name": "cairn", "label": "Cairn Holding", "parent": "whinfell", "attributes": {"holding": {"value": "cairn", "locked": True}}},
    {"name": "saltmarsh", "label": "Saltmarsh Holding", "parent": "whinfell", "attributes": {"holding": {"value": "saltmarsh", "locked": True}}},
    {"name": "eastmoor", "label": "Eastmoor Holding", "parent": "whinfell"},
    {"name": "contractors", "label": "Contractors", "parent": "whinfell"},
    {"name": "fell-rotors", "label": "Fell Rotors", "parent": "contractors", "attributes": {"contractor_id": {"value": 1, "locked": True}}},
    {
        "name": "tarn-electric",
        "label": "Tarn Electric",
        "parent": "contractors",
        "attributes": {"contractor_id": {"value": 2, "locked": True}, "survey_year": {"value": 2025, "locked": True}},
    },
    {"name": "north-gears", "label": "North Gears", "parent": "contractors", "attributes": {"contractor_id": {"value": 3, "locked": True}}},
]

ATTRIBUTES: list[dict[str, Any]] = [
    {"name": "areas", "label": "Areas", "type": "text", "multiple": True, "about": "Areas somebody looks after."},
    {"name": "contractor_id", "label": "Contractor number", "type": "integer"},
    {"name": "landholder_id", "label": "Landholder number", "type": "integer"},
    {"name": "clearance", "label": "Clearance", "type": "integer", "default": 1, "shown_to": "administrator"},
    {"name": "department", "label": "Department", "type": "text"},
    {"name": "survey_year", "label": "Survey year", "type": "integer"},
    {"name": "home_base", "label": "Home base", "type": "text", "editable_by": "person", "about": "Where somebody likes to work from."},
]

#: group → (label, logins, groups inside, attributes)
_AREA_GROUPS = {
    "fell-stewards": ("High Fells", ["j.ames", "n.thwaite", "b.raine"]),
    "eastmoor-stewards": ("Eastmoor", ["o.ling", "t.keld"]),
    "saltmarsh-stewards": ("Saltmarsh", ["f.reed", "g.marsh", "h.sike", "i.moss"]),
    "fen-stewards": ("Fen End", ["w.osier"]),
    "sound-stewards": ("Sound", ["k.skerry", "l.esk"]),
    "dale-stewards": ("Westdale", ["m.wath", "p.ford"]),
}

_PEOPLE: list[tuple[str, str, str, dict[str, Any]]] = [
    # login, name, organization, own attributes
    ("h.warden", "Hazel Warden", "whinfell", {"department": "data office", "clearance": 4}),
    ("q.lund", "Quill Lund", "whinfell", {"department": "data office", "clearance": 4}),
    ("v.birk", "Verity Birk", "whinfell", {"department": "board", "clearance": 4}),
    ("s.crag", "Selby Crag", "whinfell", {"department": "board", "clearance": 4}),
    ("u.heath", "Una Heath", "whinfell", {"department": "board", "clearance": 4}),
    ("d.carr", "Dilys Carr", "cairn", {"department": "board", "clearance": 4}),
    ("e.dunn", "Ewan Dunn", "saltmarsh", {"department": "board", "clearance": 4}),
    ("c.orme", "Cora Orme", "whinfell", {"department": "audit", "clearance": 3}),
    ("x.nab", "Wilf Nab", "whinfell", {"department": "audit", "clearance": 3}),
    ("t.holm", "Tam Holm", "whinfell", {"department": "treasury", "clearance": 3}),
    ("r.gill", "Rhona Gill", "whinfell", {"department": "treasury", "clearance": 3}),
    ("y.scar", "Yara Scar", "whinfell", {"department": "treasury", "clearance": 2}),
    ("m.ives", "Magnus Ives", "whinfell", {"department": "treasury", "clearance": 2}),
    ("n.grove", "Nia Grove", "whinfell", {"department": "payments", "clearance": 2, "areas": ["Saltmarsh"]}),
    ("t.garth", "Tegan Garth", "whinfell", {"department": "land liaison", "areas": ["Eastmoor"]}),
    ("j.ames", "Jo Ames", "cairn", {"areas": ["Eastmoor"], "department": "stewardship", "home_base": "High Fells"}),
    ("n.thwaite", "Nell Thwaite", "cairn", {"department": "stewardship", "home_base": "High Fells"}),
    ("b.raine", "Bram Raine", "cairn", {"department": "stewardship"}),
    ("o.ling", "Orla Ling", "eastmoor", {"department": "stewardship", "home_base": "Eastmoor"}),
    ("t.keld", "Thora Keld", "eastmoor", {"department": "stewardship"}),
    ("f.reed", "Finn Reed", "saltmarsh", {"department": "stewardship", "home_base": "Saltmarsh"}),
    ("g.marsh", "Greta Marsh", "saltmarsh", {"department": "stewardship"}),
    ("h.sike", "Huw Sike", "saltmarsh", {"department": "stewardship"}),
    ("i.moss", "Isla Moss", "saltmarsh", {"department": "stewardship"}),
    ("w.osier", "Wren Osier", "eastmoor", {"department": "stewardship"}),
    ("k.skerry", "Kit Skerry", "saltmarsh", {"department": "stewardship"}),
    ("l.esk", "Lorna Esk", "saltmarsh", {"department": "stewardship"}),
    ("m.wath", "Merle Wath", "cairn", {"department": "stewardship"}),
    ("p.ford", "Petra Ford", "cairn", {"department": "stewardship"}),
    ("a.knott", "Alder Knott", "whinfell", {"department": "operations"}),
    ("b.lyth", "Bryn Lyth", "whinfell", {"department": "operations"}),
    ("f.hurst", "Flora Hurst", "cairn", {"department": "operations"}),
    ("g.mire", "Gwil Mire", "saltmarsh", {"department": "operations"}),
    ("i.moss2", "Isla Moss", "eastmoor", {"department": "operations"}),
    ("n.pike", "Niall Pike", "eastmoor", {"department": "operations"}),
    ("r.oddie", "Ren Oddie", "fell-rotors", {}),
    ("i.beck", "Ines Beck", "fell-rotors", {}),
    ("o.dale", "Oswin Dale", "fell-rotors", {}),
    ("j.frith", "Juno Frith", "fell-rotors", {}),
    ("k.ash", "Kerr Ash", "tarn-electric", {}),
    ("l.jute", "Linden Jute", "tarn-electric", {"survey_year": 2023}),
    ("p.thorn", "Perrin Thorn", "tarn-electric", {}),
    ("s.brook", "Sorrel Brook", "north-gears", {}),
    ("v.ure", "Vance Ure", "north-gears", {}),
    ("z.ross", "Zeb Ross", "north-gears", {}),
    ("a.finn", "Ada Finn", "saltmarsh", {"department": "stewardship", "areas": ["Saltmarsh", "Fen End"]}),
    ("o.tway", "Olwen Tway", "whinfell", {"department": "land liaison"}),
    ("u.stell", "Ulric Stell", "whinfell", {"department": "visitors"}),
    ("y.quarrie", "Ysolde Quarrie", "whinfell", {"department": "visitors"}),
]

LANDHOLDERS = [
    "Alder Howe",
    "Cora Fell",
    "Dilys Rigg",
    "Ivo Tarn",
    "Hazel Moss",
    "Rowan Keld",
    "Flora Garth",
    "Bryn Lund",
    "Nell Carr",
    "Juno Sike",
    "Merle Holm",
]

_SERVICES = [("svc.meter", "Meter import"), ("svc.ledger", "Ledger sync"), ("svc.mail", "Report mailer"), ("svc.backup", "Nightly copy")]


def users() -> list[dict[str, Any]]:
    """The users, in login order."""
    people = [
        {"login": login, "name": name, "email": f"{login}@{_domain(organization)}", "organization": organization, "attributes": attributes}
        for login, name, organization, attributes in _PEOPLE
    ]
    people += [
        {"login": f"lh.{index:02d}", "name": name, "email": f"lh{index:02d}@land.example", "organization": "whinfell", "attributes": {"landholder_id": index}}
        for index, name in enumerate(LANDHOLDERS, 1)
    ]
    people += [{"login": login, "name": name, "organization": "whinfell", "kind": "service"} for login, name in _SERVICES]
    for person in people:
        if person["login"] == "a.finn":
            person["enabled"] = False
    return sorted(people, key=lambda person: str(person["login"]))


def _domain(organization: str) -> str:
    return f"{organization}.example"


def groups() -> list[dict[str, Any]]:
    """The groups, groups in groups included."""
    in_department = {
        department: [login for login, _, _, attributes in _PEOPLE if attributes.get("department") == department]
        for department in ("board", "audit", "treasury", "operations", "data office")
    }
    firms = {firm: [login for login, _, organization, _ in _PEOPLE if organization == firm] for firm in ("fell-rotors", "tarn-electric", "north-gears")}
    return [
        {"name": "board", "label": "Board", "users": in_department["board"]},
        {"name": "auditors", "label": "Auditors", "users": in_department["audit"]},
        {"name": "data-office", "label": "Data office", "users": in_department["data office"]},
        {"name": "payments", "label": "Payments", "users": ["n.grove", "t.garth"]},
        {"name": "treasury", "label": "Treasury", "users": in_department["treasury"], "groups": ["payments"]},
        *({"name": name, "label": f"{area} stewards", "users": logins, "attributes": {"areas": [area]}} for name, (area, logins) in _AREA_GROUPS.items()),
        {"name": "stewards", "label": "Area stewards", "users": ["a.finn"], "groups": list(_AREA_GROUPS)},
        {"name": "operations-desk", "label": "Operations desk", "users": in_department["operations"]},
        *({"name": f"{firm}-crew", "label": f"{firm.replace('-', ' ').title()} crew", "users": logins} for firm, logins in firms.items()),
        {"name": "contractors", "label": "Contractors", "groups": [f"{firm}-crew" for firm in firms]},
        {"name": "landholders", "label": "Landholders", "users": [f"lh.{index:02d}" for index in range(1, len(LANDHOLDERS) + 1)]},
    ]


#: What the sign-in page lists in demo mode: login and what that person should see.
DUTIES: list[dict[str, Any]] = [
    {
        "user": "q.lund",
        "acts": ["look-shapes", "look-values", "roles", "map", "pages", "checks", "release", "trail"],
        "within": "everything",
        "reason": "security administrator",
    },
    {
        "user": "f.hurst",
        "acts": ["people", "map"],
        "within": {
            "people": {"organizations": ["cairn"], "groups": ["fell-stewards", "dale-stewards"]},
            "roles": ["area-steward"],
            "attributes": ["areas", "department", "home_base"],
        },
        "reason": "people desk of Cairn Holding",
    },
    {"user": "o.tway", "acts": ["models", "sources", "pages"], "within": "everything", "reason": "model keeper"},
    {"group": "auditors", "acts": ["look-shapes", "checks", "trail"], "within": "everything", "reason": "auditors look without values"},
    {
        "user": "svc.mail",
        "acts": ["stand-in"],
        "within": {"people": {"organizations": ["contractors"]}},
        "reason": "asks for contractors, to mail them their week",
    },
    {"user": "n.pike", "acts": ["look-shapes", "links"], "within": "everything", "reason": "helpdesk", "until": "2027-12-31"},
]

SIGN_INS: list[tuple[str, str]] = [
    ("h.warden", "Keeper of the workspace: may do everything."),
    ("q.lund", "Security administrator: writes and maps roles, looks as anybody, releases."),
    ("f.hurst", "People desk of Cairn Holding: keeps its people and makes them stewards; knows nobody else."),
    ("o.tway", "Model keeper: brings data in, keeps models and pages; sees no value that her own roles do not show."),
    ("c.orme", "Auditor: sees who reaches what, in counts and verdicts without a value; and everything on her own pages."),
    ("n.pike", "Helpdesk: why somebody can or cannot, without a value; links for a new password."),
    ("j.ames", "Area steward of High Fells and Eastmoor: output and jobs of the open sites there, nothing about grid orders."),
    ("r.oddie", "Contractor, Fell Rotors: the jobs of his own firm, without costs."),
    ("t.holm", "Treasury: costs, compensation and lease payments everywhere, personal details masked."),
    ("v.birk", "Board: everything."),
    ("lh.03", "Landholder: the payments for her own parcel."),
    ("a.knott", "Operations desk: no role yet, so nothing at all."),
]
