"""Names of the demo: areas, districts, sites, contractors and people. All invented."""

#: area → districts, each with its sites.
AREAS: dict[str, dict[str, list[str]]] = {
    "High Fells": {
        "Upper Rigg": ["Grey Rigg", "Whin Howe", "Long Tarn", "Raven Seat"],
        "Lower Rigg": ["Calf Cove", "Hollin Bank", "Sour Nook"],
        "Tarnside": ["Blea Pike", "Tarn Head", "Cold Keld"],
    },
    "Eastmoor": {
        "Heatherlea": ["Mossfoot", "Cairn Side", "Ling Cross"],
        "Stonebeck": ["Beck Stones", "Peat Lane", "Curlew Top"],
        "Ridings": ["East Ridings", "Lapwing", "Old Drove"],
    },
    "Saltmarsh": {
        "Estuary": ["Salt Hythe", "Reed End", "Samphire", "Tide Mill"],
        "Spit": ["Long Spit", "Gull Bank", "Marram"],
        "Creeks": ["Nine Creeks", "Eel Pye", "Oyster Hard"],
    },
    "Fen End": {
        "Washes": ["North Wash", "South Wash", "Sluice Gate"],
        "Droves": ["Middle Drove", "Black Drove", "Osier Holt"],
    },
    "Sound": {
        "Narrows": ["Kyle Race", "Stack Sound", "Seal Skerry", "Otter Point"],
        "Islands": ["Inner Holm", "Outer Holm", "Puffin Stack"],
        "Mull": ["Mull Race", "Kelp Bay"],
    },
    "Westdale": {
        "Dalehead": ["Dale Head", "Fold Yard"],
        "Dalefoot": ["Ford Bottom", "Wath"],
    },
}

#: Opened last month; no role lists them yet.
NEW_SITES = ("Kelp Bay", "Wath")
#: No longer worked.
CLOSED_SITES = ("Long Tarn", "Gull Bank", "Black Drove")

CONTRACTORS = ("Fell Rotors", "Tarn Electric", "North Gears")

FIRST_NAMES = ["Jo", "Ren", "Ada", "Isla", "Bram", "Nell", "Tam", "Orla", "Finn", "Greta", "Huw", "Ines", "Kit", "Lorna", "Magnus", "Nia", "Oswin", "Petra", "Quill", "Rhona", "Sorrel", "Tegan", "Una", "Vance", "Wren", "Yara", "Zeb", "Alder", "Bryn", "Cora", "Dilys", "Ewan", "Flora", "Gwil", "Hazel", "Ivo", "Juno", "Kerr", "Linden", "Merle", "Niall", "Olwen", "Perrin", "Rowan", "Selby", "Thora", "Ulric", "Verity", "Wilf", "Ysolde"]
LAST_NAMES = ["Ames", "Oddie", "Finn", "Thwaite", "Garth", "Beck", "Holm", "Raine", "Tarn", "Skerry", "Moss", "Lund", "Keld", "Rigg", "Howe", "Fell", "Carr", "Dale", "Ling", "Sike", "Wath", "Gill", "Scar", "Crag", "Heath", "Marsh", "Reed", "Brook", "Thorn", "Ash", "Birk", "Cairn", "Dunn", "Esk", "Frith", "Grove", "Hurst", "Ives", "Jute", "Knott", "Lyth", "Mire", "Nab", "Orme", "Pike", "Quarrie", "Ross", "Stell", "Tway", "Ure"]

FAULTS = ("blade", "gearbox", "electrical", "yaw", "hydraulic", "safety", "tide gate", "survey")
TURBINE_TYPES = (("Moorhen 80", 80), ("Curlew 150", 150), ("Heron 300", 300), ("Skua T120", 120))
