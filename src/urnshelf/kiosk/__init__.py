"""Remote services over HTTP: `from urnshelf.kiosk import response`."""

from urnshelf.kiosk.filling import from_document, from_record, from_template
from urnshelf.kiosk.request import Request, Upload
from urnshelf.kiosk.response import Response, pause, response, undocumented
from urnshelf.kiosk.route import RequestCue, Route

__all__ = [
    "Request",
    "RequestCue",
    "Response",
    "Route",
    "Upload",
    "from_document",
    "from_record",
    "from_template",
    "pause",
    "response",
    "undocumented",
]
