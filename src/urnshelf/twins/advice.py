"""What would settle a difference, as lines to copy: never applied by itself."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from urnshelf.errors import RecordMissing, RecordRefused
from urnshelf.readings.operations import Operation
from urnshelf.records.description import snake_case
from urnshelf.records.spelling import Spelling
from urnshelf.store.own_errors import written
from urnshelf.twins import steps
from urnshelf.twins.one_run import Finding
from urnshelf.twins.pools import Pools
from urnshelf.twins.surface import Offered


class Way(NamedTuple):
    """One way to settle a difference: when it is the right one, and the lines."""

    when: str
    lines: tuple[str, ...] = ()


class Difference(NamedTuple):
    """What is known of a difference when it is told.

    Args:
        finding: where it shows last.
        sequence: the smallest that shows it.
        methods: all methods in which it shows.
        others: look-ups that give such records, and in which it does not show.
        fields: all fields that differ, as `Mooring.days`.
        is_alias: whether it shows only after an assignment.
        is_of_real: whether the real one differs from itself in it.
    """

    finding: Finding
    sequence: steps.Sequence
    methods: tuple[str, ...]
    fields: tuple[str, ...]
    is_alias: bool
    is_of_real: bool
    others: tuple[str, ...] = ()

    @classmethod
    def once(cls, finding: Finding, sequence: steps.Sequence) -> Difference:
        """One that came, and did not come again: neither world is the same twice."""
        label = "the caller's own records" if finding.offered is None else finding.offered.label
        at = [one.number for one in sequence.steps].index(finding.step) + 1
        cut = replace(sequence, steps=sequence.steps[:at])
        fields = (finding.field,) if finding.field else ()
        return cls(finding, cut, (label,), fields, is_alias=False, is_of_real=True)


def ways(difference: Difference, pools: Pools) -> list[Way]:
    """The ways to settle a difference, the likeliest first."""
    finding = difference.finding
    kind = finding.unlike.kind
    if difference.is_of_real:
        return _of_itself(finding, pools)
    if difference.is_alias:
        return _alias()
    if kind == "raised" and finding.offered is not None:
        return _raised(difference, finding.offered, pools)
    if kind in ("field", "handed", "key"):
        return _of_field(difference)
    if kind == "order":
        listed = ", ".join(difference.methods)
        return [
            Way("where no caller relies on the order", (f"any_order=[{listed}]",)),
            *_taught(finding, ending=f'.order_by("{_key(finding, pools)} desc").all()'),
        ]
    offered = finding.offered
    if offered is not None and _is_of_case(difference):
        return _taught(finding, _as_read(offered, ignoring_case=True))
    return _taught(finding)


def _key(finding: Finding, pools: Pools) -> str:
    pool = None if finding.offered is None else pools.of.get(finding.offered.record_type)
    return "id" if pool is None or not pool.key_fields else pool.key_fields[0]


def _of_itself(finding: Finding, pools: Pools) -> list[Way]:
    field = finding.field
    if not field and finding.offered is not None:
        pool = pools.of.get(finding.offered.record_type)
        field = f"{pool.form.__name__}.{pool.key}" if pool and pool.key else ""
    if field:
        return [Way("the real one makes it anew each time", (f'except_fields=["{field}"]',))]
    label = "" if finding.offered is None else finding.offered.label
    return [Way("the real one gives something else each time", (f"except_methods=[{label}]",))]


def _alias() -> list[Way]:
    return [
        Way(
            "the real one hands out, or keeps, the very object of the caller: a change of it shows "
            "without being saved. The fake gives copies, as a database does. Let the real one "
            "give and keep copies"
        ),
        Way("where no caller changes what it holds without saving it", ("assigns=False",)),
    ]


def _raised(difference: Difference, offered: Offered, pools: Pools) -> list[Way]:
    fake, real = difference.finding.fake.error, difference.finding.real.error
    pool = pools.of.get(offered.record_type)
    name = "" if pool is None else pool.form.__name__
    if fake is not None and real is not None and pool is not None:
        what = "missing" if isinstance(fake, RecordMissing) else "duplicate"
        if isinstance(fake, (RecordMissing, RecordRefused)):
            spelling = Spelling()
            made = written(type(real), spelling.named(type(real)), pool.form)
            told = f"shelf.define({name}, {what}={made})"
            lines = (*spelling.import_lines(), told)
            return [Way("tell the fake what the real one raises, in arrange=", lines)]
    if fake is None and real is not None and pool is not None:
        return [*_references(offered, pools), *_taught(difference.finding)]
    if real is None and fake is not None and offered.operation in (Operation.ADD, Operation.MAKE):
        ways_on = [Way("the real one overwrites, or loses a record: a defect of its write")]
        saved = f"{_records(offered)}.save({_first(offered)})"
        return [*ways_on, *_taught(difference.finding, saved)]
    if fake is not None and offered.gives is not None and real is None:
        promised = offered.member.promise.name
        if difference.finding.real.value is None and not offered.member.promise.node.optional:
            return [Way(
                f"the interface promises a {promised}, and the real one gives None: let it promise "
                f"{promised} | None, or let the real one raise"
            )]  # fmt: skip
    if fake is not None and len(offered.member.parameters) == 1:
        if offered.gives is not None:
            return _taught(difference.finding, f"{_records(offered)}.find({_first(offered)})")
        if offered.operation is Operation.REMOVE:
            return _taught(difference.finding, f"{_records(offered)}.remove({_first(offered)})")
    return _taught(difference.finding)


def _records(offered: Offered) -> str:
    return f"shelf.records({getattr(offered.record_type, '__name__', '…')})"


def _first(offered: Offered) -> str:
    return next(iter(offered.member.parameters), "…")


def _references(offered: Offered, pools: Pools) -> list[Way]:
    """A database that refuses a record which refers to nothing."""
    pool = pools.of.get(offered.record_type)
    if pool is None or not offered.adds or pool.enforced:
        return []
    parents = {f"{snake_case(one.__name__)}_id": one.__name__ for one in pools.of}
    told = {name: parents[name] for name in pool.described.names if name in parents}
    told |= {name: parent.__name__ for name, parent in pool.references.items()}
    form = pool.form.__name__
    return [
        Way(
            f"where the real one refuses a {form} whose {name} refers to nothing",
            (f'shelf.define({form}, references={{"{name}": {parent}}})',),
        )
        for name, parent in told.items()
    ]


def _of_field(difference: Difference) -> list[Way]:
    finding = difference.finding
    writes = [
        one.offered.label
        for one in difference.sequence.steps
        if isinstance(one, steps.Call) and not one.offered.is_look
    ]
    kind, field = finding.unlike.kind, finding.unlike.field
    if kind == "key":
        first = Way(
            "the real one gave a key again that had been another record's: a defect of "
            f"{writes[-1]}"
        )
    elif kind == "handed":
        first = Way(
            f"{writes[-1]} leaves {field!r} of the record that the caller handed in as it is not "
            "after the fake's"
        )
    else:
        first = _lost(difference, " or ".join(dict.fromkeys(writes)) or "its write")
    names = ", ".join(f'"{one}"' for one in difference.fields)
    spared = Way("where no test asks for it", (f"except_fields=[{names}]",))
    return [first, spared]


def _lost(difference: Difference, writes: str) -> Way:
    """A field that a look-up gives otherwise: where every look-up does, a write lost it."""
    changed, where = ", ".join(difference.fields), " or ".join(difference.methods)
    if difference.others:
        seen = difference.others[0]
        told = f"a defect of {where}, for {seen} gives it as it was written"
    elif len(difference.methods) > 1:
        told = f"a defect of {writes}, for every look-up gives it so"
    else:
        told = f"a defect of {writes}, or of what reads it"
    return Way(f"the real one loses or changes {changed}: {told}")


def _is_of_case(difference: Difference) -> bool:
    """Whether it shows only where a text is asked for in other case."""
    return any(
        isinstance(one, steps.Part) and one.turn == "other case"
        for one in difference.sequence.parts()
    )


def _taught(finding: Finding, body: str = "", ending: str = "") -> list[Way]:
    """Teach the fake what the real one does: as it is read, for a beginning."""
    offered = finding.offered
    if offered is None:
        return []
    parameters = offered.member.parameters
    said = "" if offered.member.promise.is_nothing else "return "
    lines: tuple[str, ...] = (
        f"@shelf.teach({offered.label})",
        f"def {offered.member.name.strip('_')}({', '.join(('shelf', *parameters))}):",
        f"    {said}{body or _as_read(offered, ending)}",
    )
    lines = ("from urnshelf import column", *lines) if "column(" in lines[-1] else lines
    return [Way("where the real one is right, teach the fake, in arrange=", lines)]


def _as_read(offered: Offered, ending: str = "", *, ignoring_case: bool = False) -> str:
    """What the fake does at present."""
    if offered.record_type is None or not offered.is_look:
        return "…"
    asked = []
    for one in offered.parameters:
        fold = ".ignoring_case" if ignoring_case and one.sign == "=" else ""
        if one.sign == "=" and not fold:
            asked.append((1, f"{one.field}={one.name}"))
        elif one.sign in ("=", "<", "<=", ">", ">=", "!="):
            sign = "==" if one.sign == "=" else one.sign
            asked.append((0, f'column("{one.field}"){fold} {sign} {one.name}'))
    told = ", ".join(text for _, text in sorted(asked))
    return f"shelf.records({offered.record_type.__name__}).where({told}){ending or _end(offered)}"


def _end(offered: Offered) -> str:
    if offered.operation is Operation.COUNT:
        return ".count()"
    if offered.operation is Operation.EXISTS:
        return ".count() > 0"
    return ".all()" if offered.gives is not None and offered.gives.is_many else ".first()"
