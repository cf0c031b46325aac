"""Which key of the fake's is which of the real one's, where both assigned one."""

from __future__ import annotations

from typing import Any

from urnshelf.records.copies import keep
from urnshelf.twins.pools import Pools
from urnshelf.twins.worlds import described_as


class Keys:
    """The keys of one sequence, as far as it is known which belong together.

    They are learnt only from records that the caller handed in and from what a write gives back:
    what a look-up gives may be the wrong record.

    Args:
        pools: the record types.
    """

    def __init__(self, pools: Pools) -> None:
        self._pools = pools
        self._real_of: dict[Any, dict[Any, Any]] = {}
        self._fake_of: dict[Any, dict[Any, Any]] = {}
        self._learnt: list[tuple[Any, Any, Any]] = []
        """Since the last commit, in order."""
        self.are_same = True
        """Whether every key is the same in both worlds, so that nothing need be translated."""

    def learn(self, form: Any, fake: Any, real: Any) -> bool:
        """Note that two keys were assigned to one record; False where the real one's was another
        record's already.
        """
        known = self._fake_of.setdefault(form, {})
        if real in known and known[real] != fake:
            return False
        if real not in known:
            self._learnt.append((form, fake, real))
        known[real] = fake
        self._real_of.setdefault(form, {})[fake] = real
        self.are_same = self.are_same and fake == real
        return True

    def committed(self) -> None:
        """What was learnt until now stays."""
        self._learnt.clear()

    def rolled_back(self) -> None:
        """Forget what was learnt since the last commit: a store may give these keys again."""
        for form, fake, real in self._learnt:
            self._fake_of[form].pop(real, None)
            self._real_of[form].pop(fake, None)
        self._learnt.clear()

    def translated(self, value: Any) -> Any:
        """What the fake gave, with the real one's keys."""
        return value if self.are_same else self._of(value)

    def key(self, form: Any, fake: Any) -> Any:
        """The real one's key."""
        try:
            return self._real_of.get(form, {}).get(fake, fake)
        except TypeError:  # no key, whatever it is
            return fake

    def _of(self, value: Any) -> Any:
        if type(value) in (list, tuple, set, frozenset):
            return type(value)(map(self._of, value))
        if type(value) is dict:
            return {key: self._of(one) for key, one in value.items()}
        pool = self._pools.of.get(type(value))
        described = described_as(value) if pool is not None else None
        if pool is None or described is None:
            return value
        values = described.values(value)
        told = {
            name: self.key(parent, values.get(name)) for name, parent in pool.references.items()
        }
        if pool.key:
            told[pool.key] = self.key(pool.form, values.get(pool.key))
        return described.changed(keep(value), told)
