"""A route: the requests of one method and path, as a target of the one way of a call."""

from __future__ import annotations

from inspect import Parameter, Signature
from typing import TYPE_CHECKING, Any, Protocol, Self, Unpack

from urnshelf.calls.cue import Cue
from urnshelf.calls.handles import Handle
from urnshelf.calls.ledger import LiveCall
from urnshelf.calls.replies import Passing, Raising, Reply, WhenSpent
from urnshelf.calls.script import Line
from urnshelf.calls.target import FakeState, Target
from urnshelf.errors import CueRefused, ReplyRefused
from urnshelf.interfaces.members import Member
from urnshelf.interfaces.promises import Promise
from urnshelf.kiosk.broken import is_of_the_network
from urnshelf.kiosk.filling import Computing, Filling, Unfilled, not_promised
from urnshelf.kiosk.path_template import PathTemplate
from urnshelf.kiosk.response import Response
from urnshelf.kiosk.wanting import Conditions, Wanting, wanting
from urnshelf.records.display import show
from urnshelf.records.equality import Matcher
from urnshelf.records.matchers import whatever
from urnshelf.types.nodes import node_of

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from urnshelf.kiosk.request import Request

_PROMISE = Promise(node_of(Response))


class Promised(Protocol):
    """What a document says of a route."""

    tags: tuple[str, ...]

    @property
    def name(self) -> str:
        """The document's."""
        ...

    @property
    def at(self) -> str:
        """Where it is said: file and pointer."""
        ...

    def forbids(self, request: Request) -> Sequence[Any]:
        """What is wrong with a request."""
        ...

    def lacks(self, reply: Response) -> Sequence[Any]:
        """What a reply has that is not promised."""
        ...

    def reply(
        self, call: LiveCall, status: int, example: str | None, fields: dict[str, Any]
    ) -> Response:
        """A reply as it is promised."""
        ...


class RouteTarget(Target):
    """A route, as the desk takes its requests.

    Args:
        state: what the library knows of the kiosk.
        method: `GET`, `POST` …
        path: with parameters.
        promised: what a document says of it.
    """

    own_promise = _PROMISE
    is_read = False
    noun, done, of_what = "request", "requested", "parts"

    def __init__(
        self,
        state: FakeState,
        method: str,
        path: PathTemplate,
        promised: Promised | None = None,
    ) -> None:
        self.method = method
        self.path = path
        self.promised = promised
        self.tags: tuple[str, ...] = () if promised is None else promised.tags
        """By which people find it among many."""
        super().__init__(state, _member(method, path))

    @property
    def name(self) -> str:
        """`tides: GET /stations/{code}/depth`."""
        return f"{self.state.label}: {self.member.name}"

    @property
    def bare_name(self) -> str:
        """The same."""
        return self.name

    @property
    def expression(self) -> str:
        """`shelf.kiosk("tides").route("GET", "/stations/{code}/depth")`."""
        return f'{self.state.expression}.route("{self.method}", "{self.path}")'

    @property
    def parameters(self) -> tuple[str, ...]:
        """Those of the path, and the request itself."""
        return self.member.parameters

    def bind(self, *args: object, **kwargs: object) -> tuple[Any, ...]:
        """The path's parameters in their order, and a request that may be any."""
        bound = self.member.bind(*args, **kwargs)
        for (name, kind), value in zip(self.path.kinds.items(), bound, strict=False):
            fits = (Matcher, int, float) if kind.type is float else (Matcher, kind.type)
            if not isinstance(value, fits) or isinstance(value, bool):
                raise TypeError(self._misfit(name, kind.type, kind.what, value))
        return bound

    def _misfit(self, name: str, kind: type, what: str, value: object) -> str:
        is_text, is_told = kind is str, self.promised is not None
        told = name if is_text or is_told else f"{name}:{kind.__name__.lower()}"
        number = f"; for a number write {{{name}:int}}" if is_text and not is_told else ""
        return f"takes {what} for {{{told}}}, not {show(value, 40)}{number}"

    def call(self, function: Callable[..., Any], live: tuple[Any, ...]) -> Any:
        """The path's parameters by name, and the request."""
        return self.member.call(function, live)

    def wait(self, call: LiveCall, seconds: float) -> None:
        """Whoever carries the reply waits: a server for one client must not keep the others."""
        call.live[-1].waits += seconds

    def shown(self, values: tuple[Any, ...]) -> str:
        """`tides: GET /stations/TER/depth?at=noon`."""
        return f"{self.state.label}: {values[-1].line}"


def _member(method: str, path: PathTemplate) -> Member:
    by_either = Parameter.POSITIONAL_OR_KEYWORD
    parameters = [Parameter(name, by_either) for name in path.kinds]
    # a request is wide by nature: what is not asked of it may be anything
    parameters.append(Parameter("request", Parameter.KEYWORD_ONLY, default=whatever))
    return Member(f"{method} {path}", "route", None, Signature(parameters))


class Route(Handle):
    """The requests of one method and path of a kiosk: what is cued, and looked at.

    >>> depth = shelf.kiosk("tides").route("GET", "/stations/{code}/depth")
    >>> cue(depth, code="TER").gives(response(json={"depth_m": 6.3}))
    cue(tides: GET /stations/{code}/depth, code='TER').gives(response(200, '{"depth_m": 6.3}'))
    """

    __slots__ = ("_wanting",)
    _target: RouteTarget

    if TYPE_CHECKING:  # to the checkers it is like a method of the path's parameters

        def __call__(self, *path: Any, **named: Any) -> Response:
            """Never called."""
            raise NotImplementedError

    def __init__(self, target: RouteTarget, wanting: Wanting | None = None) -> None:
        super().__init__(target)
        self._wanting = wanting

    def asked_with(self, **conditions: Unpack[Conditions]) -> Route:
        """The requests of this route with these parts, for looks: `tally(depth.asked_with(query=
        {"at": "noon"}), code="TER")`. Cues have `.asked_with(…)` of their own.

        Args:
            conditions: `query`, `headers`, `cookies`, `form`, `files`: a mapping of names to values
                or matchers; `json`, `text`, `body`, `content_type`: a value or a matcher. What is
                not named may be anything.

        Raises:
            CueRefused: no part of a request.

        >>> import httpx
        >>> kiosk = shelf.kiosk("tides")
        >>> depth = kiosk.route("GET", "/depth")
        >>> _ = cue(depth).gives(response(text="6.3"))
        >>> _ = httpx.Client(transport=kiosk.for_httpx()).get("http://tides.example/depth?at=noon")
        >>> tally(depth.asked_with(query={"at": "noon"})) == 1
        True
        """
        return Route(self._target, wanting(conditions, str(self)))

    def _expects(self, expected: tuple[Any, ...] | None) -> tuple[Any, ...] | None:
        return _narrowed(self._target, expected, self._wanting)

    @property
    def _more(self) -> str:
        return "" if self._wanting is None else f".asked_with({self._wanting})"

    def _new_cue(self, line: Line) -> RequestCue:
        return RequestCue(line)

    def __str__(self) -> str:
        return self._target.name + self._more

    def __repr__(self) -> str:
        return f"<route {self}>"


def _narrowed(
    target: RouteTarget, expected: tuple[Any, ...] | None, more: Wanting | None
) -> tuple[Any, ...] | None:
    if more is None:
        return expected
    path = (whatever,) * len(target.path.kinds) if expected is None else expected[:-1]
    return (*path, more)


class RequestCue(Cue[..., Response]):
    """What a route replies; made by `cue(route, …)`.

    >>> depth = shelf.kiosk("tides").route("GET", "/depth")
    >>> cue(depth).asked_with(query={"at": "noon"}).gives(response(text="6.3"))
    cue(tides: GET /depth).asked_with(query={'at': 'noon'}).gives(response(200, '6.3'))
    """

    def asked_with(self, **conditions: Unpack[Conditions]) -> Self:
        """Only for requests with these parts; what is not named may be anything.

        Args:
            conditions: as for `Route.asked_with`.

        Raises:
            CueRefused: no part of a request, or the cue has its reply already.

        >>> depth = shelf.kiosk("tides").route("GET", "/depth")
        >>> cue(depth).asked_with(query={"at": "noon"}).gives(response(text="6.3"))
        cue(tides: GET /depth).asked_with(query={'at': 'noon'}).gives(response(200, '6.3'))
        """
        line = self._line
        if line.reply is not None:
            raise CueRefused(f"{self}: say what is asked of the request before the reply")
        asked = line.asked
        last = (asked.expected or (None,))[-1]
        earlier = last.asked if isinstance(last, Wanting) else {}
        try:
            more = wanting(conditions, asked.method)
        except CueRefused as why:
            raise self._refused(CueRefused, str(why)) from None
        more = Wanting({**earlier, **more.asked})
        narrowed = _narrowed(line.target, asked.expected, more)  # type: ignore[arg-type]
        asked.more = f".asked_with({more})"
        line.expect(narrowed)
        return self

    def raises(self, error: BaseException | type[BaseException]) -> Self:
        """Break the connection, as the client in use raises it: `ConnectionRefusedError`,
        `ConnectionResetError`, `TimeoutError`, `socket.gaierror`, `ssl.SSLError`.

        Raises:
            CueRefused: an exception that no client raises.

        >>> depth = shelf.kiosk("tides").route("GET", "/depth")
        >>> cue(depth).raises(TimeoutError())
        cue(tides: GET /depth).raises(TimeoutError())
        """
        self._check_error(error if isinstance(error, type) else type(error), show(error, 60))
        return super().raises(error)

    # a route replies responses alone: what a cue of any method gives is wider
    def gives(  # pyright: ignore[reportIncompatibleMethodOverride]
        self, *values: Response | Raising | Passing, when_spent: WhenSpent = "repeat"
    ) -> Self:
        """Reply with this response, or with these in turn; `raising(…)` and `passing_through` may
        stand among them.

        Args:
            values: made by `response(…)`.
            when_spent: after the last, `"repeat"` it, `"cycle"` from the first, or `"refuse"` the
                request.

        Raises:
            ReplyRefused: something else than a response.
            CueRefused: an exception that no client raises.

        >>> depth = shelf.kiosk("tides").route("GET", "/depth")
        >>> cue(depth).gives(raising(TimeoutError()), response(503), response(text="6.3")).used
        False
        """
        for one in values:
            if isinstance(one, Raising):
                self._check_error(one.kind, one.shown)
        super().gives(*values, when_spent=when_spent)
        return self

    def _with(self, reply: Reply) -> Self:
        target: Any = self._line.target
        items = getattr(reply, "items", None)
        if any(isinstance(one, Unfilled) for one in items or ()):
            reply = Filling(reply, target.state.fake._store)
        if target.promised is not None:
            for one in items or ():
                self._check_promised(target.promised, one)
            if items is None and not getattr(reply, "passes", False):
                reply = Computing(reply)
        return super()._with(reply)

    def _check_promised(self, promised: Promised, one: Any) -> None:
        if isinstance(one, Response) and not isinstance(one, Unfilled):
            wrong = promised.lacks(one)
            if wrong:
                raise self._refused(
                    ReplyRefused, f"{self}.gives({one!r}): {not_promised(promised, wrong)}"
                )

    def _check_error(self, kind: type[BaseException], shown: str) -> None:
        if not is_of_the_network(kind):
            raise self._refused(
                CueRefused,
                f"{self}: no request ends with {shown}. For a broken connection use "
                "ConnectionRefusedError(), ConnectionResetError(), TimeoutError(), "
                "socket.gaierror() or ssl.SSLError(); for an error that the service tells, "
                ".gives(response(500))",
            )
