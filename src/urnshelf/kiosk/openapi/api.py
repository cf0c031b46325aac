"""A whole OpenAPI document, 3.0 or 3.1: its operations by method and path.

Source: OpenAPI Specification 3.0.4 and 3.1.1.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from urnshelf.caches import remembered
from urnshelf.errors import CueRefused, FileRefused
from urnshelf.files.documents import METHODS, Document, read_document
from urnshelf.kiosk.openapi.contract import Contract
from urnshelf.kiosk.openapi.operation import Operation, examples_of
from urnshelf.kiosk.openapi.part import Part
from urnshelf.kiosk.openapi.serialised import Parameter, Reader
from urnshelf.kiosk.path_template import Base, PathTemplate
from urnshelf.records.display import show
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.schemas.checking import Checker
from urnshelf.urn.schemas.circles import Circles
from urnshelf.urn.schemas.drawing_schemas import Schemas
from urnshelf.urn.schemas.faults import faults
from urnshelf.urn.schemas.references import References
from urnshelf.urn.schemas.shapes import Shapes


class Api:
    """What a document says of a service.

    Args:
        path: of the document's file.

    Raises:
        FileRefused: it cannot be read, is no OpenAPI 3.0 or 3.1, or says what it must not; with
            file and pointer.
    """

    def __init__(self, path: Path) -> None:
        self.document: Document = read_document(path)
        self.name = self.document.name
        self.left_out: list[str] = []
        """What is not done of what the document says."""
        root = Part(self.document, self.document.root, "#")
        _check_version(root)
        references = References(self.document.root, self.document.has_names)
        self.references = references
        self.asking = Checker(references, "readOnly", has_formats=True)
        """Checks what a request says."""
        self.replying = Checker(references, "writeOnly", has_formats=True)
        """Checks what a reply says."""
        self.reader = Reader(self.asking)
        self._schemes = dict(root.of("components").mapping("securitySchemes"))
        for scheme in self._schemes.values():
            _check_scheme(scheme)
        operations = list(self._read(root))
        self._check_schemas(root, [operation for operation, _ in operations])
        self.contracts = list(self._contracts(operations))
        self._note_examples()
        self._schemas = Schemas(references, "writeOnly")
        self._rules: dict[int, Rule] = {}
        if root.of("webhooks").is_there:
            self.left_out.append(f"webhooks: {', '.join(n for n, _ in root.mapping('webhooks'))}")

    def _contracts(self, operations: Iterable[tuple[Operation, Base]]) -> Iterator[Contract]:
        shapes: dict[tuple[str, str], Contract] = {}
        for operation, base in operations:
            try:
                template = PathTemplate(operation.path, self._kinds(operation), base)
            except CueRefused as why:
                raise operation.part.refused(str(why)) from None
            contract = Contract(self, operation, template)
            other = shapes.setdefault((operation.method, template.shape), contract)
            if other is not contract:
                told = f"{operation.method} {other.path}"
                raise operation.part.refused(f"it takes the same requests as {told}")
            yield contract

    def _read(self, root: Part) -> Iterator[tuple[Operation, Base]]:
        if not any(root.of(name).is_there for name in ("paths", "components", "webhooks")):
            raise root.refused("it has no paths")
        for path, item in root.mapping("paths"):
            if not path.startswith("/"):
                raise item.refused(f"the path {path!r} begins with no slash")
            item.whole()
            shared = [Parameter(one, self.reader) for one in item.items("parameters")]
            for method in METHODS:
                part = item.of(method)
                if not part.is_there:
                    continue
                if method == "trace":
                    self.left_out.append(f"TRACE {path}: no client of a service sends it")
                    continue
                operation = Operation(method.upper(), path, part, shared, self.reader)
                self._leave_out(operation)
                yield operation, _base(part, item, root)

    def _leave_out(self, operation: Operation) -> None:
        told = f"{operation.method} {operation.path}"
        callbacks = [name for name, _ in operation.part.mapping("callbacks")]
        if callbacks:
            self.left_out.append(f"{told}: the callback {', '.join(callbacks)} is not sent")
        for status, reply in operation.replies.items():
            links = [name for name, _ in reply.part.mapping("links")]
            if links:
                self.left_out.append(
                    f"{told}: the link {', '.join(links)} of {status} means nothing"
                )
        replies = [one for reply in operation.replies.values() for one in reply.contents]
        for media in dict.fromkeys(one.media for one in (*operation.body, *replies)):
            if media.endswith("xml"):
                self.left_out.append(f"{told}: a body of {media} is not looked into")

    def _check_schemas(self, root: Part, operations: Iterable[Operation]) -> None:
        shapes = Shapes()
        named = root.of("components").of("schemas")
        told: list[tuple[Any, str]] = []
        if named.is_there:
            told = [(one, f"{named.pointer}/{name}") for name, one in named.whole().data.items()]
        for operation in operations:
            told += operation.schemas()
        for schema, pointer in told:
            for where, text in shapes.wrong(schema, pointer):
                raise FileRefused(f"{self.document.at(where)}: {text}")
        circles = Circles(self.references)
        for schema, pointer in told:
            where = circles.circle(schema, pointer)
            if where:
                raise FileRefused(f"{self.document.at(where)}: it leads back to itself")
        for where, text in shapes.unkept.items():
            self.left_out.append(f"{self.document.at(where)}: {text}")
        for schema in shapes.other_patterns:
            del schema["pattern"]

    def _kinds(self, operation: Operation) -> dict[str, str]:
        """What the path's parameters are: whole numbers, numbers, or else texts."""
        found = {}
        for one in operation.parameters:
            types = self.reader.shape(one.schema).types - {"null"}
            if one.where == "path" and types and types <= {"integer", "number"}:
                found[one.name] = "float" if "number" in types else "int"
        return found

    def _note_examples(self) -> None:
        """An example that does not keep its schema is not used, and that is said."""
        told = {
            content.part.pointer: content
            for contract in self.contracts
            for reply in contract.operation.replies.values()
            for content in reply.contents
            if content.schema is not None
        }
        for pointer, content in told.items():
            for name, value in examples_of(content):
                wrong = faults(self.replying, content.schema, value)
                if wrong:
                    at = self.document.at(pointer)
                    self.left_out.append(f"{at}: the example {name!r} is not used: {wrong[0]}")

    def rule(self, schema: Any, pointer: str) -> Rule:
        """What draws values of a schema, as a reply has them.

        Args:
            schema: of the document.
            pointer: where it stands.

        Raises:
            RecordRefused: it cannot be drawn.
        """
        if id(schema) not in self._rules:
            self._rules[id(schema)] = self._schemas.drawn(schema, pointer)
        return self._rules[id(schema)]

    def of_length(self, schema: Any, count: int, pointer: str) -> Rule:
        """What draws lists of so many items."""
        sized = {"minItems": count, "maxItems": count}
        return self._schemas.drawn({"allOf": [schema, sized]}, pointer)

    # --- who may ask ------------------------------------------------------------------------------

    def security(self, operation: Operation) -> list[list[tuple[str, Part]]]:
        """The ways in which a client may say who it is; none where it need not.

        Each way is of schemes that are all needed.
        """
        root = self.document.root
        told = operation.part.data.get("security", root.get("security", []))
        if not isinstance(told, list):
            raise operation.part.of("security").refused("a list is wanted")
        ways: list[list[tuple[str, Part]]] = []
        for way in told:
            if not isinstance(way, dict):
                at = operation.part.of("security")
                raise at.refused(f"a mapping of schemes is wanted, not {show(way, 40)}")
            names = list(way)
            for name in names:
                if name not in self._schemes:
                    pointer = f"{operation.part.pointer}/security"
                    at = Part(self.document, None, pointer)
                    raise at.refused(f"there is no security scheme {name!r}")
            ways.append([(name, self._schemes[name]) for name in names])
        return ways


def _check_version(root: Part) -> None:
    version = root.data.get("openapi")
    if isinstance(version, str) and re.match(r"3\.[01](\.|$)", version):
        return
    if "swagger" in root.data:
        raise root.refused(
            f"it is of version {show(root.data['swagger'])}, and 3.0 and 3.1 are read: convert it"
        )
    if version is None:
        raise root.refused("it is no OpenAPI document: `openapi: 3.1.0` is lacking")
    raise root.refused(f"openapi is {show(version, 20)}, and 3.0 and 3.1 are read")


_SCHEMES = ("apiKey", "http", "mutualTLS", "oauth2", "openIdConnect")
_KEYS = ("header", "query", "cookie")


def _check_scheme(scheme: Part) -> None:
    """Refuse one that does not say where a client's credentials are."""
    kind = scheme.whole().text("type")
    if kind not in _SCHEMES:
        raise scheme.of("type").refused(f"one of {', '.join(_SCHEMES)} is wanted")
    if kind == "http":
        scheme.text("scheme")
    if kind == "apiKey":
        scheme.text("name")
        if scheme.text("in") not in _KEYS:
            raise scheme.of("in").refused(f"one of {', '.join(_KEYS)} is wanted")


def _base(operation: Part, item: Part, root: Part) -> Base:
    """What stands before a path: of the operation's servers, else the path's, else the root's."""
    for holder in (operation, item, root):
        servers = [_server(one) for one in holder.items("servers")]
        if servers:
            patterns = list(dict.fromkeys(pattern for _, pattern in servers))
            # the longest first: one may begin like another
            patterns.sort(key=len, reverse=True)
            return Base(servers[0][0], f"(?:{'|'.join(patterns)})" if any(patterns) else "")
    return Base()


def _server(server: Part) -> tuple[str, str]:
    """The path of a server, as it is shown, and as a pattern."""
    url = server.whole().text("url")
    variables = dict(server.mapping("variables"))
    shown, pattern = "", ""
    for piece in re.split(r"(\{[^{}]*\})", url):
        if not piece.startswith("{"):
            shown, pattern = shown + piece, pattern + re.escape(piece)
            continue
        name = piece[1:-1]
        if name not in variables:
            raise server.refused(f"the variable {name!r} is not declared")
        default = variables[name].text("default")
        told = [str(one.data) for one in variables[name].items("enum")] or [default]
        shown += default
        pattern += f"(?:{'|'.join(map(re.escape, told))})"
    return _path(shown), _pattern_of_path(pattern)


def _path(url: str) -> str:
    path = urlsplit(url).path.rstrip("/")
    return path if not path or path.startswith("/") else f"/{path}"


def _pattern_of_path(pattern: str) -> str:
    scheme = re.match(r"(?:[^/]*:)?//[^/]*", pattern)
    path = (pattern[scheme.end() :] if scheme else pattern).rstrip("/")
    return path if not path or path.startswith("/") else f"/{path}"


_KEPT = 16
"""So many documents are kept: tests that write their own would fill the memory."""


@remembered
def _known() -> dict[Path, Api]:
    """The documents that were read, the last one last."""
    return {}


def api_of(path: Path) -> Api:
    """What a document says: read once for all tests, and anew when one of its files changed.

    Args:
        path: of the document's file.

    Raises:
        FileRefused: as `Api`.
    """
    known, place = _known(), path.absolute()
    api = known.pop(place, None)
    if api is None or not api.document.is_current:
        api = Api(path)
    known[place] = api
    for oldest in list(known)[:-_KEPT]:
        known.pop(oldest, None)
    return api
