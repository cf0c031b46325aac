"""Invented words for names; none of them is a person, a firm or a place."""

ADJECTIVES = tuple(
    """Amber Brisk Calm Copper Distant Eager Early Fair Gentle Golden Gray Green Hollow Ivory Keen Late Light Little
    Long Mellow Misty Noble Northern Olive Pale Patient Quiet Red Salt Silent Silver Slow Southern Steady Swift Tall
    Tidal White Wild Winter""".split()
)

NOUNS = tuple(
    """Anchor Beacon Bell Breaker Buoy Cormorant Current Curlew Drift Dunlin Eider Ember Feather Gale Gannet Gull
    Harbour Heron Keel Lantern Ledge Loon Mast Meadow Merlin Oar Otter Petrel Plover Reef Rudder Sail Seal Shoal Spar
    Squall Swell Tern Tide Wake""".split()
)

SYLLABLES = tuple("ar bel cor den el fal gar hol in jor kel lun mar nor ol pel ran sol tor ul ven wil yar zel".split())
