"""The routes of a kiosk, told by a test or by a document, and which one takes a request."""

from __future__ import annotations

import re
from typing import Any

from urnshelf.calls.target import FakeState
from urnshelf.errors import CueRefused
from urnshelf.kiosk.path_template import PathTemplate, marked
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.route import Promised, RouteTarget
from urnshelf.near_names import nearest

_ANY_PATH = PathTemplate("/{path:path}")
_METHODS = ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS")


class Routes:
    """The routes of one kiosk.

    Args:
        state: what the library knows of the kiosk.
    """

    def __init__(self, state: FakeState) -> None:
        self._state = state
        self._targets: dict[tuple[str, str], RouteTarget] = {}
        self._shapes: dict[tuple[str, str], RouteTarget] = {}
        self._nowhere: dict[str, RouteTarget] = {}
        self._document = ""
        """The name of the document that says which routes there are."""

    def all(self) -> list[RouteTarget]:
        """All of them, in the order in which they were told."""
        return list(self._targets.values())  # other threads may add some

    def __len__(self) -> int:
        return len(self._targets)

    def target(self, method: str, path: str) -> RouteTarget:
        """The route of a method and a path; a new one where there is none yet.

        Raises:
            CueRefused: no method, a path that no request can have, or none of the document.
        """
        verb = str(method).upper()
        if verb not in _METHODS:
            raise CueRefused(
                f"route({method!r}, …): there is no method {verb}; choose {', '.join(_METHODS)}"
            )
        known = self._targets.get((verb, path))
        if known is not None:
            return known
        if self._document:
            return self._of_the_document(verb, path)
        new = RouteTarget(self._state, verb, PathTemplate(path))
        other = self._shapes.setdefault((verb, new.path.shape), new)
        if other is not new:
            raise CueRefused(
                f"route({verb!r}, {path!r}): it takes the same requests as {other.member.name}, "
                "which is there already: give the parameters the same names"
            )
        self._targets[verb, path] = new
        return new

    def promised(self, method: str, path: PathTemplate, promised: Promised) -> None:
        """Add a route of a document.

        Args:
            method: of the operation.
            path: likewise.
            promised: what the document says of it.
        """
        target = RouteTarget(self._state, method, path, promised)
        self._targets[method, path.text] = target

    def close(self, document: str) -> None:
        """Take no other routes than those that are there: a document says which there are.

        Args:
            document: its name.
        """
        self._document = document

    @property
    def is_closed(self) -> bool:
        """Whether a document says which routes there are."""
        return bool(self._document)

    def find(self, method: str, path: str) -> RouteTarget | None:
        """The route of a document, by its path with or without what stands before all paths, and
        whatever its parameters are called; None where there is none.
        """
        bare = re.sub(r"\{[^{}]*\}", "{}", path)
        for target in self._targets.values():
            shapes = [
                re.sub(r"\{[^{}]*\}", "{}", one) for one in (target.path.bare, target.path.text)
            ]
            if target.method == method and bare in shapes:
                return target
        return None

    def _of_the_document(self, verb: str, path: str) -> RouteTarget:
        found = self.find(verb, path)
        written = [re.sub(r":\w+\}", "}", path)]
        if found is not None and (found.path.bare in written or found.path.text in written):
            return found
        if found is not None:
            raise CueRefused(
                f"route({verb!r}, {path!r}): the document {self._document} calls it "
                f"{found.method} {found.path.bare}"
            )
        near = nearest(f"{verb} {path}", [one.member.name for one in self.all()])
        raise CueRefused(
            f"route({verb!r}, {path!r}): the document {self._document} has no such operation; "
            f"{near}"
        )

    def taken_by(self, request: Request) -> tuple[RouteTarget, dict[str, Any]]:
        """The route that takes a request, and the values of its path's parameters."""
        best: tuple[RouteTarget, dict[str, Any]] | None = None
        path = marked(request.raw_path)
        for target in self.all():
            if target.method == request.method:
                values = target.path.values_in(path)
                is_better = best is None or target.path.rank < best[0].path.rank
                if values is not None and is_better:
                    best = target, values
        return best or (self._to_nowhere(request.method), {"path": request.path})

    def _to_nowhere(self, method: str) -> RouteTarget:
        """Where requests of this method go that no route takes."""
        if method not in self._nowhere:
            self._nowhere[method] = RouteTarget(self._state, method, _ANY_PATH)
        return self._nowhere[method]
