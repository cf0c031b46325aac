"""Remote services over HTTP: `from urnshelf.kiosk import response`."""

from urnshelf.kiosk.request import Request, Upload
from urnshelf.kiosk.response import Response, pause, response
from urnshelf.kiosk.route import RequestCue, Route

__all__ = ["Request", "RequestCue", "Response", "Route", "Upload", "pause", "response"]
