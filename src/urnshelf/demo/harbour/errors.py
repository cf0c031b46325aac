"""What can go wrong in a harbour office."""


class HarbourError(Exception):
    """Anything the harbour office refuses or cannot do."""


class VesselUnknown(HarbourError):
    """No vessel is registered under that number."""


class BerthUnknown(HarbourError):
    """No berth has that number."""


class MooringUnknown(HarbourError):
    """No mooring is registered under that number."""


class NoBerthFits(HarbourError):
    """No free berth is long and deep enough."""


class GaugeSilent(HarbourError):
    """The tide gauge did not answer this time; asking again may help."""


class TideUnknown(HarbourError):
    """The tide gauge stayed silent."""
