"""JSON Schemas of all sorts, by name; each is valid itself. `REFUSABLE` are those that nobody need
draw: they may be refused, but never drawn wrongly.
"""

from __future__ import annotations

from typing import Any

T, INT, N, S = {"type": "string"}, {"type": "integer"}, {"type": "number"}, "string"
KINDS = ["cargo", "ferry"]
TREE = {
    "type": "object",
    "required": ["name"],
    "properties": {
        "name": T,
        "parts": {"type": "array", "items": {"$ref": "#"}},
        "next": {"anyOf": [{"type": "null"}, {"$ref": "#"}]},
    },
}


def obj(*required: str, **properties: Any) -> dict[str, Any]:
    return {"type": "object", "required": list(required), "properties": properties}


def arr(items: Any = True, **more: Any) -> dict[str, Any]:
    return {"type": "array", "items": items, **more}


CASES: dict[str, Any] = {
    # texts
    "text": T,
    "short text": {"type": S, "minLength": 2, "maxLength": 4},
    "empty text": {"type": S, "maxLength": 0},
    "long text": {"type": S, "minLength": 60},
    "pattern": {"type": S, "pattern": "^[A-Z]{3}-\\d+$"},
    "pattern, unanchored": {"type": S, "pattern": "[0-9]"},
    "pattern and length": {"type": S, "pattern": "^[a-z]+$", "minLength": 12, "maxLength": 14},
    "unanchored pattern and length": {"type": S, "pattern": "[0-9]", "minLength": 5},
    "two patterns": {"allOf": [{"type": S, "pattern": "^[a-z]+$"}, {"pattern": "^.{3,5}$"}]},
    "pattern with a look-ahead": {"type": S, "pattern": "^(?=.*\\d)[a-z\\d]{8}$"},
    "pattern with a named group": {"type": S, "pattern": "^(?P<year>\\d{4})$"},
    "pointer pattern": {"type": S, "pattern": "^(/(([^/~])|(~[01]))*)*$"},
    "amount pattern": {"type": S, "pattern": "\\d+ EUR"},
    "dot pattern": {"type": S, "pattern": "^v\\d+\\.\\d+$"},
    **{
        f"format {name}": {"type": S, "format": name}
        for name in """date-time date time duration email idn-email uri iri uri-reference uuid
        hostname ipv4 ipv6 regex json-pointer relative-json-pointer iri-reference
        idn-hostname uri-template""".split()
    },
    "email of a length": {"type": S, "format": "email", "maxLength": 15},
    "email of a pattern": {"type": S, "format": "email", "pattern": "@example\\.org$"},
    "uri of a length": {"type": S, "format": "uri", "maxLength": 25},
    "long uri": {"type": S, "format": "uri", "minLength": 60},
    "date of a pattern": {"type": S, "format": "date", "pattern": "^2029-"},
    "hostname of a length": {"type": S, "format": "hostname", "maxLength": 9},
    "date-time of a length": {"type": S, "format": "date-time", "maxLength": 20},
    "unknown format": {"type": S, "format": "call-sign"},
    # numbers
    "integer": INT,
    "integer bounds": {"type": "integer", "minimum": -3, "maximum": 3},
    "integer between fractions": {"type": "integer", "minimum": 1.5, "maximum": 3.5},
    "exclusive bounds": {"type": "integer", "exclusiveMinimum": 5, "exclusiveMaximum": 7},
    "multiple": {"type": "integer", "multipleOf": 7},
    "negative multiples": {"type": "integer", "multipleOf": 5, "minimum": -20, "maximum": -1},
    "multiple of a fraction": {"type": "integer", "multipleOf": 0.5},
    "several multiples": {"allOf": [{"type": "integer", "multipleOf": 4}, {"multipleOf": 6}]},
    "big integer": {"type": "integer", "minimum": 10**20},
    "below": {"type": "number", "maximum": -5.5},
    "number": N,
    "number bounds": {"type": "number", "minimum": 0, "maximum": 1},
    "small numbers": {"type": "number", "exclusiveMinimum": 0, "exclusiveMaximum": 0.01},
    "cents": {"type": "number", "multipleOf": 0.01, "minimum": 0, "maximum": 5},
    "tenths": {"type": "number", "multipleOf": 0.1},
    "number without a type": {"minimum": 5, "maximum": 6},
    "number or integer": {"type": ["number", "integer"], "minimum": 3},
    # simple values
    "boolean": {"type": "boolean"},
    "null": {"type": "null"},
    "several types": {"type": ["string", "null", "boolean", "array"]},
    "anything": {},
    "true": {"properties": {"a": True}, "required": ["a"], "type": "object"},
    "const": {"const": {"a": [1, 2]}},
    "const null": {"const": None},
    "const and a type": {"const": 5, "type": "integer"},
    "enum": {"enum": KINDS},
    "enum against type": {"enum": ["a", 1, None, 2], "type": "integer"},
    "enum against a bound": {"enum": [1, 5, 9], "minimum": 4},
    "enum against a pattern": {"enum": ["ab", "cd"], "pattern": "^a"},
    "enum of true and 1": {"enum": [True, 1], "type": "boolean"},
    "two enums": {"allOf": [{"enum": [1, 2, 3]}, {"enum": [2, 3, 4]}]},
    "enum and const": {"enum": [1, 2], "const": 2},
    "enum and not": {"enum": [1, 2, 3], "not": {"const": 2}},
    # lists
    "list": arr(INT),
    "list of anything": {"type": "array"},
    "list lengths": arr(INT, minItems=2, maxItems=3),
    "empty list": arr(INT, maxItems=0),
    "long list": arr(INT, minItems=40),
    "different": arr({"enum": [1, 2, 3, 4]}, uniqueItems=True, minItems=3),
    "different objects": arr(obj("a", a={"enum": [1, 2, 3]}), uniqueItems=True, minItems=2),
    "different, as JSON has it": arr({"enum": [1, True, "1"]}, uniqueItems=True, minItems=3),
    "prefix": {"type": "array", "prefixItems": [INT, T], "minItems": 2},
    "prefix alone": {"type": "array", "prefixItems": [INT, T], "items": False, "minItems": 2},
    "prefix and others": {"prefixItems": [INT], "items": T, "minItems": 3, "type": "array"},
    "prefix that is not allowed": {"type": "array", "prefixItems": [INT, False], "items": T},
    "contains": {"type": "array", "contains": {"const": 7}},
    "contains among others": arr(INT, contains={"minimum": 990}),
    "contains two": arr(INT, contains={"const": 5}, minContains=2, maxContains=3),
    "contains none": arr({"enum": [1, 2]}, contains={"const": 1}, minContains=0),
    "contains at most": arr({"enum": [1, 2, 3]}, contains={"const": 1}, maxContains=1),
    "contains in a prefix": {
        "type": "array", "prefixItems": [{"enum": [1, 2]}], "contains": {"const": 1}
    },
    "two contained": {
        "type": "array",
        "allOf": [{"contains": {"const": 1}}, {"contains": {"const": "a"}}],
    },
    "contained and different": arr(INT, contains={"const": 3}, uniqueItems=True, minItems=4),
    "nested lists": arr(arr(arr(INT, minItems=1), minItems=1), minItems=1),
    "lists joined": {"allOf": [arr({"minimum": 3}), arr({"maximum": 5, "type": "integer"})]},
    # objects
    "object": obj("a", a=INT, b=T),
    "object without a type": {"properties": {"a": INT}, "required": ["a"]},
    "any object": {"type": "object"},
    "required and unsaid": {"type": "object", "required": ["a", "b"]},
    "closed": {**obj("a", a=INT, b=T), "additionalProperties": False},
    "closed and empty": {"type": "object", "additionalProperties": False},
    "dictionary": {"type": "object", "additionalProperties": INT},
    "dictionary of a size": {
        "type": "object", "additionalProperties": INT, "minProperties": 2, "maxProperties": 4
    },
    "properties and others": {**obj("a", a=T), "additionalProperties": INT},
    "required among others": {
        "type": "object", "required": ["z"], "additionalProperties": {"type": "boolean"}
    },
    "at least": {"type": "object", "minProperties": 3},
    "at least, of those named": {
        **obj("a", a=INT, b=INT, c=INT), "minProperties": 2, "additionalProperties": False
    },
    "at most": {**obj("a", a=INT, b=INT, c=INT, d=INT), "maxProperties": 2},
    "exactly": {**obj(a=INT, b=INT, c=INT), "minProperties": 1, "maxProperties": 1},
    "patterned": {"type": "object", "patternProperties": {"^x_": INT}},
    "patterned alone": {
        "type": "object", "patternProperties": {"^x_[a-z]{2}$": INT}, "additionalProperties": False
    },
    "patterned, of a size": {
        "type": "object", "patternProperties": {"^[a-z]{3}$": INT}, "additionalProperties": False,
        "minProperties": 2,
    },
    "patterned and named": {**obj("x_a", x_a={"minimum": 5}), "patternProperties": {"^x_": INT}},
    "patterned, required": {
        "type": "object", "required": ["n1"], "patternProperties": {"^n": N, "1$": INT}
    },
    "names": {"type": "object", "propertyNames": {"pattern": "^[a-z]{2}$"}, "minProperties": 2},
    "names of a length": {"type": "object", "propertyNames": {"maxLength": 3}, "minProperties": 1},
    "names among": {
        "type": "object", "propertyNames": {"enum": ["a", "b"]}, "additionalProperties": INT,
        "minProperties": 1,
    },
    "names that leave some out": {**obj("ab", ab=INT, abc=INT), "propertyNames": {"maxLength": 2}},
    "needs": {**obj(card=T, address=T), "dependentRequired": {"card": ["address"]}},
    "needs in turn": {**obj(a=INT, b=INT, c=INT), "dependentRequired": {"a": ["b"], "b": ["c"]}},
    "needs more": {
        **obj(card=T),
        "dependentSchemas": {"card": {"required": ["street"], "properties": {"street": T}}},
    },
    "needs more, required": {
        **obj("card", card=T), "dependentSchemas": {"card": {"minProperties": 3}}
    },
    "two that need more": {
        **obj(a=INT, b=INT),
        "dependentSchemas": {"a": {"required": ["x"]}, "b": {"required": ["y"]}},
    },
    "property that is not allowed": obj("a", a=INT, b=False),
    "nested": obj("a", a=obj("b", b=obj("c", c=INT))),
    "escaped names": {"type": "object", "required": ["a/b", "c~d", "e f"]},
    # joined
    "all of": {"allOf": [obj("a", a=INT), obj("b", b=T)]},
    "all of, bounds": {"type": "integer", "allOf": [{"minimum": 3}, {"maximum": 5}]},
    "all of, one property": {"allOf": [obj("a", a={"minimum": 5}), obj(a=INT)]},
    "all of, closed": {
        "allOf": [{**obj("a", a=INT), "additionalProperties": True}, {**obj("b", b=INT, a=N)}]
    },
    "all of, required in a closed one": {
        "allOf": [{**obj(a=INT, b=INT), "additionalProperties": False}, {"required": ["a"]}]
    },
    "all of, one adds what the other forbids": {
        "allOf": [{**obj("a", a=INT), "additionalProperties": False}, obj(b=INT)]
    },
    "all of, others narrowed": {
        "allOf": [{"type": "object", "additionalProperties": INT}, obj("b", b={"minimum": 5})]
    },
    "all of, types": {"allOf": [{"type": ["integer", "string"]}, {"type": ["string", "null"]}]},
    "all of, number and integer": {"allOf": [N, INT]},
    "all of any of": {"allOf": [{"anyOf": [T, INT]}, {"anyOf": [INT, {"type": "null"}]}]},
    "any of": {"anyOf": [T, INT]},
    "any of, with more": {"type": "integer", "anyOf": [{"minimum": 990}, {"maximum": 3}]},
    "any of, some impossible": {"type": "integer", "anyOf": [{"type": S}, {"minimum": 5}]},
    "any of, objects": {
        **obj("k", k=T), "anyOf": [{"required": ["a"]}, {"required": ["b"]}]
    },
    "one of": {"oneOf": [T, INT]},
    "one of, overlapping": {"oneOf": [{**INT, "minimum": 2}, {**INT, "maximum": 500}]},
    "one of, number and integer": {"oneOf": [N, INT]},
    "one of, multiples": {"type": "integer", "oneOf": [{"multipleOf": 3}, {"multipleOf": 5}]},
    "one of, objects": {
        "oneOf": [obj("a", a=INT), obj("b", b=INT)], "type": "object"
    },
    "one of, tagged": {
        "oneOf": [
            obj("kind", "beam", kind={"const": "ferry"}, beam=N),
            obj("kind", kind={"const": "tug"}),
        ]
    },
    "one of and any of": {
        "type": "integer",
        "oneOf": [{"minimum": 10}, {"maximum": 5}],
        "anyOf": [{"multipleOf": 2}, {"multipleOf": 3}],
    },
    # conditions
    "if": {
        **obj("kind", kind={"enum": KINDS}, cars=INT),
        "if": {"properties": {"kind": {"const": "ferry"}}},
        "then": {"required": ["cars"]},
        "else": {"properties": {"cars": False}},
    },
    "if without else": {
        "type": "integer", "if": {"minimum": 100}, "then": {"multipleOf": 50}
    },
    "if without then": {
        "type": "integer", "if": {"minimum": 100}, "else": {"multipleOf": 3}
    },
    "if alone": {"type": "integer", "if": {"minimum": 100}},
    "two ifs": {
        "type": "integer",
        "allOf": [
            {"if": {"minimum": 500}, "then": {"multipleOf": 2}},
            {"if": {"multipleOf": 3}, "then": {"maximum": 700}},
        ],
    },
    "if required": {
        **obj(a=INT, b=INT), "if": {"required": ["a"]}, "then": {"required": ["b"]}
    },
    "not a type": {"not": {"type": "string"}, "type": ["string", "integer"]},
    "not a type, else anything": {"not": {"type": ["integer", "number"]}},
    "not a value": {"type": "integer", "minimum": 1, "maximum": 3, "not": {"const": 2}},
    "not some values": {"type": S, "not": {"enum": ["a", "b"]}},
    "not required": {**obj("a", a=INT, b=INT), "not": {"required": ["b"]}},
    "not both": {**obj(a=INT, b=INT), "not": {"required": ["a", "b"]}},
    "not a pattern": {"type": S, "not": {"pattern": "^[A-M]"}},
    "not a bound": {"type": "integer", "not": {"minimum": 500}},
    "not any of": {"type": "integer", "not": {"anyOf": [{"multipleOf": 2}, {"multipleOf": 3}]}},
    "not not": {"not": {"not": INT}, "type": "integer"},
    "not true in a property": obj("a", a=INT, b={"not": {}}),
    # references
    "reference": {**obj("a", a={"$ref": "#/$defs/n"}), "$defs": {"n": INT}},
    "reference with more": {
        "$ref": "#/$defs/n", "minimum": 5, "$defs": {"n": {**INT, "maximum": 9}}
    },
    "reference in turn": {"$ref": "#/$defs/a", "$defs": {"a": {"$ref": "#/$defs/b"}, "b": INT}},
    "anchor": {"$ref": "#n", "$defs": {"x": {"$anchor": "n", **INT}}},
    "identifier": {
        "$id": "https://office.example/root",
        "$ref": "berth",
        "$defs": {"x": {"$id": "https://office.example/berth", **obj("a", a=INT)}},
    },
    "identifier with an anchor": {
        "$id": "https://office.example/root/",
        **obj("a", a={"$ref": "berth#n"}),
        "$defs": {"x": {"$id": "berth", "$defs": {"y": {"$anchor": "n", **INT}}}},
    },
    "references start from the nearest identifier": {
        "$id": "https://office.example/a/",
        "$ref": "b/x",
        "$defs": {"x": {"$id": "b/x", "$ref": "#/$defs/n", "$defs": {"n": INT}}, "n": T},
    },
    "percent-escape": {"$ref": "#/$defs/a%20b", "$defs": {"a b": INT}},
    "percent-escape of a percent": {"$ref": "#/$defs/a%25b", "$defs": {"a%b": INT}},
    "pointer escapes": {"$ref": "#/$defs/a~1b~0c", "$defs": {"a/b~c": INT}},
    "array index": {"$ref": "#/allOf/1", "$defs": {}, "allOf": [INT, {"minimum": 5}]},
    "array index in a prefix": {
        "type": "array", "prefixItems": [INT, {"$ref": "#/prefixItems/0"}], "minItems": 2
    },
    "reference named as a property": obj("$ref", **{"$ref": T}),
    "tree": TREE,
    "tree of required parts": {
        "$defs": {"leaf": INT, "node": {"anyOf": [{"$ref": "#/$defs/leaf"}, {
            "type": "array", "items": {"$ref": "#/$defs/node"}, "minItems": 2}]}},
        "$ref": "#/$defs/node",
    },
    "linked list": {
        "$defs": {"node": obj("v", v=INT, next={"$ref": "#/$defs/node"})}, "$ref": "#/$defs/node"
    },
    "definitions": {"$ref": "#/definitions/n", "definitions": {"n": INT}},
    # whole documents
    "vessel": {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Vessel",
        **obj(
            "id", "name", "kind", "email",
            id={**INT, "minimum": 1}, name={"type": S, "minLength": 2, "maxLength": 40},
            kind={"enum": KINDS}, length={"type": "number", "exclusiveMinimum": 0, "maximum": 400},
            email={"type": S, "format": "email"}, built={"type": S, "format": "date"},
            phone=T, crew=arr(obj("id", "name", id=INT, name=T), minItems=1, maxItems=4),
            tags=arr(T, uniqueItems=True), berth={"type": ["integer", "null"]},
            position=arr(N, minItems=2, maxItems=2),
        ),
        "additionalProperties": False,
    },
    "invoice": {
        **obj(
            "number", "lines", "paid",
            number={"type": S, "pattern": "^[0-9]{4}-[0-9]{3,6}$"},
            paid={"type": "boolean"}, paid_on={"type": S, "format": "date"},
            lines=arr({"$ref": "#/$defs/line"}, minItems=1),
        ),
        "if": {"properties": {"paid": {"const": True}}},
        "then": {"required": ["paid_on"]},
        "$defs": {
            "line": obj(
                "price", "count", price={"type": "number", "multipleOf": 0.5, "minimum": 0},
                count={**INT, "exclusiveMinimum": 0},
            )
        },
    },
    "geometry": {
        "oneOf": [
            obj("type", "coordinates", type={"const": "Point"}, coordinates={"$ref": "#/$defs/p"}),
            obj(
                "type", "coordinates", type={"const": "Line"},
                coordinates=arr({"$ref": "#/$defs/p"}, minItems=2),
            ),
        ],
        "$defs": {"p": arr(N, minItems=2, maxItems=3)},
    },
    "settings": {
        "type": "object",
        "additionalProperties": {"type": ["string", "number", "boolean", "null"]},
        "propertyNames": {"pattern": "^[a-z][a-z_]*$"},
        "maxProperties": 5,
    },
    "message": {
        **obj("kind", "body", kind={"enum": ["a", "b"]}, body=True),
        "allOf": [
            {
                "if": {"properties": {"kind": {"const": "a"}}},
                "then": {"properties": {"body": T}},
                "else": {"properties": {"body": obj("n", n=INT)}},
            }
        ],
    },
}  # fmt: skip

REFUSABLE: dict[str, Any] = {
    "unevaluated properties": {**obj("a", a=INT), "unevaluatedProperties": False},
    "unevaluated in one way": {"anyOf": [INT, {**obj("a", a=INT), "unevaluatedProperties": False}]},
    "unevaluated items": {"type": "array", "prefixItems": [INT], "unevaluatedItems": False},
    "dynamic reference": {"$dynamicRef": "#n", "$defs": {"x": {"$dynamicAnchor": "n", **INT}}},
    "nothing": {"not": {}},
    "impossible bounds": {"type": "integer", "minimum": 5, "maximum": 3},
    "impossible types": {"allOf": [T, INT]},
    "impossible values": {"enum": [1, 2], "type": "string"},
    "impossible pattern": {"type": S, "pattern": "^[a-z]{3}$", "minLength": 5},
    "impossible list": arr(False, minItems=1),
    "impossible names": {**obj("abc"), "propertyNames": {"maxLength": 2}},
    "impossible sizes": {**obj("a", "b"), "maxProperties": 1},
    "impossible difference": arr({"enum": [1, 2]}, uniqueItems=True, minItems=3),
    "back-reference": {"type": S, "pattern": "^(a|b)\\1$"},
    "hard not": {"type": S, "not": {"pattern": "."}},
    "without end": {"$defs": {"n": obj("n", n={"$ref": "#/$defs/n"})}, "$ref": "#/$defs/n"},
    "circle": {"$ref": "#"},
    "outside": {"$ref": "https://elsewhere.example/x"},
    "nowhere": {"$ref": "#/$defs/gone"},
}

OPENAPI: dict[str, Any] = {
    "nullable": {"type": "string", "nullable": True},
    "exclusive as a truth value": {
        "type": "integer", "minimum": 5, "exclusiveMinimum": True, "maximum": 7
    },
    "int32": {"type": "integer", "format": "int32"},
    "schemas": {
        "$ref": "#/components/schemas/Pets",
        "components": {
            "schemas": {
                "Pets": arr({"$ref": "#/components/schemas/Pet"}, minItems=1),
                "Pet": {
                    "oneOf": [
                        {"$ref": "#/components/schemas/Cat"}, {"$ref": "#/components/schemas/Dog"}
                    ],
                    "discriminator": {"propertyName": "kind"},
                },
                "Cat": {**obj("kind", "lives", kind=T, lives=INT), "example": {"kind": "Cat"}},
                "Dog": {**obj("kind", "age", kind=T, age=INT), "xml": {"name": "dog"}},
            }
        },
    },
}  # fmt: skip


# --- at random ------------------------------------------------------------------------------------

_NAMES = ["a", "b", "id", "email", "x_1", "phone"]
_VALUES: list[Any] = [
    None,
    True,
    False,
    0,
    1,
    2,
    1.0,
    2.5,
    -3,
    "",
    "a",
    "abc",
    [],
    [1],
    {"a": 1},
    {},
]
_PATTERNS = ["^a", "b$", "^[a-c]{1,3}$", "\\d", "^.{2,4}$", "x|y", "^x_"]
_NUMBERS = [-5, 0, 1, 2, 3, 5, 10, 1.5, 0.5, -0.5]
_KINDS: list[Any] = [
    "string", "integer", "number", "array", "object", "object", "boolean", "null", None,
    ["string", "integer"], ["object", "null"],
]  # fmt: skip


def at_random(random: Any, depth: int = 0) -> Any:
    """A schema of any keywords, which may have no value at all."""
    if depth > 3 or random.random() < 0.06:
        return random.choice([True, {}, T, INT, False])
    kind = random.choice(_KINDS)
    found: dict[str, Any] = {} if kind is None else {"type": kind}

    def inner() -> Any:
        return at_random(random, depth + 1)

    def some(low: int, high: int) -> list[Any]:
        return [inner() for _ in range(random.randint(low, high))]

    def maybe(share: float, **keywords: Any) -> None:
        for word, make in keywords.items():
            if random.random() < share:
                found[word] = make()

    whole, pick = random.randint, random.choice
    maybe(0.2, minLength=lambda: whole(0, 5), maxLength=lambda: whole(2, 9))
    maybe(0.15, pattern=lambda: pick(_PATTERNS), format=lambda: pick(["date", "email", "uri"]))
    maybe(0.2, minimum=lambda: pick(_NUMBERS), maximum=lambda: pick(_NUMBERS) + 6)
    maybe(0.1, multipleOf=lambda: pick([2, 3, 0.5, 0.1]), exclusiveMinimum=lambda: pick(_NUMBERS))
    maybe(0.25, items=inner, minItems=lambda: whole(0, 3), maxItems=lambda: whole(2, 5))
    maybe(0.15, prefixItems=lambda: some(1, 3), uniqueItems=lambda: True, contains=inner)
    maybe(0.06, minContains=lambda: whole(0, 2), maxContains=lambda: whole(2, 4))
    maybe(0.5, properties=lambda: {name: inner() for name in random.sample(_NAMES, whole(1, 4))})
    maybe(0.25, required=lambda: random.sample(_NAMES, whole(0, 2)))
    maybe(0.2, additionalProperties=lambda: pick([False, True, inner()]))
    maybe(0.1, patternProperties=lambda: {pick(_PATTERNS): inner()})
    maybe(0.1, propertyNames=lambda: pick([{"maxLength": 3}, {"pattern": "^[a-z]"}]))
    maybe(0.15, minProperties=lambda: whole(0, 3), maxProperties=lambda: whole(2, 4))
    maybe(0.1, dependentRequired=lambda: {pick(_NAMES): [pick(_NAMES)]})
    maybe(0.08, dependentSchemas=lambda: {pick(_NAMES): inner()})
    maybe(
        0.06, enum=lambda: [pick(_VALUES) for _ in range(whole(1, 4))], const=lambda: pick(_VALUES)
    )
    maybe(0.1, anyOf=lambda: some(1, 3), oneOf=lambda: some(1, 3), allOf=lambda: some(1, 2))
    maybe(0.08, **{"not": inner, "if": inner})
    maybe(0.5, **({"then": inner, "else": inner} if "if" in found else {}))
    return found
