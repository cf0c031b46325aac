"""Clients of HTTP among a service's dependencies: each gets a kiosk's transport, and what the kiosk
replies is arranged like the replies of a fake.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from enum import Enum
from itertools import count
from typing import TYPE_CHECKING, Annotated, Any, NotRequired, TypedDict
from urllib.parse import unquote
from uuid import UUID

from urnshelf.drafting.arrangement import Asked, Lacking
from urnshelf.drafting.values import ByShelf, Leaf, Raised
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Response, response
from urnshelf.kiosk.route import RouteTarget
from urnshelf.kiosks import Kiosk
from urnshelf.types.limits import Limits
from urnshelf.types.nodes import Node, node_of

if TYPE_CHECKING:
    from urnshelf.shelf import Shelf

ROUTE = "route"
"""The kind of what is asked of a kiosk; its replies are mappings as `Replied` has them."""
_BY_MOUNTING = ("requests.sessions", "Session")
_CLIENTS = (("httpx", "Client"), ("httpx", "AsyncClient"), _BY_MOUNTING)
_LOOKING = ("GET", "HEAD", "OPTIONS")
_STATUSES = (404, 503, 400, 201, 204)
_BROKEN = (ConnectionRefusedError, TimeoutError)


class Replied(TypedDict):
    """A reply of a kiosk, as an arrangement holds it."""

    status: Annotated[int, Limits(ge=200, le=599)]
    json: NotRequired[Any]
    """A text is sent as it is."""


@dataclass(frozen=True, eq=False)
class Client(ByShelf):
    """A client whose requests come to a kiosk.

    Args:
        form: its class.
        kiosk: the kiosk's name.
    """

    form: Any
    kiosk: str

    def __repr__(self) -> str:
        return f"Client({self.form.__qualname__}, {self.kiosk!r})"

    @property
    def is_mounted(self) -> bool:
        """Whether the kiosk is mounted on it, and not handed to it."""
        return _known_as(self.form) == _BY_MOUNTING

    @property
    def base_url(self) -> str:
        """Where it sends what has no host."""
        return f"http://{self.kiosk}.example"

    def made(self, shelf: Shelf) -> Any:
        """The client; a request that no route takes ends the run."""
        kiosk = shelf.kiosk(self.kiosk)
        kiosk._behind = self._lacking
        if not self.is_mounted:
            return self.form(transport=kiosk.for_httpx(), base_url=self.base_url)
        client = self.form()
        for scheme in ("http://", "https://"):
            client.mount(scheme, kiosk.for_requests())
        return client

    def _lacking(self, request: Request) -> Response:
        asked = Asked(Kiosk, self.kiosk, f"{request.method} {_as_route(request.raw_path)}", ROUTE)
        raise Lacking(asked, None)


def client_for(node: Node, parameter: str) -> Client | None:
    """The client that a parameter is given; None where it takes none.

    Args:
        node: its type.
        parameter: its name, which may tell whose client it is.
    """
    form = node.bare
    if _known_as(form) not in _CLIENTS:
        return None
    words = [one for one in parameter.strip("_").split("_") if one not in _PLAIN_WORDS]
    return Client(form, "_".join(words) or "remote")


_PLAIN_WORDS = frozenset("aclient async client http httpx requests session web".split())


def is_an_address(parameter: str) -> bool:
    """Whether a parameter is where a client sends its requests, by its name."""
    words = set(parameter.lower().strip("_").split("_"))
    return not words.isdisjoint({"url", "base", "endpoint", "address"})


def _known_as(form: Any) -> tuple[str, str]:
    return str(getattr(form, "__module__", "")), str(getattr(form, "__qualname__", ""))


# --- routes ---------------------------------------------------------------------------------------


def _as_route(raw_path: str) -> str:
    """A path as a route has it; what it cannot hold is a parameter."""
    parts = [unquote(one) for one in raw_path.split("/")]
    shown = [one if _is_fixed(one) else f"{{part_{n}}}" for n, one in enumerate(parts)]
    return "/".join(shown)


def _is_fixed(part: str) -> bool:
    return re.search(r"[{}?#/%\\\"\n]", part) is None


def named_route(asked: Asked, leaves: list[Leaf], mined: list[Any]) -> Asked:
    """The route of a request, in which values of the arrangement are parameters.

    Args:
        asked: with the path as it came.
        leaves: the values of the arrangement.
        mined: constants of the code, whose words are no parameters.
    """
    method, _, path = asked.method.partition(" ")
    fixed = {word for one in mined if isinstance(one, str) for word in one.split("/")}
    named: list[str] = []
    for part in path.split("/"):
        name = "" if part in fixed or "{" in part else _parameter(part, leaves)
        is_new = bool(name) and all(f"{{{name.partition(':')[0]}" not in one for one in named)
        named.append(f"{{{name}}}" if is_new else part)
    return asked._replace(method=f"{method} {'/'.join(named)}")


def _parameter(part: str, leaves: list[Leaf]) -> str:
    """The parameter that stands for a value, with its kind; empty where it is of none."""
    for leaf in leaves:
        value = leaf.value.value if isinstance(leaf.value, Enum) else leaf.value
        name = str(next((one for one in reversed(leaf.path) if isinstance(one, str)), ""))
        name = name.rpartition("__")[2].strip("_")
        is_one = isinstance(value, (str, int, UUID)) and not isinstance(value, bool)
        if is_one and part and str(value) == part and name.isidentifier() and name != "request":
            kind = {int: ":int", UUID: ":uuid"}.get(type(value), "")
            return f"{name}{kind}"
    return ""


def route_names(method: str, path: str) -> Iterator[str]:
    """How a test may call a route: by the end of its path, and with its method.

    >>> from itertools import islice
    >>> list(islice(route_names("PUT", "/lights/{code}"), 3))
    ['lights_by_code', 'put_lights_by_code', 'put_lights_by_code_2']
    """
    parts = [one for one in path.split("/") if one]
    fixed = [one for one in parts if "{" not in one]
    words = re.findall(r"[a-z0-9]+", fixed[-1].lower()) if fixed else []
    if parts and "{" in parts[-1]:
        words += ["by", parts[-1].strip("{}").partition(":")[0]]
    name = "_".join(words) or "root"
    if not name[0].isdigit():
        yield name
    named = f"{method.lower()}_{name}"
    yield named
    yield from (f"{named}_{number}" for number in count(2))


def asked_of_route(target: RouteTarget) -> Asked:
    """What is asked of a kiosk, by its target."""
    return Asked(Kiosk, target.state.label, target.member.name, ROUTE)


def is_a_look(asked: Asked) -> bool:
    """Whether a request only looks something up."""
    return asked.method.partition(" ")[0] in _LOOKING


def parts_of(request: Request) -> Iterator[tuple[str, Any]]:
    """What a request says, part by part, as `asked_with` takes it."""
    if request.query:
        yield "query", dict(request.query)
    kind = request.headers.get("content-type", "")
    if "json" in kind:
        yield "json", request.json
    elif "x-www-form-urlencoded" in kind:
        yield "form", dict(request.form)
    elif request.body and "multipart" not in kind:
        yield "body", request.body


# --- replies --------------------------------------------------------------------------------------


REPLY_NODE = node_of(Replied)


def usual_replied() -> dict[str, Any]:
    """What a route replies at first."""
    return {"status": 200, "json": {}}


def other_replies(last: Any) -> Iterator[Any]:
    """What a route may reply instead: other statuses, and connections that break."""
    rest = last if isinstance(last, dict) else usual_replied()
    for status in _STATUSES:
        is_empty = status >= 400 or status == 204
        yield {"status": status} if is_empty else {**rest, "status": status}
    for kind in _BROKEN:
        yield Raised(kind)


def smaller_replies(values: tuple[Any, ...]) -> Iterator[tuple[Any, ...]]:
    """The same replies with less in one of them."""
    for number, one in enumerate(values):
        if not isinstance(one, dict):
            continue
        less = [{"status": one["status"]}]
        less += [{**one, "json": one_less} for one_less in _less(one.get("json"))]
        for each in less:
            if each != one:
                yield (*values[:number], each, *values[number + 1 :])


def _less(value: Any) -> Iterator[Any]:
    if isinstance(value, dict):
        for name, one in value.items():
            yield {other: v for other, v in value.items() if other != name}
            for smaller in _less(one):
                yield {**value, name: smaller}
    elif isinstance(value, list):
        for number, one in enumerate(value):
            yield [v for n, v in enumerate(value) if n != number]
            for smaller in _less(one):
                yield [*value[:number], smaller, *value[number + 1 :]]


def is_of_a_reply(error: BaseException) -> bool:
    """Whether a client raised an exception for what it was replied, or for a broken connection: a
    body that is no JSON is the code's own affair.
    """
    kinds = {_known_as(kind) for kind in type(error).__mro__}
    is_of_requests = ("requests.exceptions", "RequestException") in kinds
    is_told = is_of_requests and not isinstance(error, ValueError)
    return is_told or ("httpx", "HTTPError") in kinds


def as_response(value: Any) -> Any:
    """What a route's cue is given, for what an arrangement holds."""
    return response(**told_of(value)) if isinstance(value, dict) else value


def told_of(reply: Mapping[str, Any]) -> dict[str, Any]:
    """What `response` is given for a reply."""
    is_text = isinstance(reply.get("json"), str)
    return {"text" if is_text and name == "json" else name: v for name, v in reply.items()}
