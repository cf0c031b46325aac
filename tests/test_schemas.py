"""JSON Schema drawn: a hundred documents of many schemas each, judged by a published validator."""

from __future__ import annotations

import os
from random import Random
from typing import Any

import jsonschema
import pytest

import schemas
from urnshelf import RecordRefused, Urn

VALIDATOR = jsonschema.Draft202012Validator


def judged(schema: Any) -> jsonschema.Draft202012Validator:
    VALIDATOR.check_schema(schema)
    return VALIDATOR(schema, format_checker=VALIDATOR.FORMAT_CHECKER)


def test_there_are_enough_schemas() -> None:
    assert len(schemas.CASES) + len(schemas.REFUSABLE) >= 190


@pytest.mark.parametrize("name", schemas.CASES)
def test_documents_are_valid(name: str) -> None:
    validator = judged(schemas.CASES[name])
    documents = Urn(7).draw(schemas.CASES[name], 100)
    assert [one for one in documents if not validator.is_valid(one)] == []
    assert Urn(7).draw(schemas.CASES[name], range(90, 95)) == documents[90:95]


@pytest.mark.parametrize("seed", range(20 if "CI" in os.environ else 4))
def test_random_schemas_give_valid_documents_or_a_refusal(seed: int) -> None:
    random = Random(seed)
    served = 0
    for _ in range(25):
        schema = schemas.at_random(random)
        if not isinstance(schema, dict):
            continue
        validator = judged(schema)
        try:
            documents = Urn(seed).draw(schema, 8)
        except RecordRefused:
            continue
        assert [one for one in documents if not validator.is_valid(one)] == [], schema
        served += 1
    assert served >= 8


@pytest.mark.parametrize("name", schemas.REFUSABLE)
def test_what_cannot_be_drawn_is_refused_with_its_path(name: str) -> None:
    judged(schemas.REFUSABLE[name])
    with pytest.raises(RecordRefused, match=r"^cannot draw #"):
        Urn(7).draw(schemas.REFUSABLE[name], 3)


@pytest.mark.parametrize(
    ("schema", "complaint"),
    [
        ({"type": "array", "prefixItems": [{"unevaluatedItems": False}]},
         "cannot draw #/prefixItems/0/unevaluatedItems: this keyword is not kept"),
        ({"type": "array", "items": [{}]}, "a list of schemas is prefixItems"),
        ({"properties": {"a": 5}, "required": ["a"]}, "#/properties/a: 5 is no schema"),
        ({"type": "colour"}, "the type 'colour' is none of JSON's"),
        ({"type": "string", "pattern": "["}, r"#: .*'\[' is no regular expression"),
        ({"properties": {"phone": {"type": "string", "pattern": "^X"}}, "required": ["phone"]},
         "#/properties/phone: no telephone number that belongs to nobody keeps '.X'"),
        ({"allOf": [{"format": "date"}, {"format": "time"}], "type": "string"}, "same time"),
        ({"type": "string", "format": "uuid", "maxLength": 5}, "no text of the format 'uuid'"),
    ],
)  # fmt: skip
def test_refusals_say_what_and_where(schema: Any, complaint: str) -> None:
    with pytest.raises(RecordRefused, match=complaint):
        Urn(7).draw(schema, 20)


def test_everything_that_may_be_comes_up() -> None:
    def seen(name: str) -> list[Any]:
        return Urn(7).draw(schemas.CASES[name], 100)

    assert {type(one) for one in seen("several types")} == {str, type(None), bool, list}
    assert {"cars" in one for one in seen("if")} == {True, False}
    assert {len(one) for one in seen("dictionary")} > {0, 1, 2}
    assert {one["type"] for one in seen("geometry")} == {"Point", "Line"}
    assert {"a" in one for one in seen("any of, objects")} == {True, False}
    crew = [member["id"] for one in seen("vessel") for member in one.get("crew", [])]
    assert len(set(crew)) == len(crew)
    assert [one["id"] for one in seen("vessel")] == list(range(1, 101))
    # what need not be there, and cannot be, is left out
    assert {"b" in one for one in seen("not true in a property")} == {False}


def test_openapi_schema_objects() -> None:
    def drawn(name: str) -> list[Any]:
        return Urn(7).draw(schemas.OPENAPI[name], 100)

    assert {one is None for one in drawn("nullable")} == {True, False}
    assert set(drawn("exclusive as a truth value")) == {6, 7}
    assert all(-(2**31) <= one < 2**31 for one in drawn("int32"))
    pets = [pet for pets in drawn("schemas") for pet in pets]
    assert {pet["kind"] for pet in pets} == {"Cat", "Dog"}
    assert all(isinstance(pet["age"], int) for pet in pets if pet["kind"] == "Dog")


def test_a_document_is_nobody_elses() -> None:
    first, second = Urn(7).draw({"const": {"a": [1]}}, 2)
    first["a"].append(2)
    assert second == {"a": [1]}
