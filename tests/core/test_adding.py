"""docs/adding.md walked through: every place it names is there, and knows every kind there is."""

import ast
import re
from functools import cache
from pathlib import Path
from typing import Annotated, get_args, get_origin

import pytest
from whenever import Instant

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.engine.fields import _VALUES, LINK_PLACES, object_of
from patient_courier.core.engine.happening import Happening
from patient_courier.core.letters.merge_fields import FIELDS
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.school import blocks, conditions, events, sequences
from patient_courier.core.school.courses import CertificateRule
from patient_courier.core.telling.words import REASONS, what_happened
from tests.schools import read, school

ROOT = Path(__file__).parents[2]
SCHOOL = definitions_of(read(school([], [])))


def models(union):
    if get_origin(union) is Annotated:
        return models(get_args(union)[0])
    return list(dict.fromkeys(x for part in get_args(union) for x in models(part))) or [union]


def words_of(model, tag):
    """How a place may name a model: by its class, or by the words that say which it is in a file."""
    return [
        model.__name__,
        *(get_args(model.model_fields[tag].annotation) if tag in model.model_fields else ()),
    ]


@cache
def sections():
    text = (ROOT / "docs/adding.md").read_text("utf-8")
    return {
        part.split("\n")[0].strip(): re.findall(r"^- `([^`]+)`", part, re.M)
        for part in text.split("\n## ")[1:]
    }


KINDS = {
    "A step": (sequences.Step, "do"),
    "A block": (blocks.AnyBlock, "kind"),
    "A condition": (conditions.Condition, "is_"),
}
# On the screen these stand round conditions, and news has no fields of its own.
AROUND = {"All", "Any_", "Not", "IsNewsOn"}


def test_every_place_is_there():
    assert len(sections()) == 10
    for name, places in sections().items():
        assert len(places) >= 2, name
        for place in places:
            assert (ROOT / place).exists(), f"{name}: {place}"


@pytest.mark.parametrize("name", KINDS)
def test_every_place_knows_every_kind(name):
    union, tag = KINDS[name]
    known = models(union)
    assert len(known) > 10
    for place in sections()[name]:
        text = (ROOT / place).read_text("utf-8")
        for model in known:
            if place.startswith("ui/src/conditions") and model.__name__ in AROUND:
                continue
            found = [word for word in words_of(model, tag) if re.search(rf"\b{word}\b", text)]
            assert found, f"{place} does not know {model.__name__}"


def test_every_event_has_words_and_a_stop_or_none():
    names = dict.fromkeys(("course", "module", "lesson", "quiz", "offer", "letter"), "any")
    names |= {
        "via": "manual",
        "percent": 5,
        "score": 5,
        "tag": "t",
        "form": "f",
        "answer": "any",
        "hard": True,
    }
    for model in models(events.Event) + models(events.Matcher):
        for type in get_args(model.model_fields["type" if "type" in model.model_fields else "on"].annotation):
            what = Happening(type, Instant.MIN, {**names, "span": Duration(days=2)})
            assert what_happened(SCHOOL, what) != type.replace("_", " ") or type == "signed_in"


def test_every_reason_of_a_guard_is_a_sentence():
    reasons = set()
    for file in ("guards", "broadcasting"):
        tree = ast.parse((ROOT / f"patient_courier/core/engine/{file}.py").read_text("utf-8"))
        calls = [
            x for x in ast.walk(tree) if isinstance(x, ast.Call) and getattr(x.func, "id", "") == "Decision"
        ]
        reasons |= {x.args[1].value for x in calls if len(x.args) > 1 and isinstance(x.args[1], ast.Constant)}
    assert len(reasons) > 8
    assert reasons <= set(REASONS)


def test_every_merge_field_has_a_value_and_its_object_has_the_attribute():
    assert set(_VALUES) == set(FIELDS) >= set(LINK_PLACES)
    definitions = SCHOOL
    samples = {
        "course": "bees",
        "module": next(iter(definitions.modules)),
        "lesson": next(iter(definitions.lessons)),
        "quiz": next(iter(definitions.quizzes)),
        "offer": next(iter(definitions.offers)),
    }
    for field in FIELDS.values():
        if field.empty == "object":
            assert hasattr(object_of(definitions, field.about, samples[field.about]), field.attribute), (
                field.name
            )


def test_every_finding_is_provoked_somewhere():
    codes = set()
    for file in (ROOT / "patient_courier/core/checks").glob("*.py"):
        for call in ast.walk(ast.parse(file.read_text("utf-8"))):
            if isinstance(call, ast.Call) and getattr(call.func, "id", "") in ("Finding", "found", "make"):
                codes |= {
                    x.value
                    for x in call.args[:3]
                    if isinstance(x, ast.Constant) and re.fullmatch("[a-z_]+", str(x.value))
                }
    codes -= {"fault", "warning"}
    assert len(codes) > 20
    told = "\n".join(
        file.read_text("utf-8") for file in (ROOT / "tests").rglob("test_*.py") if file != Path(__file__)
    )
    assert not {code for code in codes if f'"{code}"' not in told}


def test_every_design_of_certificates_is_drawn_and_offered():
    places = sections()["A design of certificates"][1:]
    for design in get_args(CertificateRule.model_fields["design"].annotation):
        for place in places:
            # “plain” is the paper alone: nothing is drawn for it.
            assert (design == "plain" and place.endswith(".typ")) or design in (ROOT / place).read_text(
                "utf-8"
            ), f"{place} does not know {design}"


def test_long_files_say_why():
    files = [x for x in (ROOT / "patient_courier").rglob("*.py") if "static" not in x.parts]
    long = [x for x in files if len(x.read_text("utf-8").splitlines()) > 300]
    assert len(files) > 300
    for file in long:
        said = " ".join((ast.get_docstring(ast.parse(file.read_text("utf-8"))) or "").split())
        assert "Longer than three hundred lines, since" in said, file
