"""OpenAPI documents as published frameworks and document libraries write them."""

import enum
from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Any, Literal
from uuid import UUID

from apispec import APISpec
from apispec.ext.marshmallow import MarshmallowPlugin
from fastapi import Cookie, Depends, FastAPI, Form, Header, Query, UploadFile
from fastapi.security import APIKeyHeader, HTTPBearer
from flask import Flask
from flask.views import MethodView
from flask_openapi3 import Info, OpenAPI, Tag
from flask_smorest import Api, Blueprint
from marshmallow import Schema, fields, validate
from pydantic import BaseModel, Field, create_model


class Side(enum.Enum):
    PORT = "port"
    STARBOARD = "starboard"


class Fender(BaseModel):
    kind: Literal["fender"]
    thick_cm: int = Field(ge=5, le=80)


class Rope(BaseModel):
    kind: Literal["rope"]
    length_m: float = Field(gt=0)


class MooringIn(BaseModel):
    vessel: str = Field(min_length=2, max_length=30)
    arrival: datetime
    days: int = Field(default=1, ge=1, le=60)
    side: Side = Side.PORT
    gear: list[Annotated[Fender | Rope, Field(discriminator="kind")]] = []
    note: str | None = None


class Mooring(MooringIn):
    id: int
    fee: Decimal
    token: UUID


class Node(BaseModel):
    name: str
    inside: list["Node"] = []


class Slip(BaseModel):
    moorings: list[Mooring]
    total: int
    day: date


def by_fastapi() -> dict[str, Any]:
    """Version 3.1; bodies, queries, headers, cookies, forms, files, security, unions, recursion."""
    app = FastAPI(title="Moorings", servers=[{"url": "https://port.example/v2"}])
    key = APIKeyHeader(name="X-Key")

    @app.get("/moorings", tags=["moorings"])
    def many(
        vessel: str, limit: Annotated[int, Query(ge=1, le=100)] = 20, side: Side | None = None,
        days: Annotated[list[int] | None, Query()] = None,
    ) -> Slip: ...  # fmt: skip
    @app.post("/moorings", status_code=201, tags=["moorings"])
    def new(mooring: MooringIn, x_desk: Annotated[str, Header()]) -> Mooring: ...
    @app.get("/moorings/{id}", tags=["moorings"], responses={404: {"model": Node}})
    def one(id: int, lang: Annotated[str, Cookie()]) -> Mooring: ...
    @app.delete("/moorings/{id}", status_code=204, dependencies=[Depends(HTTPBearer())])
    def gone(id: int) -> None: ...
    @app.put("/moorings/{id}/papers", dependencies=[Depends(key)])
    def papers(id: int, title: Annotated[str, Form()], scan: UploadFile) -> dict[str, int]: ...
    @app.get("/tree/{path:path}")
    def tree(path: str) -> Node: ...
    @app.patch("/moorings/{id}", tags=["moorings"])
    def change(id: UUID, days: Annotated[int, Form(ge=1)]) -> Mooring | None: ...

    return app.openapi()


class BerthSchema(Schema):
    id = fields.Integer(dump_only=True, required=True)
    code = fields.String(required=True, validate=validate.Regexp(r"^[A-D]-\d{2}$"))
    depth_m = fields.Float(required=True, validate=validate.Range(min=0, max=30))
    secret = fields.String(load_only=True, required=True)
    since = fields.Date(allow_none=True)
    tags = fields.List(fields.String(validate=validate.OneOf(["deep", "dry"])))
    neighbours = fields.Dict(keys=fields.String(), values=fields.Integer())


class BerthChange(Schema):
    depth_m = fields.Float(validate=validate.Range(min=0, max=30, max_inclusive=False))


class BerthQuery(Schema):
    harbour = fields.String(required=True)
    deep = fields.Boolean()


def by_flask_smorest() -> dict[str, Any]:
    """Version 3.0, by marshmallow's schemas: read-only and write-only fields, nullable ones."""
    app = Flask(__name__)
    app.config |= {"API_TITLE": "Berths", "API_VERSION": "1", "OPENAPI_VERSION": "3.0.3"}
    api = Api(app)
    blueprint = Blueprint("berths", "berths", url_prefix="/berths")

    @blueprint.route("/")
    class Berths(MethodView):
        @blueprint.arguments(BerthQuery, location="query")
        @blueprint.response(200, BerthSchema(many=True))
        def get(self, args): ...
        @blueprint.arguments(BerthSchema)
        @blueprint.response(201, BerthSchema)
        def post(self, args): ...

    @blueprint.route("/<int:berth_id>")
    class OneBerth(MethodView):
        @blueprint.response(200, BerthSchema)
        @blueprint.alt_response(404)
        def get(self, berth_id): ...
        @blueprint.response(204)
        def delete(self, berth_id): ...
        @blueprint.arguments(BerthChange)
        @blueprint.response(200, BerthSchema)
        def patch(self, args, berth_id): ...

    api.register_blueprint(blueprint)
    return api.spec.to_dict()


class Where(BaseModel):
    station: str


class When(BaseModel):
    at: datetime
    unit: Literal["m", "ft"] = "m"


class Depth(BaseModel):
    station: str
    depth_m: float = Field(ge=0, lt=100, examples=[6.3])


def by_flask_openapi3() -> dict[str, Any]:
    """Version 3.1, by pydantic's models."""
    app = OpenAPI(__name__, info=Info(title="Tides", version="1"))
    tides = Tag(name="tides")

    @app.get("/stations/<station>/depth", tags=[tides], responses={200: Depth, 404: Node})
    def depth(path: Where, query: When): ...
    @app.post("/stations", tags=[tides], responses={201: Depth})
    def station(body: Depth): ...
    @app.put("/stations/<station>", tags=[tides], responses={200: Depth})
    def put(path: Where, body: Depth): ...
    @app.delete("/stations/<station>", tags=[tides], responses={204: None})
    def gone(path: Where): ...
    @app.get("/stations/<station>/tree", responses={200: Node})
    def tree(path: Where): ...

    return app.api_doc


def by_apispec() -> dict[str, Any]:
    """Version 3.0, by a library of documents: components of every kind, links, callbacks."""
    spec = APISpec("Cranes", "1", "3.0.3", plugins=[MarshmallowPlugin()])
    spec.components.schema("Crane", schema=BerthSchema)
    spec.components.schema(
        "Load", {"type": "object", "required": ["t"], "properties": {
            "t": {"type": "number", "minimum": 0, "exclusiveMinimum": True},
            "of": {"type": "string", "nullable": True, "enum": ["coal", "salt", None]}}},
    )  # fmt: skip
    spec.components.parameter("at", "query", {"required": True, "schema": {"type": "string"}})
    spec.components.response("Load", {"description": "a load", "content": {
        "application/json": {"schema": "Load"}}})  # fmt: skip
    spec.path("/cranes/{id}", parameters=[
        {"in": "path", "name": "id", "required": True, "schema": {"type": "integer"}}],
        operations={
            "get": {"parameters": ["at"], "responses": {"200": "Load", "default": "Load"}},
            "post": {
                "requestBody": {"required": True, "content": {"application/json": {
                    "schema": "Load"}}},
                "responses": {"202": {"description": "taken", "links": {
                    "next": {"operationId": "x"}}}},
                "callbacks": {"lifted": {"{$request.body#/url}": {"post": {
                    "responses": {"200": {"description": "ok"}}}}}},
            }})  # fmt: skip
    key = {"in": "path", "name": "name", "required": True, "schema": {"type": "string"}}
    spec.path("/loads/{name}", parameters=[key], operations={
        "get": {"responses": {"200": "Load"}},
        "put": {
            "parameters": [{"in": "header", "name": "If-Match", "required": True,
                            "schema": {"type": "string", "minLength": 1}}],
            "requestBody": {"required": True, "content": {"application/json": {"schema": {
                "oneOf": [{"$ref": "#/components/schemas/Load"}, {"type": "array", "minItems": 1,
                    "items": {"$ref": "#/components/schemas/Load"}}]}}}},
            "responses": {"2XX": {"description": "kept"}}},
        "delete": {"responses": {"204": {"description": "gone"}}}})  # fmt: skip
    return spec.to_dict()


def of_operations(count: int) -> dict[str, Any]:
    """A document by FastAPI with so many operations."""
    app = FastAPI(title="Many")
    for n in range(0, count, 4):
        given = create_model(f"Part{n}In", code=(str, ...), weight_t=(float, Field(gt=0)))
        found = create_model(f"Part{n}", __base__=given, id=(int, ...))
        _four(app, n, given, found)
    document = app.openapi()
    assert sum(len(item) for item in document["paths"].values()) == -(-count // 4) * 4
    return document


def _four(app: FastAPI, n: int, given: Any, found: Any) -> None:
    @app.get(f"/parts{n}", tags=[f"part {n}"])
    def many(harbour: str, limit: int = 10) -> list[found]: ...
    @app.post(f"/parts{n}", status_code=201)
    def new(part: given) -> found: ...
    @app.get(f"/parts{n}/{{id}}")
    def one(id: int) -> found: ...
    @app.delete(f"/parts{n}/{{id}}", status_code=204)
    def gone(id: int) -> None: ...


DOCUMENTS = {
    "FastAPI": by_fastapi,
    "flask-smorest": by_flask_smorest,
    "flask-openapi3": by_flask_openapi3,
    "apispec": by_apispec,
    "FastAPI, 500": lambda: of_operations(500),
}
