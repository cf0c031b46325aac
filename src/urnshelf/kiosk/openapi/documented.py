"""A kiosk's document at work: what it forbids is refused, and what nobody cued is replied as it
promises.
"""

from __future__ import annotations

from collections.abc import Sequence
from http import HTTPStatus
from pathlib import Path
from typing import Any

from urnshelf.calls.ledger import LiveCall
from urnshelf.errors import ReplyRefused
from urnshelf.kiosk.collection import Handled
from urnshelf.kiosk.openapi.api import api_of
from urnshelf.kiosk.openapi.contract import Contract, Wrong
from urnshelf.kiosk.openapi.drawn_replies import DrawnReplies
from urnshelf.kiosk.openapi.of_records import OfRecords, Shown, shown
from urnshelf.kiosk.problems import TYPE
from urnshelf.kiosk.reasons import Condition
from urnshelf.kiosk.request import NoJson, Request
from urnshelf.kiosk.response import Response, response
from urnshelf.kiosk.route import Promised
from urnshelf.kiosk.routing import Routes
from urnshelf.store.stored import Store


class Documented:
    """The document of a kiosk.

    Args:
        path: of its file.
        routes: of the kiosk, to which the operations are added.
        store: the shelf's records.
        seed: the shelf's.
        name: the kiosk's.

    Raises:
        FileRefused: the document is none that can be read.
    """

    def __init__(self, path: Path, routes: Routes, store: Store, seed: int, name: str) -> None:
        self.api = api_of(path)
        self.drawn = DrawnReplies(self.api, seed, name)
        self._records = OfRecords(store)
        self._store = store
        self.besides: dict[tuple[str, str], None] = {}
        """Parameters of queries of which the document says nothing, with their route."""
        for contract in self.api.contracts:
            operation, promised = contract.operation, OperationPromised(self, contract)
            routes.promised(operation.method, contract.path, promised)
            self._records.add(contract)
        routes.close(self.api.name)

    @property
    def notes(self) -> list[str]:
        """What is not done of what the document says."""
        return self.api.left_out

    # --- answering --------------------------------------------------------------------------------

    def answer(self, call: LiveCall, promised: OperationPromised) -> Response:
        """What an operation replies that nothing else answers.

        Raises:
            ReplyRefused: nothing can be replied that the document promises.
        """
        contract, request = promised.contract, call.live[-1]
        found = self._records.handler(contract)
        if found is not None:
            handler, how = found
            call.answered_by = handler
            with self._store.lock:
                return self.conform(contract, request, handler(call), how)
        call.answered_by = promised
        status = contract.operation.usual
        if status is None:
            raise ReplyRefused(f"{contract.at}: no reply is promised")
        return self.drawn.reply(contract, request, status)

    def of_collection(
        self, call: LiveCall, handler: Handled, promised: OperationPromised
    ) -> Response:
        """What a collection replies, as the document promises it."""
        contract = promised.contract
        how = shown(contract, contract.operation.usual)
        return self.conform(contract, call.live[-1], handler(call), how)

    def conform(
        self, contract: Contract, request: Request, reply: Response, how: Shown | None
    ) -> Response:
        """A reply of records with the status and the form that the document promises."""
        if reply.status >= 400:
            return self._problem(contract, request, reply)
        usual = contract.operation.usual
        status = reply.status
        if contract.operation.reply(status) is None and usual is not None and status != 304:
            status = usual
        promised = contract.operation.reply(status)
        has_body = promised is not None and bool(promised.contents)
        if not has_body or not reply.body:
            if has_body and request.method != "HEAD" and status != 304:
                return self.drawn.reply(contract, request, status)
            return Response(status, _without_type(reply.headers))
        if how is None or not how.within:
            return Response(status, reply.headers, reply.parts)
        data = Request("GET", "/", reply.headers, reply.body).json
        total = dict(reply.headers).get("X-Total-Count", str(len(data)))
        page = self.drawn.reply(contract, request, status, fields={how.within: data})
        whole = Request("GET", "/", page.headers, page.body).json
        for name in ("total", "count", "total_count", "totalCount"):
            if name in whole:
                whole[name] = int(total)
        return response(status, json=whole, headers=_without_type(reply.headers))

    def _problem(self, contract: Contract, request: Request, reply: Response) -> Response:
        """What went wrong, as the document has it."""
        told = Request("GET", "/", reply.headers, reply.body).json
        told = told if isinstance(told, dict) else {}
        detail = str(told.get("detail") or told.get("error_description") or told.get("error", ""))
        if reply.status in (400, 415, 422) and "error" not in told:
            # the document takes the request, and the records do not
            wrong = [f"{one['pointer']} {one['detail']}" for one in told.get("errors", ())]
            text = "; ".join([detail, *wrong])
            raise ReplyRefused(f"the document takes the request, but the records do not: {text}")
        if contract.operation.reply(reply.status) is None:
            raise ReplyRefused(
                f"{detail}, and the document promises no {reply.status} for it "
                f"({HTTPStatus(reply.status).phrase})"
            )
        if not contract.wrong_reply(reply):
            return reply
        drawn = self.drawn.reply(contract, request, reply.status)
        value = Request("GET", "/", drawn.headers, drawn.body).json
        if isinstance(value, NoJson) or not isinstance(value, dict):
            return drawn
        for name in ("detail", "message", "error", "title", "description"):
            changed = {**value, name: detail}
            if name in value and not contract.wrong_reply(_json_like(drawn, changed)):
                value = changed
                break
        return _json_like(drawn, value)


def _json_like(like: Response, value: Any) -> Response:
    kind = dict(like.headers).get("Content-Type", TYPE)
    return response(like.status, json=value, headers=_without_type(like.headers), content_type=kind)


def _without_type(headers: Sequence[tuple[str, str]]) -> tuple[tuple[str, str], ...]:
    return tuple((name, value) for name, value in headers if name.lower() != "content-type")


class OperationPromised(Promised):
    """What a document says of a route.

    Args:
        document: the whole.
        contract: what it says of an operation.
    """

    def __init__(self, document: Documented, contract: Contract) -> None:
        self.document = document
        self.contract = contract
        self.tags = contract.operation.tags

    def forbids(self, request: Request) -> list[Wrong]:
        """What is wrong with a request."""
        for name in self.contract.besides(request):
            operation = self.contract.operation
            self.document.besides[f"{operation.method} {operation.path}", name] = None
        return self.contract.wrong_request(request)

    def conditions(self, request: Request) -> list[Condition]:
        """What is wanted of a request, a line each."""
        return self.contract.conditions(request)

    def lacks(self, reply: Response) -> list[Wrong]:
        """What a reply has that is not promised."""
        return self.contract.wrong_reply(reply)

    def reply(
        self, call: LiveCall, status: int, example: str | None, fields: dict[str, Any]
    ) -> Response:
        """A reply as it is promised."""
        status = status or self.contract.operation.usual or 200
        return self.document.drawn.reply(self.contract, call.live[-1], status, example, fields)

    @property
    def at(self) -> str:
        """Where it is said: file and pointer."""
        return self.contract.at

    @property
    def name(self) -> str:
        """The document's."""
        return self.document.api.name

    def __repr__(self) -> str:
        return f"the document {self.document.api.name}"
