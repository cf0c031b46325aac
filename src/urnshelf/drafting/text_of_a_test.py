"""One drafted test: its name, and the lines that arrange, act and check."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Sequence
from typing import Any, NamedTuple, Protocol

from urnshelf.drafting.arrangement import Asked
from urnshelf.drafting.asserting import Among, Asserting, Told
from urnshelf.drafting.decisions import BRANCH, TRY, Way
from urnshelf.drafting.draft_spelling import DraftSpelling
from urnshelf.drafting.naming import is_free, name_for, words_for
from urnshelf.drafting.over_http import ROUTE, Client
from urnshelf.drafting.searching import Search
from urnshelf.drafting.service import Service
from urnshelf.drafting.settling import Settled
from urnshelf.drafting.values import Drawn, Faked, Raised
from urnshelf.kiosks import Kiosk
from urnshelf.records.description import snake_case
from urnshelf.records.spelling import variable_for


class Written(NamedTuple):
    """A test as text.

    Args:
        name: the function's.
        parameters: with their types.
        arrange: its lines; likewise of the two others.
        act: …
        check: …
        settled: what it is of.
        of: which method.
    """

    name: str
    parameters: list[str]
    arrange: list[str]
    act: list[str]
    check: list[str]
    settled: Settled
    of: str


class Writer(Protocol):
    """The file that a test is written into."""

    @property
    def spelling(self) -> DraftSpelling:
        """Spells its values."""
        ...

    def name(self, wanted: str) -> str:
        """A name of a test that no other has."""
        ...

    def known(self, form: Any) -> str:
        """The project's fixture for a dependency; empty where there is none."""
        ...

    def route(self, asked: Asked, taken: Collection[str]) -> str:
        """How all tests call a route."""
        ...


class OneTest:
    """Writes one test.

    Args:
        writing: the file's.
        search: which knows the code.
        settled: the test.
        together: what all tests of the method look at.
        why: what makes its path, in words.
    """

    def __init__(
        self, writing: Writer, search: Search, settled: Settled, together: Among, why: str
    ) -> None:
        self._writing = writing
        self._spelling = writing.spelling
        self._search = search
        self._service: Service = search.service
        self._settled = settled
        self._among = together
        self._why = why
        self._trial = settled.trial
        self._fakes: dict[Any, str] = {}
        """The fakes that were named, and how."""
        self._clients: dict[Client, str] = {}
        self._routes: dict[Asked, str] = {}
        self._made: list[str] = []
        self._parameters: dict[str, None] = {}
        self._taken: set[str] = {self._variable}

    def written(self) -> Written:
        """The test as text."""
        trial = self._trial
        clients = self._client_lines()
        asserting = Asserting(trial, self._spelling, self._among, self._fake)
        for name, value in trial.arrangement.given.items():
            if isinstance(value, Drawn):
                asserting.name_of(("given", name))
        told = asserting.told()
        act = self._act(told)
        arrange = [*clients, *self._arranged(told)]
        name = self._writing.name(self._name(told))
        parameters = [f"shelf: {self._spelling.ours('Shelf')}", *self._parameters]
        return Written(
            name, parameters, arrange, act, self._checked(told), self._settled, self._service.label
        )

    def _name(self, told: Told) -> str:
        trial = self._trial
        subject = self._service.name.strip("_")
        if told.raised is not None:
            outcome = f"raises_{snake_case(type(trial.error).__name__)}"
        else:
            outcome = _outcome(trial.result, told)
        return name_for(subject, outcome, self._why)

    # --- arrange ----------------------------------------------------------------------------------

    def _arranged(self, told: Told) -> list[str]:
        arrangement = self._trial.arrangement
        lines = [
            f'shelf.define({self._spelling.named(form)}, key="{key}")'
            for form, key in arrangement.defined.items()
        ]
        lines += [self._swapped(place, value) for place, value in arrangement.swapped.items()]
        lines += self._stocked(told)
        for asked, values in arrangement.replies.items():
            lines += self._cued(asked, values, told)
        given = [
            f"{told.needs['given', name]} = {self._spelling.arranged(value)}"
            for name, value in arrangement.given.items()
            if ("given", name) in told.needs
        ]
        return [*self._service_line(), *self._made, *lines, *given]

    def _client_lines(self) -> list[str]:
        """The kiosks, and the clients whose requests they take."""
        lines: list[str] = []
        for part, name in self._service.clients:
            client = getattr(self._trial.arrangement, part).get(name)
            if client is None:
                continue
            kiosk = self._free(client.kiosk)
            self._fakes[Kiosk, client.kiosk] = kiosk
            self._clients[client] = self._free(name.strip("_"))
            lines.append(f'{kiosk} = shelf.kiosk("{client.kiosk}")')
            lines.append(f"{self._clients[client]} = {self._spelling.client(client, kiosk)}")
        return lines

    def _swapped(self, place: str, value: Any) -> str:
        form = self._service.reached_for.get(place)
        if place in ("time:sleep", "asyncio:sleep"):
            return f'shelf.swap("{place}", everywhere=False)'
        if form is None:
            return f'shelf.swap("{place}")'
        del value
        name = self._free(place.partition(":")[2].strip("_"))
        is_used = any(asked.form is form for asked in self._trial.arrangement.replies)
        self._fakes[form, None] = name
        return f'{name} = shelf.swap("{place}")' if is_used else f'shelf.swap("{place}")'

    def _stocked(self, told: Told) -> list[str]:
        lines: list[tuple[str, list[str], int, str]] = []
        for number, record in enumerate(self._trial.arrangement.records):
            name = told.needs.get(("records", number), "")
            form, fields = self._spelling.named(record.form), self._spelling.told(record)
            same_before = lines and lines[-1][:2] == (form, fields)
            if same_before and not name and not lines[-1][3]:
                lines[-1] = (form, fields, lines[-1][2] + 1, "")
            else:
                lines.append((form, fields, 1, name))
        return [
            f"{f'{name} = ' if name else ''}shelf.stock("
            f"{', '.join([form, *([str(count)] if count > 1 else []), *fields])})"
            for form, fields, count, name in lines
        ]

    def _cued(self, asked: Asked, values: Sequence[Any], told: Told) -> list[str]:
        fake = self._fake(asked)
        note = self._settled.notes.get(asked)
        lines = [f"# a default that decides: {note}"] if note else []
        method = f"{fake}.{asked.method}" if asked.method and asked.kind != ROUTE else fake
        named = [
            (n, told.needs["replies", asked, n])
            for n in range(len(values))
            if ("replies", asked, n) in told.needs
        ]
        lines += [f"{name} = {self._spelling.arranged(values[n])}" for n, name in named]
        if len(values) == 1 and isinstance(values[0], Raised) and asked.kind in ("gives", ROUTE):
            error = self._spelling.error(values[0])
            return [*lines, f"{self._spelling.ours('cue')}({method}).raises({error})"]
        spelt = self._spelling.reply if asked.kind == ROUTE else self._spelling.arranged
        shown = [dict(named).get(n) or spelt(one) for n, one in enumerate(values)]
        if asked.kind == "attribute":
            method = f'{self._spelling.ours("attribute")}({fake}, "{asked.method}")'
        cue = f"{self._spelling.ours('cue')}({method})"
        if asked.kind == "streams":
            streamed: Any = values[0]
            items = ", ".join(self._spelling.arranged(one) for one in streamed)
            return [*lines, f"{cue}.streams({items})"]
        if asked.kind == "enters":
            return [*lines, f"{cue}.enters({', '.join(shown)})"]
        return [*lines, f"{cue}.gives({', '.join(shown)})"]

    def _fake(self, asked: Asked) -> str:
        """How a fake, or a route, is called; it is made where it is first needed."""
        if asked.kind == ROUTE:
            return self._routes.get(asked) or self._route(asked)
        known = self._fakes.get((asked.form, asked.name))
        if known is not None:
            return known
        fixture = self._writing.known(asked.form) if asked.name is None else ""
        name = fixture or self._free(self._fake_name(asked))
        self._fakes[asked.form, asked.name] = name
        shown = self._spelling.named(asked.form)
        if fixture:
            self._parameters[f"{fixture}: {shown}"] = None
        else:
            second = "" if asked.name is None else f', "{asked.name}"'
            self._made.append(f"{name} = shelf.fake({shown}{second})")
        return name

    def _route(self, asked: Asked) -> str:
        method, _, path = asked.method.partition(" ")
        name = self._routes[asked] = self._writing.route(asked, self._taken)
        kiosk = self._fakes[Kiosk, asked.name]
        self._made.append(f'{name} = {kiosk}.route("{method}", "{path}")')
        return name

    def _fake_name(self, asked: Asked) -> str:
        for (_, parameter), fake in self._service.fakes.items():
            if fake.form == asked.form and fake.name == asked.name:
                return parameter.strip("_")
        return variable_for(asked.form)

    def _free(self, name: str) -> str:
        wanted = name if is_free(name) else f"the_{name}"
        while wanted in self._taken:
            wanted += "_"
        self._taken.add(wanted)
        return wanted

    # --- act --------------------------------------------------------------------------------------

    @property
    def _variable(self) -> str:
        """How the service is called."""
        fixture = "" if self._trial.arrangement.built else self._writing.known(self._service.cls)
        if fixture:
            return fixture
        cls = self._service.cls
        words = snake_case(cls.__name__).split("_") if cls else [self._service.name]
        is_short = is_free(words[-1]) and words[-1] not in ("httpx", "requests")
        return words[-1] if is_short else "_".join(words)

    def _service_line(self) -> list[str]:
        service = self._service
        if service.cls is None or not service.built_of_instance:
            return []
        built = self._trial.arrangement.built
        fixture = "" if built else self._writing.known(service.cls)
        if fixture:
            self._parameters[f"{fixture}: {self._spelling.named(service.cls)}"] = None
            return []
        given = [f"{name}={self._argument(value)}" for name, value in built.items()]
        furnished = ", ".join([self._spelling.named(service.cls), *given])
        return [f"{self._variable} = shelf.furnish({furnished})"]

    def _call(self, told: Told) -> str:
        service = self._service
        parts: list[str] = []
        for name, value in self._trial.arrangement.given.items():
            shown = told.needs.get(("given", name)) or self._argument(value)
            is_only_positional = service.parameters[name].kind is (
                service.parameters[name].kind.POSITIONAL_ONLY
            )
            parts.append(shown if is_only_positional else f"{name}={shown}")
        arguments = ", ".join(parts)
        if service.cls is None:
            call = f"{self._spelling.named(service.function_now)}({arguments})"
        elif service.built_of_instance:
            call = f"{self._variable}.{service.name}({arguments})"
        else:
            call = f"{self._spelling.named(service.cls)}.{service.name}({arguments})"
        if service.is_async:
            self._spelling.modules["asyncio"] = None
            return f"asyncio.run({call})"
        if service.is_async_stream:
            self._spelling.modules["asyncio"] = None
            return f"asyncio.run({self._collecting(call)})"
        return f"list({call})" if service.is_stream else call

    def _collecting(self, call: str) -> str:
        return f"_items_of({call})"

    def _argument(self, value: Any) -> str:
        if isinstance(value, Client):
            return self._clients[value]
        if isinstance(value, Faked):
            return self._fake(Asked(value.form, value.name, ""))
        return self._spelling.arranged(value)

    def _act(self, told: Told) -> list[str]:
        call = self._call(told)
        if told.raised is not None:
            kind, pattern = told.raised
            match = f", match={pattern}" if pattern else ""
            return [f"with {self._spelling.pytest('raises')}({kind}{match}):", f"    {call}"]
        if told.result:
            return [f"{told.result} = {call}"]
        is_nothing = told.direct == "is None" and told.lines
        if is_nothing or not told.direct:
            return [call]
        return [f"result = {call}"]

    def _checked(self, told: Told) -> list[str]:
        is_shown = told.direct and not (told.direct == "is None" and told.lines)
        is_looked_into = any(re.search(rf"\b{told.result}[.\[]", line) for line in told.lines)
        first = [f"assert result {told.direct}"] if is_shown else []
        if told.result and is_looked_into and self._service.may_give_none:
            first = [f"assert {told.result} is not None"]
        return [*first, *told.lines]


def _outcome(result: Any, told: Told) -> str:
    if told.direct in ("is True", "is False"):
        return f"gives_{str(result).lower()}"
    if told.direct == "is None":
        return "gives_none" if not told.lines else "is_done"
    if result is None:
        return "is_done"
    if isinstance(result, (list, tuple, dict, set)):
        return f"gives_{_COUNTS.get(len(result), 'several')}"
    if isinstance(result, (str, int, float)) and re.fullmatch(r"\w{1,20}", str(result)):
        return f"gives_{str(result).lower()}"
    return f"gives_{variable_for(type(result))}"


_COUNTS = {0: "nothing", 1: "one", 2: "two", 3: "three"}


def distinguished(search: Search, settled: Sequence[Settled], one: Settled) -> str:
    """What makes a path, in words: the way that no other test takes, else the last one that few
    do."""
    counted: Counter[Way] = Counter(way for each in settled for way in each.trial.ways)
    own = [way for way in one.trial.ways if counted[way] == 1 and _says(search, way)]
    own.sort(key=lambda way: (way.outcome == "edge", search.decisions[way.site].kind != BRANCH))
    if not own:
        own = [way for way in one.ways if _says(search, way)]
    if not own:
        shared = [way for way in one.trial.ways if _says(search, way)]
        own = sorted(shared, key=lambda way: counted[way])[:1]
    if not own or len(settled) == 1:
        return ""
    return words_for(search.decisions[own[0].site], own[0])


def _says(search: Search, way: Way) -> bool:
    decision = search.decisions[way.site]
    return not (decision.kind == TRY and way.outcome == -1)
