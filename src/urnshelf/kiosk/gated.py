"""What a kiosk lets in: credentials, tokens, so many requests in so long."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from urnshelf.calls.desk import Desk
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.target import FakeState, Target
from urnshelf.clock import Clock
from urnshelf.errors import SettingRefused
from urnshelf.kiosk.collection import Handled
from urnshelf.kiosk.gates import (
    ByKey,
    ByPassword,
    ByToken,
    Gate,
    Limit,
    TokenGiver,
    Tokens,
    number_of,
)
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.route import Route, RouteTarget
from urnshelf.kiosk.routing import Routes


class Gated:
    """The gates of a kiosk."""

    name: str
    _desk: Desk
    _clock: Clock
    _gates: list[tuple[str, Gate]]
    _free: set[Target]
    _routes: Routes
    _handlers: dict[RouteTarget, Handled]
    _urnshelf_state: FakeState

    def lets_in(
        self,
        *,
        bearer: str | None = None,
        basic: Mapping[str, str] | None = None,
        api_key: tuple[str, str] | None = None,
        under: str = "/",
    ) -> None:
        """Let only those in who say who they are; others get a 401 that tells what is lacking.

        Args:
            bearer: a token that holds for ever (RFC 6750). For tokens that expire see `tokens`.
            basic: names and their passwords (RFC 7617).
            api_key: the name of a header or a query's parameter, and the key.
            under: the paths that are guarded so: all that begin like this.

        Raises:
            SettingRefused: not just one of them.

        >>> kiosk = shelf.kiosk("port")
        >>> kiosk.lets_in(bearer="s3cret")
        >>> _ = cue(kiosk.route("GET", "/berths")).gives(response(json=[]))
        >>> import httpx
        >>> client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        >>> client.get("/berths").headers["www-authenticate"]
        'Bearer'
        >>> client.get("/berths", headers={"Authorization": "Bearer s3cret"}).json()
        []
        """
        if [bearer, basic, api_key].count(None) != 2:
            raise SettingRefused("lets_in(): give one of bearer=, basic= and api_key=")
        if bearer is not None:
            tokens = Tokens(self._clock, self.name)
            tokens.add(bearer)
            self._guard(under, ByToken(tokens))
        elif basic is not None:
            self._guard(under, ByPassword(basic))
        elif api_key is not None:
            self._guard(under, ByKey(*api_key))

    def tokens(
        self, path: str, clients: Mapping[str, str], *, lasts: float = 3600, under: str = "/"
    ) -> Route:
        """Give tokens at an OAuth 2 end point, by client credentials (RFC 6749, section 4.4), and
        let only those in who have one; it expires on the shelf's clock.

        Args:
            path: of the end point.
            clients: names and their secrets.
            lasts: how long a token holds, in seconds.
            under: the paths that are guarded so; the end point itself is not.

        Returns:
            The end point's route, to be cued and looked at.

        >>> kiosk = shelf.kiosk("port")
        >>> _ = kiosk.tokens("/token", {"desk": "s3cret"}, lasts=600)
        >>> import httpx
        >>> client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        >>> form = {"grant_type": "client_credentials"}
        >>> got = client.post("/token", data=form, auth=("desk", "s3cret")).json()
        >>> got["token_type"], got["expires_in"]
        ('Bearer', 600)
        """
        tokens = Tokens(self._clock, f"{self.name} {path}")
        giver = TokenGiver(tokens, clients, number_of(lasts, "tokens(lasts=…)"))
        target = self._routes.target("POST", path)
        self._handlers[target] = Handled(
            lambda call: giver.answer(call.live[-1]), is_look_up=True, what="the token end point"
        )
        self._guard(under, ByToken(tokens), free=target)
        return Route(target)

    def limits(self, most: int, *, per: float, under: str = "/") -> None:
        """Take so many requests in so long, on the shelf's clock; one too many gets a 429 with
        `Retry-After`.

        Args:
            most: requests.
            per: in so many seconds.
            under: the paths that are counted.

        >>> kiosk = shelf.kiosk("port")
        >>> kiosk.limits(1, per=60)
        >>> _ = cue(kiosk.route("GET", "/berths")).gives(response(json=[]))
        >>> import httpx
        >>> client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        >>> [client.get("/berths").status_code for _ in range(2)]
        [200, 429]
        >>> _ = shelf.clock.advance(seconds=60)
        >>> client.get("/berths").status_code
        200
        """
        whole = number_of(most, "limits(…)", whole=True)
        self._guard(under, Limit(whole, number_of(per, "limits(per=…)"), self._clock))

    def _guard(self, under: str, gate: Gate, free: RouteTarget | None = None) -> None:
        if not isinstance(under, str) or not under.startswith("/"):
            raise SettingRefused(f"under={under!r}: the paths that are meant begin with a slash")
        if not self._gates:
            self._desk.put_before(self._at_the_gates)
        if free is not None:
            self._free.add(free)
        self._gates.append((under, gate))

    def _at_the_gates(self, call: LiveCall) -> Any:
        """The answerer before all others: what is not let in."""
        target = call.target
        if target.state is not self._urnshelf_state or target in self._free:
            return NO_REPLY
        request: Request = call.live[-1]
        for under, gate in self._gates:
            stopped = gate.stops(request) if request.path.startswith(under) else None
            if stopped is not None:
                call.answered_by = gate
                return stopped
        return NO_REPLY
