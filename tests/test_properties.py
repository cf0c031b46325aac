"""Laws: any call that Python accepts is answered by its own cue and by no other; drawing is pure;
copies are equal.
"""

from __future__ import annotations

import inspect
from dataclasses import dataclass
from inspect import Parameter
from typing import Any, Protocol

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from thorough import examples
from urnshelf import RepliesSpent, Shelf, UnansweredCall, Urn, cue, fitting, raising, tally
from urnshelf.demo.harbour import Mooring
from urnshelf.records.copies import keep
from urnshelf.records.equality import same

KINDS = [
    Parameter.POSITIONAL_ONLY,
    Parameter.POSITIONAL_OR_KEYWORD,
    Parameter.VAR_POSITIONAL,
    Parameter.KEYWORD_ONLY,
    Parameter.VAR_KEYWORD,
]
plain = st.one_of(
    st.none(), st.booleans(), st.integers(-3, 3), st.floats(allow_nan=True), st.text(max_size=3)
)
values = st.recursive(
    plain,
    lambda inner: st.one_of(
        st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=2), inner, max_size=2)
    ),
)


@st.composite
def signatures(draw: st.DrawFn) -> inspect.Signature:
    kinds = sorted(draw(st.lists(st.sampled_from(KINDS), max_size=6)), key=KINDS.index)
    parameters: list[Parameter] = []
    defaulted = False
    for number, kind in enumerate(kinds):
        star = kind in (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)
        if star and any(p.kind is kind for p in parameters):
            continue
        if kind is Parameter.KEYWORD_ONLY:
            has_default = draw(st.booleans())
        else:
            has_default = defaulted = defaulted or draw(st.booleans())
        default = draw(values) if has_default and not star else Parameter.empty
        parameters.append(Parameter(f"p{number}", kind, default=default))
    return inspect.Signature(parameters)


@st.composite
def calls(draw: st.DrawFn) -> tuple[inspect.Signature, list[Any], dict[str, Any]]:
    """A signature and arguments that it accepts."""
    signature = draw(signatures())
    args: list[Any] = []
    kwargs: dict[str, Any] = {}
    positional = True
    for p in signature.parameters.values():
        if p.kind is Parameter.VAR_POSITIONAL:
            args += draw(st.lists(values, max_size=2)) if positional else []
        elif p.kind is Parameter.VAR_KEYWORD:
            kwargs |= draw(st.dictionaries(st.sampled_from(["x", "y"]), values, max_size=2))
        elif p.default is not Parameter.empty and draw(st.booleans()):
            positional = False
        elif p.kind is Parameter.KEYWORD_ONLY or (
            p.kind is Parameter.POSITIONAL_OR_KEYWORD and draw(st.booleans())
        ):
            kwargs[p.name] = draw(values)
            positional = False
        elif positional:
            args.append(draw(values))
        elif p.kind is Parameter.POSITIONAL_OR_KEYWORD:
            kwargs[p.name] = draw(values)
        else:
            assume(p.default is not Parameter.empty)
    try:
        signature.bind(*args, **kwargs)
    except TypeError:
        assume(False)
    return signature, args, kwargs


def fake_with(signature: inspect.Signature, shelf: Shelf) -> Any:
    """The fake of a class whose one method has this signature."""

    def go(*_: Any, **__: Any) -> Any:
        raise AssertionError("never run")

    me = Parameter("self", Parameter.POSITIONAL_ONLY)
    go.__signature__ = signature.replace(parameters=[me, *signature.parameters.values()])  # type: ignore[attr-defined]
    return shelf.fake(type("Drawn", (), {"go": go}))


@examples(300)
@given(calls())
def test_a_call_is_answered_by_the_cue_made_of_it(
    case: tuple[inspect.Signature, list[Any], dict[str, Any]],
) -> None:
    signature, args, kwargs = case
    shelf = Shelf(check_replies=False)
    fake = fake_with(signature, shelf)
    assert inspect.signature(fake.go) == signature
    cue(fake.go, *args, **kwargs).gives("mine")
    assert fake.go(*args, **kwargs) == "mine"
    assert fake.go(*keep(args), **keep(kwargs)) == "mine"
    assert tally(fake.go, *args, **kwargs) == 2


@examples(300)
@given(calls(), st.data())
def test_no_cue_with_one_argument_changed_answers(
    case: tuple[inspect.Signature, list[Any], dict[str, Any]], data: st.DataObject
) -> None:
    signature, args, kwargs = case
    assume(args or kwargs)
    where: Any = data.draw(st.sampled_from([*range(len(args)), *kwargs]))
    old = args[where] if isinstance(where, int) else kwargs[where]
    new = data.draw(values)
    assume(not same(old, new))
    changed_args, changed_kwargs = list(args), dict(kwargs)
    if isinstance(where, int):
        changed_args[where] = new
    else:
        changed_kwargs[where] = new
    shelf = Shelf(check_replies=False)
    fake = fake_with(signature, shelf)
    cue(fake.go, *changed_args, **changed_kwargs).gives("other")
    with shelf.refusals_expected(), pytest.raises(UnansweredCall):
        fake.go(*args, **kwargs)
    assert tally(fake.go, *args, **kwargs) == 1


@dataclass
class Box:
    inside: Any


@examples(200)
@given(values)
def test_a_copy_is_the_same_and_shares_nothing_that_can_change(value: Any) -> None:
    box = Box([value, {"again": value}])
    copy = keep(box)
    assert same(box, copy)
    assert same(copy, box)
    assert copy.inside is not box.inside
    box.inside.append(1)
    assert not same(box, copy)


@examples(100)
@given(st.integers(), st.integers(0, 10**9), st.integers(0, 20), st.integers(0, 20))
def test_any_slice_is_the_same_alone(seed: int, start: int, before: int, length: int) -> None:
    whole = Urn(seed).draw(Mooring, range(start, start + before + length))
    assert Urn(seed).draw(Mooring, range(start + before, start + before + length)) == whole[before:]


# --- programs of cues against a model of the script -----------------------------------------------


class Gauge(Protocol):
    def read(self, place: int) -> int | None: ...


class Silent(Exception):
    pass


places = st.one_of(st.none(), st.integers(0, 2), st.just("odd"))
replies = st.lists(st.one_of(st.integers(0, 9), st.just("raise")), min_size=1, max_size=3)
steps = st.one_of(
    st.tuples(
        st.just("cue"),
        places,
        replies,
        st.sampled_from(["repeat", "cycle", "refuse"]),
        st.sampled_from([0, 0, 1, 2]),
    ),
    st.tuples(st.just("call"), st.integers(0, 2)),
)


class Model:
    """What the script does: the newest line that fits and has calls left gives the value whose turn
    it is.
    """

    def __init__(self) -> None:
        self.lines: list[list[Any]] = []

    def call(self, place: int) -> Any:
        for line in self.lines:
            wanted, values, when_spent, limit, turn = line
            fits = wanted in (None, place) or (wanted == "odd" and place % 2)
            if fits and (not limit or turn < limit):
                line[4] += 1
                spent = {"repeat": len(values) - 1, "cycle": turn % len(values), "refuse": -1}[
                    when_spent
                ]
                at = turn if turn < len(values) else spent
                return "spent" if at < 0 else values[at]
        return "unanswered"


@examples(300)
@given(st.lists(steps, max_size=25))
def test_a_program_of_cues_does_what_the_model_does(program: list[Any]) -> None:
    shelf, model = Shelf(), Model()
    gauge = shelf.fake(Gauge)
    for step in program:
        if step[0] == "cue":
            _, wanted, values, when_spent, limit = step
            arguments = {None: (), "odd": (fitting(lambda place: place % 2),)}.get(
                wanted, (wanted,)
            )
            made = cue(gauge.read, *arguments)
            made.gives(
                *[raising(Silent()) if v == "raise" else v for v in values], when_spent=when_spent
            )
            if limit:
                made.for_calls(limit)
            model.lines.insert(0, [wanted, values, when_spent, limit, 0])
        else:
            assert answer(shelf, gauge, step[1]) == model.call(step[1])
    assert tally(gauge.read) == sum(step[0] == "call" for step in program)


def answer(shelf: Shelf, gauge: Gauge, place: int) -> Any:
    with shelf.refusals_expected():
        try:
            return gauge.read(place)
        except Silent:
            return "raise"
        except UnansweredCall:
            return "unanswered"
        except RepliesSpent:
            return "spent"
