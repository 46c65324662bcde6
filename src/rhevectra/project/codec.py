"""JSON in and out: strict reading with one clear sentence per fault, unknown keys kept, no NaN written."""

import json
import math
import os
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from functools import cache
from types import UnionType
from typing import Any, cast, get_args, get_origin

from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.fields import field_names
from rhevectra.core.basis.requirement import LoadStep, Mains, Output, Requirement, SourceImpedance
from rhevectra.project.document import FORMAT, VERSION, Document
from rhevectra.project.log import BENCH, NOTE, READING

LARGEST, DEEPEST = 5_000_000, 40
_TOP = ("format", "version", "title", "requirement", "decisions", "as_built", "log", "parts")


def decode(text: str, where: str) -> Document:
    """A document from the text of a file. Raises InputError naming file and field."""
    if len(text) > LARGEST:
        raise InputError(where, f"the file is {len(text) / 1e6:.0f} MB", "a project file below 5 MB")
    try:
        tree = json.loads(text, parse_constant=_no_constant)
    except RecursionError:
        raise InputError(where, "the file is nested too deeply", f"a project file nested at most {DEEPEST} levels") from None
    except ValueError as problem:
        raise InputError(where, f"not readable as JSON ({problem})", "a complete project file") from None
    if _depth(tree) > DEEPEST:
        raise InputError(where, "the file is nested too deeply", f"a project file nested at most {DEEPEST} levels")
    if not isinstance(tree, dict) or tree.get("format") != FORMAT:
        raise InputError(f"{where}: format", "this is not a Rhevectra project", f'"format": "{FORMAT}"')
    version = tree.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise InputError(f"{where}: version", f"{version!r} is not a version", f"1 to {VERSION}")
    if version > VERSION:
        raise InputError(f"{where}: version", f"the file was written by a newer Rhevectra (version {version}) and was left untouched",
                         f"versions up to {VERSION}")
    return _document(tree, where)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number")


def _depth(tree: Any) -> int:
    level, layer = 0, [tree]
    while layer and level <= DEEPEST + 1:
        level += 1
        layer = [c for node in layer if isinstance(node, dict | list) for c in (node.values() if isinstance(node, dict) else node)]
    return level


def _document(tree: dict[str, Any], where: str) -> Document:
    title = tree.get("title", "untitled")
    if not isinstance(title, str):
        raise InputError(f"{where}: title", f"{title!r} is not a text", "a text")
    decisions = _mapping(tree, "decisions", where)
    for id, value in decisions.items():
        if isinstance(value, bool) or not isinstance(value, str | int | float):
            raise InputError(f"{where}: decisions.{id}", f"{value!r} cannot be used", "a number in SI units or a name")
    readings = {id: _reading(value, f"{where}: as_built.{id}") for id, value in _mapping(tree, "as_built", where).items()}
    log = tree.get("log", [])
    if not isinstance(log, list):
        raise InputError(f"{where}: log", "the bench log is not a list", "a list of entries")
    requirement = requirement_from(_mapping(tree, "requirement", where, needed=True), where)
    return Document(title, requirement, decisions, readings, tuple(log), _mapping(tree, "parts", where), tree, tuple(_unknown(tree)))


def _mapping(tree: Mapping[str, Any], key: str, where: str, needed: bool = False) -> dict[str, Any]:
    value = tree.get(key, None if needed else {})
    if not isinstance(value, dict):
        raise InputError(f"{where}: {key}", "missing" if value is None else f"{str(value)[:30]!r} is not an object", f'"{key}": {{…}}')
    return value


def _reading(value: Any, where: str) -> Measured:
    if not isinstance(value, dict) or "value" not in value:
        raise InputError(where, "the reading has no value", '{"value": number}')
    try:
        return Measured(value["value"], value.get("uncertainty"), str(value.get("how", "")))
    except InputError as problem:
        raise InputError(where, problem.wrong, problem.accepted) from None


def requirement_from(raw: dict[str, Any], where: str) -> Requirement:
    """A requirement from its JSON tree, checked by type and range. Raises InputError with the first fault and how many more.

    A sound tree is built directly; only where that fails is the schema library loaded, to say what is wrong.
    """
    try:
        found: Requirement = _typed(Requirement, raw)
        return found
    except (TypeError, InputError, OverflowError):
        return _judged(raw, where)


def _typed(wanted: Any, value: Any) -> Any:
    """The value as the annotated type, if it is one already (a whole number serves as a float). Raises TypeError."""
    if isinstance(wanted, type) and is_dataclass(wanted) and isinstance(value, dict):
        return wanted(**{f.name: _typed(f.type, value[f.name]) for f in fields(wanted) if f.name in value})
    if get_origin(wanted) is tuple and isinstance(value, list):
        return tuple(_typed(get_args(wanted)[0], v) for v in value)
    if get_origin(wanted) is UnionType:
        return None if value is None else _typed(get_args(wanted)[0], value)
    if wanted is float and type(value) is int:
        return float(value)
    if type(value) is not wanted:
        raise TypeError(f"{value!r} is not {wanted}")
    return value


@cache
def _schema_of_requirement() -> Any:
    """What the schema library makes of the requirement."""
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")  # looking for plugins reads every installed package
    from pydantic import TypeAdapter

    return TypeAdapter(Requirement)


def _judged(raw: dict[str, Any], where: str) -> Requirement:
    """The same through the schema library, whose errors carry the path of every fault."""
    from pydantic_core import ValidationError

    known = _known_only(raw, Requirement)
    try:
        return cast(Requirement, _schema_of_requirement().validate_json(json.dumps(known), strict=True))
    except ValidationError as problem:
        errors = problem.errors()
        first = errors[0]
        more = f" (and {len(errors) - 1} more)" if len(errors) > 1 else ""
        inner = (first.get("ctx") or {}).get("error")
        if isinstance(inner, InputError):
            raise InputError(f"{where}: {inner.where}", inner.wrong + more, inner.accepted) from None
        place = "requirement." + ".".join(str(p) for p in first["loc"])
        given = "missing" if first["type"] == "missing" else f"{str(first.get('input'))[:30]!r} cannot be used"
        raise InputError(f"{where}: {place}", given + more, _accepted(first["type"], first["msg"])) from None


def _accepted(kind: str, message: str) -> str:
    table = {"missing": "a value", "float_type": "a number in SI units", "string_type": "a text", "int_type": "a whole number",
             "bool_type": "true or false", "tuple_type": "a list"}
    return table.get(kind, message[0].lower() + message[1:])


_NESTED: dict[str, Any] = {"mains": Mains, "source_impedance": SourceImpedance, "load_step": LoadStep, "outputs": Output}


def _known_only(raw: Any, kind: Any) -> Any:
    """The tree with the keys the program does not know left out (they stay in the document's own tree)."""
    if not isinstance(raw, dict):
        return raw
    result = {}
    for f in fields(kind):
        if f.name in raw:
            inner, value = _NESTED.get(f.name), raw[f.name]
            if inner is not None and isinstance(value, list):
                value = [_known_only(v, inner) for v in value]
            elif inner is not None:
                value = _known_only(value, inner)
            result[f.name] = value
    return result


def _unknown(tree: Mapping[str, Any]) -> list[str]:
    found = [k for k in tree if k not in _TOP]
    return found + _unknown_in(tree.get("requirement", {}), Requirement, "requirement")


def _unknown_in(raw: Any, kind: Any, path: str) -> list[str]:
    if isinstance(raw, list):
        return [u for item in raw for u in _unknown_in(item, kind, path)]
    if not isinstance(raw, dict):
        return []
    names = {f.name for f in fields(kind)}
    found = [f"{path}.{k}" for k in raw if k not in names]
    for k, v in raw.items():
        if k in names and k in _NESTED:
            found += _unknown_in(v, _NESTED[k], f"{path}.{k}")
    return found


def _merged(old: Any, new: Any) -> Any:
    """Known fields over the file's own tree, so that keys we do not know survive. Lists merge item by item."""
    if isinstance(old, dict) and isinstance(new, dict):
        return {**old, **{k: _merged(old.get(k), v) for k, v in new.items()}}
    if isinstance(old, list) and isinstance(new, list) and all(isinstance(x, dict) for x in (*old, *new)):
        return [_merged(old[i] if i < len(old) else None, item) for i, item in enumerate(new)]
    return new


def plain(value: Any) -> Any:
    """JSON-ready copy of a value; infinities and NaN become null."""
    if (names := field_names(value)) is not None:
        return {n: plain(getattr(value, n)) for n in names}
    if isinstance(value, dict | Mapping):
        return {k: plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [plain(v) for v in value]
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    return value


def encode(document: Document) -> str:
    """The text of the project file."""
    readings = {id: {k: v for k, v in plain(m).items() if v not in (None, "")} for id, m in document.as_built.items()}
    known = {"format": FORMAT, "version": VERSION, "title": document.title, "requirement": plain(document.requirement)}
    tree = _merged(dict(document.tree), known)
    for key, value in (("decisions", dict(document.decisions)), ("as_built", readings), ("log", list(document.log)),
                       ("parts", dict(document.parts))):
        if value or key in document.tree or key in ("decisions",):
            tree[key] = value
    return json.dumps(tree, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def schema() -> dict[str, Any]:
    """JSON Schema of the project file."""
    requirement = _schema_of_requirement().json_schema(ref_template="#/$defs/{model}")
    definitions = requirement.pop("$defs", {})
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Rhevectra project", "type": "object",
            "required": ["format", "version", "requirement"], "$defs": {**definitions, "Requirement": requirement},
            "properties": {"format": {"const": FORMAT}, "version": {"type": "integer", "minimum": 1, "maximum": VERSION},
                           "title": {"type": "string"}, "requirement": {"$ref": "#/$defs/Requirement"},
                           "decisions": {"type": "object", "description": "decision id -> pinned value (SI units or a name)",
                                         "additionalProperties": {"type": ["number", "string"]}},
                           "as_built": {"type": "object",
                                        "additionalProperties": {"type": "object", "required": ["value"],
                                            "properties": {"value": {"type": "number"}, "uncertainty": {"type": "number"},
                                                           "how": {"type": "string"}}}},
                           "log": {"type": "array", "description": "bench log, oldest first; only ever added to",
                                   "items": {"type": "object",
                                             "properties": {"at": {"type": "string", "description": "ISO 8601"},
                                                            "kind": {"enum": [NOTE, READING, BENCH]}, "text": {"type": "string"},
                                                            "values": {"type": "object", "additionalProperties": {"type": "number"}},
                                                            "expected": {"type": "object", "additionalProperties": {"type": "number"}}}}},
                           "parts": {"type": "object", "description": "own catalogue rows by table",
                                     "additionalProperties": {"type": "array", "items": {"type": "object"}}}}}
