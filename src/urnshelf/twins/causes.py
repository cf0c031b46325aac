"""One cause, one report: what differs is made small, and told apart from what follows of it."""

from __future__ import annotations

from collections.abc import Callable

from urnshelf.twins import steps
from urnshelf.twins.advice import Difference
from urnshelf.twins.counts import Counts
from urnshelf.twins.one_run import Finding, Signature
from urnshelf.twins.pools import Pools
from urnshelf.twins.shrinking import Shrinker
from urnshelf.twins.side_by_side import Runner


class Causes:
    """The differences of one check, by their causes.

    Args:
        runner: runs sequences.
        pools: the record types.
        counts: of the methods.
        is_late: whether there is no time left.
    """

    def __init__(
        self, runner: Runner, pools: Pools, counts: Counts, is_late: Callable[[], bool]
    ) -> None:
        self._runner = runner
        self._pools = pools
        self._counts = counts
        self._is_late = is_late
        self._known: dict[Signature, int] = {}
        """To which difference each signature belongs, also as its consequence."""
        self._alike: set[Signature] = set()
        """Those that are of one cause with another one."""
        self.found: list[Difference] = []

    def note(self, sequence: steps.Sequence, finding: Finding) -> None:
        """Take in what a run found."""
        signature = finding.signature
        if signature not in self._known:
            self._add(sequence, finding)
        self._note(signature, finding)

    def _note(self, signature: Signature, finding: Finding) -> None:
        """Note which methods a difference shows in."""
        at = self._known.get(signature)
        if at is None or finding.offered is None:
            return
        self._counts.differs(finding.offered.label, at + 1)
        known = self.found[at]
        # a consequence shows it, too, but is no other instance of it
        if signature in (known.finding.signature, *self._alike):
            methods = tuple(dict.fromkeys((*known.methods, finding.offered.label)))
            fields = tuple(dict.fromkeys((*known.fields, *filter(None, [finding.field]))))
            self.found[at] = known._replace(methods=methods, fields=fields)

    def _add(self, sequence: steps.Sequence, first: Finding) -> None:
        runner, pools, signature = self._runner, self._pools, first.signature
        shrinker = Shrinker(runner.run, pools, signature, self._is_late)
        small = shrinker.shrunk(sequence)
        found = runner.run(small)
        mine = next((one for one in found if one.signature == signature), None)
        if mine is None:  # it comes and goes
            small, found = sequence, runner.run(sequence)
            mine = next((one for one in found if one.signature == signature), None)
        if mine is None:  # it came once
            self._tell(signature, Difference.once(first, sequence))
            return
        before = [one for one in found if one.signature in self._known and one is not mine]
        if before:
            self._known[signature] = self._known[before[0].signature]
            return
        alike = self._like(small, mine)
        if alike is not None:
            self._known[signature] = alike
            self._alike.add(signature)
            return
        is_alias = _is_alias(small)
        label = _last_call(small) if mine.offered is None else mine.offered.label
        fields = (mine.field,) if mine.field else ()
        is_of_real = runner.real_twice(small)
        self._tell(signature, Difference(mine, small, (label,), fields, is_alias, is_of_real))

    def _tell(self, signature: Signature, difference: Difference) -> None:
        self._known[signature] = len(self.found)
        self.found.append(difference)
        self._counts.differs(difference.methods[0], len(self.found))

    def _like(self, small: steps.Sequence, finding: Finding) -> int | None:
        """The difference that the same steps show in the same direction: of one cause."""
        is_alias = _is_alias(small)
        for at, known in enumerate(self.found):
            if is_alias and known.is_alias:
                return at
            if is_alias or known.is_alias or finding.offered is None:
                continue
            writes = _writes(small)
            is_one = len(writes) > 1 and writes == _writes(known.sequence)
            if is_one and _same_way(finding, known.finding):
                return at
        return None


def _is_alias(sequence: steps.Sequence) -> bool:
    """Whether a change of what the caller holds shows though nobody stored it."""
    for at, step in enumerate(sequence.steps):
        if isinstance(step, steps.Assign):
            later = sequence.steps[at + 1 :]
            stored = [
                value
                for one in later
                if isinstance(one, steps.Call) and not one.offered.is_look
                for _, value in one.given
            ]
            if step.held not in stored:
                return True
    return False


def _same_way(finding: Finding, known: Finding) -> bool:
    """Whether both differ in the same manner: several writes before make it one cause."""
    one, other = finding.unlike, known.unlike
    if one.kind == other.kind == "field":
        return one.form is other.form
    if not {one.kind, other.kind} <= _OF_LOOKS:
        return False
    return one.direction == other.direction


_OF_LOOKS = {"found", "value", "raised"}
"""Kinds of differences that one write shows in several look-ups."""


def _writes(sequence: steps.Sequence) -> list[str]:
    """What was written before the step that shows it; in what manner something was added is one."""
    return [
        "add" if one.offered.adds else one.offered.label
        for one in sequence.steps[:-1]
        if isinstance(one, steps.Call) and not one.offered.is_look
    ]


def _last_call(sequence: steps.Sequence) -> str:
    calls = [one.offered.label for one in sequence.steps if isinstance(one, steps.Call)]
    return calls[-1] if calls else ""
