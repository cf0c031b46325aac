"""A file whose kiosks are served: a plan, an OpenAPI document, or recorded traffic."""

from __future__ import annotations

from pathlib import Path

from urnshelf.errors import FileRefused, UrnShelfError
from urnshelf.files.documents import stamp
from urnshelf.files.plan_file import read_plan
from urnshelf.kiosk.planned import Planning
from urnshelf.kiosks import Kiosk
from urnshelf.shelf import Shelf

_ENDINGS = (".toml", ".yaml", ".yml", ".json", ".har")
_NO_LIMIT = 10**9


class Opened:
    """The kiosks of a file, as it was read.

    Args:
        shelf: theirs.
        kiosks: in the file's order.
        files: all that were read.
    """

    def __init__(self, shelf: Shelf, kiosks: list[Kiosk], files: list[Path]) -> None:
        self.shelf = shelf
        self.kiosks = kiosks
        self.files = files
        self.seen = 0
        """The number of the last request that was shown."""

    def state(self) -> list[tuple[int, int]]:
        """What tells whether a file was changed."""
        return list(map(stamp, self.files))


def opened(path: Path, records: int | None, seed: int | None) -> Opened:
    """Read a file, and make its kiosks.

    Args:
        path: of the file.
        records: how many each collection has, and each list that is drawn; None for as many as the
            file says.
        seed: what is drawn from; None for the file's, or 0.

    Raises:
        FileRefused: it cannot be read, or says what it must not.
        RecordRefused: likewise.
    """
    if path.suffix not in _ENDINGS:
        raise FileRefused(f"{path.name}: the ending must be one of {', '.join(_ENDINGS)}")
    if not path.is_file():
        raise FileRefused(f"{path}: there is no such file")
    if path.suffix == ".toml":
        return _of_a_plan(path, records, seed)
    if path.suffix == ".har":
        if records is not None or seed is not None:
            raise FileRefused(
                f"{path.name}: nothing of recorded traffic is drawn: leave out --records and --seed"
            )
        shelf = _shelf(0)
        return Opened(shelf, [shelf.kiosk(path.stem, answer_from=path)], [path])
    shelf = _shelf(seed or 0)
    kiosk = shelf.kiosk(path.stem, openapi=path)
    assert kiosk._document is not None
    kiosk._document.drawn.items = records
    return Opened(shelf, [kiosk], [path, *kiosk._document.api.document.files])


def _shelf(seed: int) -> Shelf:
    # whoever tries a service out may go wrong as often as he likes
    return Shelf(seed=seed, refusal_limit=_NO_LIMIT, repeat_limit=_NO_LIMIT)


def _of_a_plan(path: Path, records: int | None, seed: int | None) -> Opened:
    plan = read_plan(path, seed, records)
    if not plan.kiosks:
        raise FileRefused(f"{path.name} has no kiosks; begin one with [[kiosk]]")
    shelf, files, stocked = _shelf(plan.seed), [path], set[str]()
    for planned in plan.kiosks:
        kiosk = shelf.kiosk(planned.name)
        planning = Planning(kiosk, planned, plan, stocked)
        try:
            planning.apply()
        except UrnShelfError:
            shelf._undo()
            raise
        files += planning.files
        if kiosk._document is not None:
            files += kiosk._document.api.document.files
            kiosk._document.drawn.items = records
    return Opened(shelf, [shelf.kiosk(one.name) for one in plan.kiosks], files)
