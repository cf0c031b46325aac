"""In-memory fakes from your interfaces, synthetic records, and failures that explain themselves."""

from urnshelf.calls.cue import cue
from urnshelf.calls.replies import raising
from urnshelf.calls.tally import calls_to, tally, unseen
from urnshelf.calls.target import attribute
from urnshelf.errors import (
    CueRefused,
    FurnishRefused,
    InterfaceRefused,
    RecordMissing,
    RecordRefused,
    RefusalHidden,
    RepliesSpent,
    ReplyRefused,
    UnansweredCall,
    UrnShelfError,
)
from urnshelf.records.matchers import fitting, holding, of_type, whatever
from urnshelf.shelf import Shelf
from urnshelf.urn.drawing import Urn

__version__ = "0.1.0"

__all__ = [
    "CueRefused",
    "FurnishRefused",
    "InterfaceRefused",
    "RecordMissing",
    "RecordRefused",
    "RefusalHidden",
    "RepliesSpent",
    "ReplyRefused",
    "Shelf",
    "UnansweredCall",
    "Urn",
    "UrnShelfError",
    "attribute",
    "calls_to",
    "cue",
    "fitting",
    "holding",
    "of_type",
    "raising",
    "tally",
    "unseen",
    "whatever",
]
