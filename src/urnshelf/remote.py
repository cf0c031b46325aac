"""What a shelf has for remote services."""

from __future__ import annotations

from typing import TYPE_CHECKING

from urnshelf.calls.desk import Desk
from urnshelf.clock import Clock
from urnshelf.errors import SettingRefused, UrnShelfError
from urnshelf.records.display import show
from urnshelf.store.stored import Store

if TYPE_CHECKING:
    from os import PathLike
    from pathlib import Path

    from urnshelf.kiosks import Kiosk


class Remote:
    """The kiosks of a shelf."""

    _desk: Desk
    _store: Store
    clock: Clock
    seed: int
    _kiosks: dict[str, Kiosk] | None = None
    _planned: dict[Path, set[str]]

    def _undo(self) -> None:
        """Stand in for no host any more."""
        for kiosk in (self._kiosks or {}).values():
            kiosk.leave()
        super()._undo()  # type: ignore[misc]

    def _stood_in(self) -> list[str]:
        """For which hosts kiosks stood in, a line each."""
        kiosks = (self._kiosks or {}).values()
        return [
            f"the kiosk {one.name} in the place of {url}" for one in kiosks for url in one.hosts
        ]

    def _children(self) -> list[str]:
        """The programs that were started while there was a kiosk."""
        kiosks = (self._kiosks or {}).values()
        return list(dict.fromkeys(program for one in kiosks for program in one.children))

    def _asked_besides(self) -> list[str]:
        """What was asked with parameters of which a document says nothing, a line each."""
        documents = [one._document for one in (self._kiosks or {}).values()]
        return [
            f"{route} was asked with {name}, of which {one.api.name} says nothing"
            for one in documents
            if one is not None
            for route, name in one.besides
        ]

    def kiosk(
        self,
        name: str,
        *,
        openapi: str | PathLike[str] | None = None,
        plan: str | PathLike[str] | None = None,
        answer_from: str | PathLike[str] | None = None,
        unmasked: bool = False,
    ) -> Kiosk:
        """A stand-in for a remote service that is spoken to over HTTP; the same one again for the
        same name.

        A request is a call in the ledger, and a route a method: `cue`, `tally`, `ledger_of` and
        `unseen` mean what they mean for fakes.

        Args:
            name: how messages call it.
            openapi: an OpenAPI document, 3.0 or 3.1, in YAML or JSON: its operations are the
                routes, what it forbids is refused, and what no cue takes is answered as it
                promises.
            plan: a plan file with a `[[kiosk]]` of this name: its routes, replies and collections.
            answer_from: a file that `kiosk.passes_through(…, keep_in=…)` wrote, or recorded traffic
                as HAR 1.2 has it, `.har`: what no cue takes is answered from it, and refused where
                it is not there. Of traffic the requests are routes, with parameters for keys.
            unmasked: whether secrets in recorded traffic stay; otherwise they are masked by their
                names, and `kiosk.notes` says which.

        Raises:
            SettingRefused: no name.
            FileRefused: no such file, or one that says what it must not.

        >>> kiosk = shelf.kiosk("tides")
        >>> depth = kiosk.route("GET", "/stations/{code}/depth")
        >>> _ = cue(depth, code="TER").gives(response(json={"depth_m": 6.3}))
        >>> kiosk is shelf.kiosk("tides")
        True
        """
        if not isinstance(name, str) or not name:
            raise SettingRefused(f"kiosk({show(name, 40)}): give it a name, shelf.kiosk('tides')")
        if self._kiosks is None:
            self._kiosks, self._planned = {}, {}
        if name not in self._kiosks:
            self._kiosks[name] = self._new_kiosk(name, openapi, plan)
        elif openapi is not None or plan is not None:
            raise SettingRefused(
                f"kiosk({name!r}): it is there already; give its document or plan the first time"
            )
        if answer_from is not None:
            from pathlib import Path

            self._kiosks[name]._answer_from(Path(answer_from), unmasked)
        return self._kiosks[name]

    def _new_kiosk(
        self,
        name: str,
        openapi: str | PathLike[str] | None,
        plan: str | PathLike[str] | None,
    ) -> Kiosk:
        from pathlib import Path  # few shelves have one

        from urnshelf.kiosks import Kiosk

        kiosk = Kiosk(name, self._desk, self._store, self.clock)
        try:
            if openapi is not None:
                kiosk._read_document(Path(openapi), self.seed)
            if plan is not None:
                kiosk._follow_plan(Path(plan), self._planned.setdefault(Path(plan), set()))
        except UrnShelfError:
            kiosk.leave()
            raise
        return kiosk
