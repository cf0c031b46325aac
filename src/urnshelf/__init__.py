"""In-memory fakes from your interfaces, synthetic records, and failures that explain themselves."""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    __version__: str
    from urnshelf import rules
    from urnshelf.calls.cueing import cue
    from urnshelf.calls.handles import attribute, some_of
    from urnshelf.calls.replies import passing_through, raising
    from urnshelf.calls.tally import ledger_of, tally, unseen
    from urnshelf.declarations import Faked, Furnished, faked, furnished, stocked
    from urnshelf.errors import (
        ArgumentMissing,
        CallMissing,
        ClockRefused,
        CueRefused,
        DraftRefused,
        EndlessCalls,
        FileRefused,
        FurnishRefused,
        HostRefused,
        InterfaceRefused,
        LookRefused,
        NotInTime,
        RecordMissing,
        RecordOutdated,
        RecordRefused,
        ReferenceRefused,
        RefusalHidden,
        RepliesSpent,
        ReplyRefused,
        SampleRefused,
        SettingRefused,
        SwapRefused,
        TwinRefused,
        UnansweredCall,
        UnitRefused,
        UrnShelfError,
    )
    from urnshelf.records.matchers import fitting, holding, of_type, whatever
    from urnshelf.shelf import Shelf
    from urnshelf.store.asked import asking
    from urnshelf.store.column import column
    from urnshelf.urn.drawing import Urn
    from urnshelf.urn.variants import variant

__all__ = [
    "ArgumentMissing",
    "CallMissing",
    "ClockRefused",
    "CueRefused",
    "DraftRefused",
    "EndlessCalls",
    "Faked",
    "FileRefused",
    "FurnishRefused",
    "Furnished",
    "HostRefused",
    "InterfaceRefused",
    "LookRefused",
    "NotInTime",
    "RecordMissing",
    "RecordOutdated",
    "RecordRefused",
    "ReferenceRefused",
    "RefusalHidden",
    "RepliesSpent",
    "ReplyRefused",
    "SampleRefused",
    "SettingRefused",
    "Shelf",
    "SwapRefused",
    "TwinRefused",
    "UnansweredCall",
    "UnitRefused",
    "Urn",
    "UrnShelfError",
    "asking",
    "attribute",
    "column",
    "cue",
    "faked",
    "fitting",
    "furnished",
    "holding",
    "ledger_of",
    "of_type",
    "passing_through",
    "raising",
    "rules",
    "some_of",
    "stocked",
    "tally",
    "unseen",
    "variant",
    "whatever",
]

_PLACES = {
    "urnshelf.calls.cueing": "cue",
    "urnshelf.calls.handles": "attribute some_of",
    "urnshelf.calls.replies": "passing_through raising",
    "urnshelf.calls.tally": "ledger_of tally unseen",
    "urnshelf.declarations": "Faked Furnished faked furnished stocked",
    "urnshelf.records.matchers": "fitting holding of_type whatever",
    "urnshelf.shelf": "Shelf",
    "urnshelf.store.asked": "asking",
    "urnshelf.store.column": "column",
    "urnshelf.urn.drawing": "Urn",
    "urnshelf.urn.variants": "variant",
}
"""Where each name stands that is no error. It is loaded when it is first asked for: a run of pytest
in which no test uses us is not to wait for us.
"""


def _late(name: str) -> Any:
    from importlib import import_module
    from importlib.util import find_spec

    if name in __all__ and name != "rules":
        places = [place for place, names in _PLACES.items() if name in names.split()]
        found = globals()[name] = getattr(import_module((*places, "urnshelf.errors")[0]), name)
        return found
    if name == "__version__":  # the tag it was built from, or how far it is from the last
        return import_module("importlib.metadata").version("urnshelf")
    if name.startswith("_"):
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    # Python asks here, too, before it looks for a module of the package
    if find_spec(f"urnshelf.{name}") is not None:
        return import_module(f"urnshelf.{name}")
    from urnshelf.near_names import MODULE, no_such_name

    kiosk = import_module("urnshelf.kiosk")
    known = {one: getattr(import_module(__name__), one) for one in __all__}
    known |= {f"kiosk.{one}": getattr(kiosk, one) for one in kiosk.__all__}
    raise AttributeError(no_such_name(__name__, name, known, MODULE))


if not TYPE_CHECKING:  # to the checkers the module has what it has, and nothing else
    __getattr__ = _late
