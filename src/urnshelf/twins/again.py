"""A file of kept replies against the real one once more: what has changed since."""

from __future__ import annotations

import asyncio
import inspect
import warnings
from collections.abc import Callable
from os import PathLike
from pathlib import Path
from typing import Any

from urnshelf.calls.wording import declared, plural
from urnshelf.errors import FileRefused, TwinRefused
from urnshelf.interfaces.members import Member
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.kept_file import Reply, read
from urnshelf.kept_replies import call_of, error_data, masked_reply
from urnshelf.masking.masks import Masks, holds_mask
from urnshelf.records.codec import Unfit
from urnshelf.records.display import differences, show
from urnshelf.records.equality import same
from urnshelf.twins.fresh import CALL_SECONDS, Overdue, Real, in_time, outside_of_loops


class AgainChecked:
    """What the calls of a file came to.

    Attributes:
        differences: a report each.
        compared: how many calls were made.
        left_out: those that could not be, and why.
    """

    def __init__(self, name: str, reports: list[str], compared: int, left_out: list[str]) -> None:
        self.differences = reports
        self.compared = compared
        self.left_out = left_out
        self._name = name

    @property
    def heading(self) -> str:
        """How much has changed."""
        found = plural(len(self.differences), "reply").replace("replys", "replies")
        found = f"{found} changed since" if self.differences else "nothing has changed since"
        calls = plural(self.compared, "call")
        lines = [f"{self._name}: {found} ({calls} made once more)"]
        return "\n".join([*lines, *(f"  not made: {one}" for one in self.left_out)])

    def __str__(self) -> str:
        reports = [f"{number}. {one}" for number, one in enumerate(self.differences, 1)]
        return "\n\n".join([self.heading, *reports])

    def __repr__(self) -> str:
        return f"<{self.heading.splitlines()[0]}>"


class Again:
    """Makes the calls of a file of kept replies once more, on the real one.

    Args:
        interface: whose replies were kept.
        replies: the file that `shelf.fake(…, keep_in=…)` wrote.
        real: a function without arguments that makes the real one, as `Twin` takes it.

    Raises:
        FileRefused: it is no such file, or of another interface.
        TwinRefused: `real` cannot make one.

    >>> import tempfile
    >>> from urnshelf.twins import Again
    >>> class Gauge:
    ...     depth = 6.3
    ...     def depth_at(self, harbour, at): return self.depth
    >>> folder = tempfile.mkdtemp()
    >>> with Shelf() as shelf:
    ...     tides = shelf.fake(TideService, over=Gauge(), keep_in=f"{folder}/tides.jsonl")
    ...     _ = tides.depth_at("Ternhythe", NOON)
    >>> Gauge.depth = 6.4
    >>> print(Again(TideService, f"{folder}/tides.jsonl", real=Gauge).check())
    tides.jsonl: 1 reply changed since (1 call made once more)
    <BLANKLINE>
    1. TideService.depth_at(harbour='Ternhythe', at='2030-06-01T12:00:00+00:00')
        kept 6.3
        now  6.4
    """

    def __init__(
        self, interface: Any, replies: str | PathLike[str], real: Callable[[], Any]
    ) -> None:
        self._interface = interface_of(interface)
        self._real = Real(real, [self._interface])
        self._where = Path(replies)
        self._kept = read(self._where, self._interface.name)

    def check(self) -> AgainChecked:
        """Make the calls.

        Returns:
            What has changed, as a report each.

        Raises:
            TwinRefused: a call does not come back, or the real one cannot be made.
        """
        reports = self._changed_methods()
        left_out: list[str] = []
        made = [one for one in self._kept.replies if self._may_be_made(one, left_out)]
        with warnings.catch_warnings(), in_time() as wind:
            warnings.simplefilter("ignore", ResourceWarning)
            try:
                reports += outside_of_loops(lambda: asyncio.run(self._all(made, wind)))
            except Overdue:
                raise TwinRefused(
                    f"{self._interface.name}: a call did not come back within "
                    f"{CALL_SECONDS:.0f} seconds, on the real one"
                ) from None
        return AgainChecked(self._where.name, reports, len(made), left_out)

    def _changed_methods(self) -> list[str]:
        reports = []
        members = self._interface.members
        for name, was in self._kept.methods.items():
            now = declared(members[name]) if name in members else "not there any more"
            if was != now:
                reports.append(f"{self._interface.name}.{name}\n    kept {was}\n    now  {now}")
        return reports

    def _may_be_made(self, reply: Reply, left_out: list[str]) -> bool:
        member = self._interface.members.get(reply.method)
        if member is None or declared(member) != self._kept.methods.get(reply.method):
            return False  # which was told already
        if holds_mask(reply.arguments):
            left_out.append(f"{self._told(reply)}: a secret was not kept")
            return False
        return True

    async def _all(self, replies: list[Reply], wind: Callable[[], None]) -> list[str]:
        reports: list[str] = []
        async with self._real.fresh() as (real,):
            for one in replies:
                member = self._interface.members[one.method]
                args, kwargs = call_of(member, one.arguments, f"{self._where.name}, {one.method}")
                wind()
                now = await _ended(getattr(real, one.method), args, kwargs, member)
                reports += self._compared(one, now)
        return reports

    def _compared(self, reply: Reply, now: dict[str, Any]) -> list[str]:
        if same(reply.ended, now):
            return []
        lines = [self._told(reply)]
        (kind, was), (other, found) = next(iter(reply.ended.items())), next(iter(now.items()))
        parts = [one for one in differences(was, found) if one.path] if kind == other else []
        for one in parts:
            lines += [
                f"    {one.path}",
                f"        kept {one.expected}",
                f"        now  {one.actual}",
            ]
        if not parts:
            lines += [f"    kept {_shown(kind, was)}", f"    now  {_shown(other, found)}"]
        return ["\n".join(lines)]

    def _told(self, reply: Reply) -> str:
        given = ", ".join(f"{name}={show(one, 40)}" for name, one in reply.arguments.items())
        return f"{self._interface.name}.{reply.method}({given})"


def _shown(kind: str, data: Any) -> str:
    if kind == "reply":
        return show(data, 80)
    arguments = ", ".join(show(one, 60) for one in data.get("arguments", []))
    return f"raises {str(data.get('type')).rpartition(':')[2]}({arguments})"


async def _ended(
    method: Any, args: list[Any], kwargs: dict[str, Any], member: Member
) -> dict[str, Any]:
    """What a call came to, as the file has it."""
    try:
        reply = method(*args, **kwargs)
        reply = await reply if inspect.isawaitable(reply) else reply
    except Exception as error:
        return {"error": Masks().data(error_data(error))}
    try:
        return {"reply": masked_reply(reply, member.promise.node, Masks())}
    except Unfit as unfit:
        raise FileRefused(f"{member.name}: what it gives now cannot be kept: {unfit}") from None
