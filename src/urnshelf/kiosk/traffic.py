"""Recorded traffic, as HAR 1.2 has it: routes, and the replies to the very requests of the file.

Source: HTTP Archive (HAR) format 1.2.
"""

from __future__ import annotations

import base64
import binascii
import re
from collections import Counter
from collections.abc import Iterator
from http import HTTPStatus
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import urlencode, urlsplit

from urnshelf.files.documents import Document, parsed
from urnshelf.kept_file import Reply
from urnshelf.kiosk.headers import header_pairs
from urnshelf.kiosk.kept import request_data, request_line, response_data
from urnshelf.kiosk.masked import masked_request, masked_response
from urnshelf.kiosk.openapi.part import Part
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Response
from urnshelf.masking.masks import MASK, Masks
from urnshelf.records.display import show

_ID = re.compile(
    r"-?[0-9]+"
    r"|[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}"
    r"|(?=[^/]*[0-9])[0-9a-fA-F]{8,}"
    r"|(?=[^/]*[0-9])[A-Za-z]+[-_][0-9A-Za-z_-]*[0-9][0-9A-Za-z]*"
    r"|(?=[^/]*[0-9])[0-9A-Za-z]{20,}"
)
"""What is a key, and no name of a resource: whole numbers, UUIDs, long codes, `B-7`."""
_LONGEST_KEY = 1000
_ABSENT = object()


class Exchange(NamedTuple):
    """A request, and what was replied."""

    request: Request
    response: Response


class Traffic:
    """What a file of recorded traffic has.

    Args:
        path: of the file.
        masks: what is not to be read, and is replaced.

    Raises:
        FileRefused: no HAR, with file and pointer, or one that has two answers to the same request.
    """

    def __init__(self, path: Path, masks: Masks) -> None:
        self.name = path.name
        data = parsed(path)
        self._log = Part(Document({}, path.name, {}), data, "#")
        self._masks = masks
        self._left_out: Counter[str] = Counter()
        whole = list(self._read())
        self._refuse_two_hosts(whole)
        self.exchanges = [
            Exchange(masked_request(one.request, masks), masked_response(one.response, masks))
            for one in whole
        ]

    @property
    def notes(self) -> list[str]:
        """What was left out, and what was masked."""
        told = [f"{self.name}: {why}: {n} left out" for why, n in self._left_out.items()]
        return [*told, *(f"{self.name}: {one}" for one in self._masks.notes())]

    @property
    def replies(self) -> list[Reply]:
        """The replies, as the file of kept replies has them."""
        return [
            Reply(
                request_line(one.request),
                request_data(one.request),
                {"reply": response_data(one.response, as_sent=True)},
            )
            for one in self.exchanges
        ]

    def routes(self) -> list[tuple[str, str]]:
        """Methods and paths, those that differ in a key only as one with a parameter for it."""
        groups: dict[tuple[str, tuple[Any, ...]], list[list[str]]] = {}
        for one in self.exchanges:
            parts = one.request.raw_path.split("/")[1:]
            shape = tuple(_ABSENT if _is_key(part) else part for part in parts)
            groups.setdefault((one.request.method, shape), []).append(parts)
        return [(method, _template(shape, paths)) for (method, shape), paths in groups.items()]

    # --- reading ----------------------------------------------------------------------------------

    def _read(self) -> Iterator[Exchange]:
        log = self._log.whole().of("log").whole()
        version = log.text("version", "1.2")
        if version not in ("1.1", "1.2"):
            raise log.of("version").refused(f"1.2 is read, not {show(version, 20)}")
        if not log.of("entries").is_there:
            raise log.refused("it has no entries")
        for entry in log.items("entries"):
            request, response = entry.whole().of("request").whole(), entry.of("response").whole()
            why = _not_served(request, response)
            if why:
                self._left_out[why] += 1
            else:
                yield Exchange(_request(request), _response(response))

    def _refuse_two_hosts(self, exchanges: list[Exchange]) -> None:
        hosts: dict[tuple[str, str], str] = {}
        for one in exchanges:
            place = (request_line(one.request), str(request_data(one.request)))
            first = hosts.setdefault(place, one.request.host)
            if first != one.request.host:
                raise self._log.refused(
                    f"{one.request.line} was asked of {first} and of {one.request.host}, and a "
                    "kiosk is one of them: keep one host's entries in the file"
                )


def _is_key(part: str) -> bool:
    """Whether a part of a path is a key, or was masked: a parameter of the route."""
    return MASK in part or (len(part) < _LONGEST_KEY and _ID.fullmatch(part) is not None)


def _not_served(request: Part, response: Part) -> str:
    """Why an entry is not served; empty where it is."""
    url = request.text("url")
    if not url.startswith(("http://", "https://")):
        return "requests without a network (data:, blob:, websockets)"
    status = response.data.get("status")
    if isinstance(status, bool) or not isinstance(status, int):
        raise response.of("status").refused(f"a whole number is wanted, not {show(status, 40)}")
    if status < 200:
        return "requests without a reply" if status != 101 else "websockets"
    if status > 599:
        raise response.of("status").refused(f"200 to 599 is wanted, not {status}")
    if request.text("method").upper() not in (
        "GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"
    ):  # fmt: skip
        return f"requests by {request.text('method')}"
    is_bare = request.text("method").upper() == "HEAD" or status in (204, 205, 304)
    if not is_bare and _body_is_lost(response):
        return "replies whose body was not recorded"
    return ""


def _body_is_lost(response: Part) -> bool:
    """Whether there was a body, and the file has none."""
    content = response.of("content")
    data = content.whole().data if content.is_there else {}
    if data.get("text"):
        return False
    headers = {name.lower(): value for name, value in _pairs(response, "headers")}
    sizes = (data.get("size"), response.data.get("bodySize"), headers.get("content-length"))
    return any(str(one).isdigit() and int(one) > 0 for one in sizes if one is not None)


def _pairs(part: Part, name: str) -> list[tuple[str, str]]:
    return [(one.whole().text("name"), one.text("value", "")) for one in part.items(name)]


def _request(part: Part) -> Request:
    url = part.text("url").partition("#")[0]
    if not urlsplit(url).netloc:
        raise part.of("url").refused(f"an address with a host is wanted, not {show(url, 60)}")
    headers = [(name, value) for name, value in _pairs(part, "headers") if name[:1] != ":"]
    posted = part.of("postData")
    body = b""
    if posted.is_there:
        text = posted.whole().text("text", "")
        mime = posted.text("mimeType", "")
        if not text and posted.of("params").is_there and "urlencoded" in mime:
            text = urlencode(_pairs(posted, "params"))
        body = text.encode("utf-8", "surrogateescape")
        if mime and not any(name.lower() == "content-type" for name, _ in headers):
            headers.append(("Content-Type", mime))
    return Request(part.text("method"), url, headers, body)


def _response(part: Part) -> Response:
    status = part.data["status"]
    content = part.of("content")
    body = b""
    headers = [(name, value) for name, value in _pairs(part, "headers") if name[:1] != ":"]
    mime = content.text("mimeType", "") if content.is_there else ""
    if content.is_there and isinstance(content.data.get("text"), str):
        kinds = [value for name, value in headers if name.lower() == "content-type"]
        body = _body(content, [*kinds, mime][0])
    if body and mime and not any(name.lower() == "content-type" for name, _ in headers):
        headers.append(("Content-Type", mime))
    if status in (204, 205, 304):
        body = b""
    # some join several values of a header by line ends
    apart = [
        (name, one.replace(MASK, "masked")) for name, value in headers for one in value.split("\n")
    ]
    try:
        return Response(status, header_pairs(apart), (body,) if body else ())
    except Exception as why:
        raise part.of("headers").refused(str(why)) from None


def _body(content: Part, kind: str) -> bytes:
    text = content.text("text")
    encoding = content.text("encoding", "")
    if encoding == "base64":
        try:
            return base64.b64decode(text, validate=True)
        except (binascii.Error, ValueError) as why:
            raise content.of("text").refused(f"it is no base64: {why}") from None
    if encoding:
        raise content.of("encoding").refused(f"base64 is read, not {show(encoding, 20)}")
    # the file has the text decoded; the header says how it was sent
    named = re.search(r"charset=[\"']?([\w.:-]+)", kind)
    try:
        return text.encode(named[1] if named else "utf-8", "surrogateescape")
    except (LookupError, UnicodeEncodeError):
        return text.encode("utf-8", "surrogateescape")


# --- paths ----------------------------------------------------------------------------------------


def _template(shape: tuple[Any, ...], paths: list[list[str]]) -> str:
    """A path with parameters where the recorded ones have keys."""
    found: list[str] = []
    names: set[str] = set()
    before = ""
    for number, part in enumerate(shape):
        if part is not _ABSENT:
            found.append(part.replace("{", "%7B").replace("}", "%7D"))
            before = part
            continue
        name = plain = _name(before)
        while name in names:
            name = f"{plain}_{len(names) + 1}"
        names.add(name)
        is_number = all(re.fullmatch(r"-?[0-9]{1,18}", path[number]) for path in paths)
        # a zero at the front belongs to the key
        is_number = is_number and all(str(int(p[number])) == p[number] for p in paths)
        found.append(f"{{{name}:int}}" if is_number else f"{{{name}}}")
        before = ""
    return "/" + "/".join(found)


def _name(resource: str) -> str:
    """The name of a parameter: `berth_id` after `berths`."""
    word = re.sub(r"\W", "_", resource).strip("_").lower()
    if word.endswith("ies"):
        word = f"{word[:-3]}y"
    elif word.endswith("s") and not word.endswith("ss"):
        word = word[:-1]
    return f"{word}_id" if word and f"{word}_id".isidentifier() else "id"


def phrase(status: int) -> str:
    """What a status is called; empty where nobody named it."""
    try:
        return HTTPStatus(status).phrase
    except ValueError:
        return ""
