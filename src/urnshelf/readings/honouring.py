"""The roles of parameters and the promises that each operation honours."""

from __future__ import annotations

from typing import NamedTuple

from urnshelf.readings.operations import Operation, Promised, Reading, Role, Unread


class Honours(NamedTuple):
    """The roles of parameters and the promises that an operation honours; None for any promise."""

    roles: frozenset[Role]
    promises: frozenset[Promised] | None


def _honours(roles: str, promises: str) -> Honours:
    honoured = None if promises == "*" else frozenset(Promised[word] for word in promises.split())
    return Honours(frozenset(Role[word] for word in roles.split()), honoured)


_ASKED = "CONDITION KEY LIMIT OFFSET PAGE PAGE_SIZE ORDER DESCENDING"
_STORED = "ONE ONE_OR_NONE MANY INT NONE OTHER UNKNOWN"
HONOURED: dict[Operation, Honours] = {
    Operation.LOOK_UP: _honours(_ASKED, "ONE ONE_OR_NONE MANY BY_KEY PAGE UNKNOWN"),
    Operation.COUNT: _honours("CONDITION KEY", "INT UNKNOWN"),
    Operation.EXISTS: _honours("CONDITION KEY", "BOOL UNKNOWN"),
    Operation.ADD: _honours("RECORD RECORDS", _STORED),
    Operation.SAVE: _honours("RECORD RECORDS", _STORED),
    Operation.UPDATE: _honours("RECORD RECORDS", _STORED),
    Operation.MAKE: _honours("VALUES FIELD", _STORED),
    Operation.CHANGE: _honours("KEY RECORD VALUES FIELD", "ONE ONE_OR_NONE BOOL INT NONE UNKNOWN"),
    Operation.REMOVE: _honours("KEY RECORD RECORDS", "ONE ONE_OR_NONE BOOL INT NONE UNKNOWN"),
    Operation.REMOVE_WHERE: _honours("CONDITION KEY", "BOOL INT NONE"),
    Operation.VALUE_GET: _honours("KEY DEFAULT", "*"),
    Operation.VALUE_GET_MANY: _honours("KEY KEYS DEFAULT", "*"),
    Operation.VALUE_GET_ALL: _honours("", "*"),
    Operation.VALUE_SET: _honours("KEY VALUE EXPIRES", "*"),
    Operation.VALUE_SET_MANY: _honours("KEY KEYS VALUES EXPIRES", "*"),
    Operation.VALUE_SET_DEFAULT: _honours("KEY VALUE DEFAULT EXPIRES", "*"),
    Operation.VALUE_DELETE: _honours("KEY KEYS", "*"),
    Operation.VALUE_POP: _honours("KEY DEFAULT", "*"),
    Operation.VALUE_EXISTS: _honours("KEY KEYS", "*"),
    Operation.VALUE_COUNT_UP: _honours("KEY AMOUNT EXPIRES", "*"),
    Operation.VALUE_COUNT_DOWN: _honours("KEY AMOUNT EXPIRES", "*"),
    Operation.VALUE_CLEAR: _honours("", "*"),
    Operation.VALUE_KEYS: _honours("PREFIX", "*"),
    Operation.VALUE_TOUCH: _honours("KEY EXPIRES", "*"),
    Operation.VALUE_SIZE: _honours("", "*"),
    Operation.LANGUAGE_LOOK: _honours("OTHER", "*"),
    Operation.LANGUAGE_CHANGE: _honours("OTHER", "*"),
    Operation.TAKE: _honours("", "ONE ONE_OR_NONE MANY"),
    Operation.COUNT_ALL: _honours("", "INT BOOL"),
    Operation.PING: _honours("", "BOOL UNKNOWN"),
    Operation.BEGIN: _honours("", "*"),
    Operation.COMMIT: _honours("", "NONE UNKNOWN"),
    Operation.ROLL_BACK: _honours("", "NONE UNKNOWN"),
    Operation.LEAVE: _honours("OTHER", "*"),
}
"""What each operation honours; a method with another parameter, or another promise, is not read."""


def honoured(reading: Reading, promised: Promised, method: str) -> Reading | Unread:
    """The reading, or why its operation does not honour a parameter or the promise."""
    honours = HONOURED[reading.operation]
    for part in reading.parts:
        # what is not listed may change the answer, so the method is left to a cue
        if part.role not in honours.roles:
            return Unread(f"{method!r} is not read with a {part.name!r}")
    if honours.promises is not None and promised not in honours.promises:
        wanted = " or ".join(
            one.value for one in Promised if one in honours.promises and one is not Promised.UNKNOWN
        )
        return Unread(f"{method!r} is read where it promises {wanted}")
    return reading
