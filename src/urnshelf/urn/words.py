"""Invented words: for people, places, firms and texts. Each was looked up in lists of given names,
family names, towns and words, and is in none of them.
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

GIVEN = tuple(
    """Abelor Ardovane Beluvane Corvane Delmovar Eldovar Falorin Garvune Halune Ilvane Jorvune
    Kelmovar Lunovel Marvane Norvelune Olvanor Pelune Quorin Ranvelor Solvane Torvelune Ulvane
    Velmorane Wilune Yarelle Zelvane Belquane Coruvane Denovune Elvarin Farune Holvane""".split()
)

FAMILY = tuple(
    """Aldergull Buoywether Breakerholt Coldheron Curlewsund Driftholm Eiderbeck Fairspar
    Galeholt Gannetby Gullspurr Herringway Highreef Keelmoor Lanternby Longshoal Mastwell
    Merlinford Oarsund Otterquay Palebuoy Petrelby Plovermoor Rudderwick Saltbeck Sealholm
    Sparwater Squallby Swellmoor Ternwick Tidequill Wakeholt""".split()
)

TOWNS = tuple(
    """Ternhythe Curlhythe Gullkeld Oarhythe Keelhythe Petrelhythe Buoyhaven Sparkeld
    Eiderhythe Dunlinport Squallhaven Reefstow Wakestow Tidestow Mastkeld Ploverstow
    Gannethythe Loonkeld Shoalkeld Rudderkeld Lanternhythe Emberkeld Gullstow Swellhythe
    Otterkeld Merlinstow Cormorhythe Breakerkeld Anchorkeld Sealhythe Driftkeld Ledgehythe
    Beaconstow Featherhythe Tidekeld Wakekeld Maststow Sparhythe Reefkeld Oarkeld Keelstow
    Petrelkeld Buoykeld Squallkeld Dunlinkeld Curlewkeld Ploverkeld Rudderstow Shoalstow
    Gannetkeld Eiderkeld Ternkeld Loonhythe Lanternkeld Sailkeld Currenthaven Breakerstow
    Otterhythe Swellkeld Anchorhythe""".split()
)

STREETS = tuple(
    """Anchorwake Lane|Beaconshoal Row|Bellgannet Quay|Buoyledge Row|Curlspar Road|
    Eiderwake Walk|Gannetkeel Street|Heronspar Quay|Keelember Lane|Lanternreef Street|
    Mastfeather Row|Otterbuoy Road|Petrelmast Walk|Reefbeacon Street|Rudderloon Lane|
    Sailplover Quay|Shoalember Row|Sparcurlew Road|Ternledge Walk|
    Tidefeather Street""".replace("\n    ", "").split("|")
)

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
COUNTRIES = (
    ("DK", "Denmark"),
    ("EE", "Estonia"),
    ("FI", "Finland"),
    ("FR", "France"),
    ("IE", "Ireland"),
    ("IS", "Iceland"),
    ("LT", "Lithuania"),
    ("LV", "Latvia"),
    ("NL", "Netherlands"),
    ("NO", "Norway"),
    ("PT", "Portugal"),
    ("SE", "Sweden"),
)
CURRENCIES = ("DKK", "EUR", "GBP", "ISK", "NOK", "SEK", "USD")
LANGUAGES = ("da", "en", "et", "fi", "fr", "is", "nb", "nl", "pt", "sv")
ZONES = (
    "UTC",
    "Europe/Copenhagen",
    "Europe/Lisbon",
    "Europe/Oslo",
    "Europe/Stockholm",
    "Atlantic/Reykjavik",
)
STATUSES = ("new", "open", "waiting", "done", "closed")
MEDIA = ("application/json", "application/pdf", "image/png", "text/csv", "text/plain")
SENTENCES = (
    "The {a} {n} was seen off {p} before noon",
    "No {n} at {p} since the {a} gale",
    "A {a} {n} lies at the quay of {p}",
    "Ask the lamp keeper of {p} about the {a} {n}",
    "The {n} needs {a} paint, says {p}",
)
