"""Reading a school file: everything that is wrong with it at once, or the whole of it."""

from __future__ import annotations

import json
from typing import Any

from pydantic import BaseModel, ValidationError

from patient_courier.core.letters.json_text import NotJson, read_json
from patient_courier.core.reading.known import Fault
from patient_courier.core.reading.references import faults
from patient_courier.core.school.file import SchoolFile

# What is said of a text that has to be there.
EMPTY = "this must not be empty"


class Unreadable(ValueError):
    """A school file that can't be read; ``faults`` say where and why."""

    def __init__(self, found: list[Fault]) -> None:
        super().__init__("; ".join(f"{fault.pointer or '/'}: {fault.sentence}" for fault in found))
        self.faults = found


def read_school(text: str | bytes) -> SchoolFile:
    """Read a school file from JSON. Raises Unreadable with all faults."""
    try:
        data = read_json(text)
    except NotJson as error:
        raise Unreadable([Fault("", f"this is not JSON that can be read: {error}")]) from error
    halves = _half_characters(data)
    if halves:
        raise Unreadable(halves)
    try:
        file = SchoolFile.model_validate(data)
    except ValidationError as error:
        raise Unreadable(validation_faults(error, data)) from error
    found = faults(file)
    if found:
        raise Unreadable(found)
    return file


def _half_characters(data: Any) -> list[Fault]:
    """Texts with half of a surrogate pair in them, which stands for no character (RFC 8259 section 8.2)."""

    def found(node: Any, pointer: str) -> list[Fault]:
        if isinstance(node, str):
            return [] if _whole(node) else [Fault(pointer, "there is half of a character in this text")]
        if isinstance(node, dict) and not all(map(_whole, node)):
            return [Fault(pointer, "there is half of a character in a name here")]
        parts = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
        return [fault for key, part in parts for fault in found(part, f"{pointer}/{escaped(str(key))}")]

    return [] if _whole(json.dumps(data, ensure_ascii=False)) else found(data, "")


def _whole(text: str) -> bool:
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def validation_faults(error: ValidationError, data: Any) -> list[Fault]:
    """What the models refused, as JSON pointers into the data and sentences."""
    found: dict[Fault, None] = {}
    for item in error.errors(include_url=False):
        loc = item["loc"]
        one_form_of_several = str(loc[-1]).startswith("literal[") if loc else False
        if one_form_of_several and isinstance(item["input"], dict | list):
            continue  # the form it was meant to have says more
        if item["type"] == "union_tag_invalid":
            loc = (*loc, _discriminator(item))
        found[Fault(_pointer(loc, data), _sentence(item))] = None
    return list(found) or [Fault("", "this file can't be read")]


def escaped(part: str) -> str:
    """One part of a JSON pointer (RFC 6901 section 3)."""
    return part.replace("~", "~0").replace("/", "~1")


def _pointer(loc: tuple[int | str, ...], data: Any) -> str:
    """The JSON pointer of an error; the models' own markers for alternatives are left out."""
    pointer, here = "", data
    for index, part in enumerate(loc):
        more = index + 1 < len(loc)
        inside_list = isinstance(here, list) and isinstance(part, int) and part < len(here)
        inside_dict = (
            isinstance(here, dict) and part in here and not (more and not isinstance(here[part], dict | list))
        )
        if inside_list or inside_dict:
            here = here[part]
            pointer += "/" + escaped(str(part))
    return pointer


def _discriminator(item: Any) -> str:
    """The key that says which of several forms an object has, such as ``do``."""
    return str(item["ctx"]["discriminator"]).strip("'")


def _sentence(item: Any) -> str:
    kind, context = item["type"], item.get("ctx", {})
    match kind:
        case "recursion_depth_exceeded":
            return "this is nested too deeply"
        case "missing":
            return f"“{item['loc'][-1]}” is missing here"
        case "extra_forbidden":
            return f"“{item['loc'][-1]}” is not known here; check the spelling or leave it out"
        case "value_error":
            return str(context["error"])
        case "union_tag_invalid":
            known = context["expected_tags"].replace("'", "")
            given = item["input"][_discriminator(item)]
            return (
                f"“{given}” is not one of {known}"
                if isinstance(given, str)
                else f"this must be one of {known}"
            )
        case "union_tag_not_found":
            return f"{context['discriminator'].replace(chr(39), '“', 1).replace(chr(39), '”')} is missing here; it says what this is"
        case "literal_error":
            return f"this must be {context['expected'].replace(chr(39), '')}"
        case "string_type":
            return "this must be a text in quotation marks"
        case "int_type" | "float_type" | "int_from_float":
            return "this must be a number" + (" without a fraction" if kind != "float_type" else "")
        case "bool_type":
            return "this must be true or false"
        case "list_type":
            return "this must be a list, in square brackets"
        case "model_type" | "model_attributes_type" | "dict_type":
            return "this must be an object, in curly brackets"
        case "too_short":
            return EMPTY
        case "string_too_short":
            return EMPTY
        case "greater_than_equal" | "less_than_equal":
            word = "at least" if kind == "greater_than_equal" else "at most"
            return f"this must be {word} {context.get('ge', context.get('le'))}"
        case _:
            return str(item["msg"][:1].lower() + item["msg"][1:])


def write_school(file: SchoolFile) -> str:
    """The file as JSON, in the order of the models, readable by a person."""
    return json.dumps(as_data(file), ensure_ascii=False, indent=2) + "\n"


def as_data(model: BaseModel) -> Any:
    """A model as plain JSON data, with the names it has in the file."""
    return model.model_dump(mode="json", by_alias=True)
