"""Words for names of things, firms and texts; the syllables were looked up in lists of given names,
family names, towns and words: no two or three of them together are in any.
"""

ADJECTIVES = tuple(
    """Amber Brisk Calm Copper Distant Eager Early Fair Gentle Golden Gray Green Hollow Ivory Keen
    Late Light Little Long Mellow Misty Noble Northern Olive Pale Patient Quiet Red Salt Silent
    Silver Slow Southern Steady Swift Tall Tidal White Wild Winter""".split()
)

NOUNS = tuple(
    """Anchor Beacon Bell Breaker Buoy Cormorant Current Curlew Drift Dunlin Eider Ember Feather
    Gale Gannet Gull Harbour Heron Keel Lantern Ledge Loon Mast Meadow Merlin Oar Otter Petrel
    Plover Reef Rudder Sail Seal Shoal Spar Squall Swell Tern Tide Wake""".split()
)

SYLLABLES = tuple(
    """yarm wiv borv breld skild sterm zov kilm mav goft drelm draln zol wev lurv plift puln
    trev grelt lurn trov flern flund yind""".split()
)
"""Chosen so that no two or three of them together are a word, a known name or a town."""

FIRM_ENDINGS = ("Shipping", "Chandlery", "Pilotage", "Cartage", "Stores", "Works")

JOBS = tuple(
    """berth planner|boat builder|chart keeper|crane driver|deckhand|dock clerk|gauge reader|
    harbour master|lamp keeper|lock keeper|net maker|pilot|quay foreman|rigger|rope maker|
    sail maker|tally clerk|tug skipper|watch keeper|yard manager""".replace("\n    ", "").split("|")
)

DEPARTMENTS = (
    "Berths",
    "Dues",
    "Gauges",
    "Lamps",
    "Pilotage",
    "Quays",
    "Records",
    "Stores",
    "Works",
)
COLOURS = """amber black blue brown copper gold green grey ivory olive orange red silver white
    yellow""".split()
WARDS = ("Ember", "Feather", "Heron", "Lantern", "Meadow", "Otter", "Reef", "Tern")
STATUSES = ("new", "open", "waiting", "done", "closed")
MEDIA = ("application/json", "application/pdf", "image/png", "text/csv", "text/plain")
SENTENCES = (
    "The {a} {n} was seen off {p} before noon",
    "No {n} at {p} since the {a} gale",
    "One {a} {n} lies at the quay of {p}",
    "Ask the lamp keeper of {p} about the {a} {n}",
    "The {n} needs {a} paint, says {p}",
)
