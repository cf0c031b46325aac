"""Invented words: for people, places, firms and texts. None of them is a person, a firm or a
place.
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
    """ar bel cor den el fal gar hol in jor kel lun mar nor ol pel ran sol tor ul ven wil yar
    zel""".split()
)

GIVEN = tuple(
    """Abelor Ardis Belun Corvane Delmara Eldis Falorin Garvel Halune Ilvane Jorvin Kelmar Lunelle
    Marvane Norelle Olvin Pelune Quorin Ranelle Solvane Torune Ulvane Velmar Wilune Yarelle Zelvane
    Belvane Coreline Denune Elvarin Farune Holvane""".split()
)

FAMILY = tuple(
    """Aldergull Bellweir Brackwater Coldheron Curlewsund Driftholm Eiderbeck Fairspar Galeholt
    Gannetby Greyledge Herringway Highreef Keelmoor Lanternby Longshoal Mastwell Merlinford Oarsund
    Otterholt Palebuoy Petrelby Plovermoor Rudderwick Saltbeck Sealholm Sparwater Squallby Swellmoor
    Ternwick Tidewell Wakeholt""".split()
)

PLACES = tuple(
    """Skarvik Norrvik Ostvik Vestvik Granholm Lunsund Marhavn Torholm Belvik Corsund Denhavn Elvik
    Falholm Garsund Holhavn Jorvik-on-Lun Kelholm Olsund Pelhavn Ransund""".split()
)

STREETS = tuple(
    """Anchor Lane|Beacon Street|Bell Quay|Buoy Row|Curlew Road|Eider Walk|Gannet Street|Heron
    Quay|Keel Lane|Lantern Street|Mast Row|Otter Road|Petrel Walk|Reef Street|Rudder Lane|Sail
    Quay|Shoal Row|Spar Road|Tern Walk|Tide Street""".replace("\n    ", " ").split("|")
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
