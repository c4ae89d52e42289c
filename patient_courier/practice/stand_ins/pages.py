"""A stand-in's page to click in: what it sells or teaches, where it sends, and what it was answered."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from html import escape

import httpx
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.routing import Route
from whenever import Instant

from patient_courier.core.school.values import parse_moment
from patient_courier.practice.stand_ins import sending
from patient_courier.practice.stand_ins.dialects import Person, Said, joined, learnt, order
from patient_courier.practice.stand_ins.hearing import Ear
from patient_courier.practice.stand_ins.sending import Answer, Habit, Proof

Form = Mapping[str, str]
KEPT_ANSWERS = 30
HABITS: dict[Habit, str] = {
    "once": "once, as it should",
    "twice": "twice",
    "shuffled": "in any order (three of them)",
    "flood": "five hundred times in a row",
    "empty": "with an empty body",
}


@dataclass(frozen=True, slots=True)
class Kind:
    """One of the stand-ins: what it is called, how it proves itself when it does, its fields, and what it says of them."""

    name: str
    proof: Proof
    fields: list[tuple[str, str, str | list[tuple[str, str]]]]
    say: Callable[[Form, str, Instant], Said]


PRODUCTS = [
    ("FH-1", "First Hive, 149.00"),
    ("QR-1", "Queen Rearing, 229.00"),
    ("HW-1", "Honey Weekend, 39.00"),
    ("CIRCLE", "The Apiary Circle, 290.00"),
    ("FH-2", "something new, 89.00"),
]


def _person(form: Form) -> Person:
    return Person(form.get("mail", ""), form.get("given", ""), form.get("family", ""), "PT")


def _order(form: Form, number: str, at: Instant) -> Said:
    sku = form.get("sku", "")
    title, _, price = dict(PRODUCTS).get(sku, f"{sku}, 10.00").rpartition(", ")
    return order(number, _person(form), [(sku, title, price)], at, form.get("topic", "order.paid"))


def _learnt(form: Form, number: str, at: Instant) -> Said:
    topic, id = form.get("topic", ""), form.get("id", "")
    if topic == "quiz.graded":
        return learnt(
            topic,
            _person(form),
            at,
            report=number,
            quiz={"id": id},
            points=form.get("points", ""),
            points_max="10",
        )
    if topic == "lesson.done":
        return learnt(topic, _person(form), at, report=number, lesson={"id": id})
    return learnt(topic, _person(form), at, report=number, course={"id": id})


def _joined(form: Form, number: str, at: Instant) -> Said:
    return joined(_person(form), form.get("form", ""), at, "yes" if form.get("agrees") == "yes" else "no")


_WHO: list[tuple[str, str, str | list[tuple[str, str]]]] = [
    ("mail", "Address", "ana.reis@example.org"),
    ("given", "First name", "Ana"),
    ("family", "Last name", "Reis"),
]
KINDS = {
    "shop": Kind(
        "The stand-in shop",
        "hmac",
        [
            (
                "topic",
                "What happens",
                [("order.paid", "an order is paid"), ("order.refunded", "it is given back")],
            ),
            ("sku", "What is bought", PRODUCTS),
            *_WHO,
        ],
        _order,
    ),
    "course-site": Kind(
        "The stand-in course site",
        "bearer",
        [
            (
                "topic",
                "What happens",
                [
                    ("lesson.done", "a lesson is finished"),
                    ("quiz.graded", "a quiz is graded"),
                    ("learner.joined", "somebody joins a course"),
                ],
            ),
            ("id", "Its number there", "101"),
            ("points", "Points of ten, for a quiz", "7"),
            *_WHO,
        ],
        _learnt,
    ),
    "list": Kind(
        "The stand-in list",
        "address",
        [
            ("form", "The form", "varroa-watch"),
            ("agrees", "Agrees to news", [("yes", "yes"), ("no", "no")]),
            *_WHO,
        ],
        _joined,
    ),
}


@dataclass(slots=True)
class _State:
    """What the page remembers while it runs."""

    kind: Kind
    form: dict[str, str]
    number: int = 1001
    answers: deque[tuple[str, Answer]] = field(default_factory=lambda: deque(maxlen=KEPT_ANSWERS))


def stand_in(kind: str, to: str = "", secret: str = "") -> Starlette:
    """The page of a stand-in; ``to`` and ``secret`` are filled in when they are known. Raises KeyError for another kind."""
    state = _State(KINDS[kind], {"to": to, "secret": secret, "proof": "address", "habit": "once"})

    ear = Ear() if kind == "list" else None

    async def show(request: Request) -> Response:
        return HTMLResponse(_page(state, ear.page(f"{request.base_url}hear") if ear else ""))

    async def act(request: Request) -> Response:
        sent = await request.form()
        state.form |= {name: str(value).strip() for name, value in sent.items()}
        await run_in_threadpool(_send, state)
        return RedirectResponse("/", status_code=303)

    routes = [Route("/", show), Route("/", act, methods=["POST"])]
    return Starlette(routes=routes + (ear.routes() if ear else []))


def _send(state: _State) -> None:
    form = state.form
    at = _moment(form.get("at", ""))
    if at is None:
        state.answers.appendleft(
            ("nothing sent", Answer(0, "The time can't be read; leave it empty for now."))
        )
        return
    habit: Habit = next((one for one in HABITS if one == form.get("habit")), "once")
    messages = []
    for _ in range(3 if habit == "shuffled" else 1):
        messages.append(state.kind.say(form, str(state.number), at))
        state.number += 1
    proof: Proof = state.kind.proof if form.get("proof") == "own" else "address"
    with httpx.Client() as client:
        counts: dict[Answer, int] = {}
        for said in sending.by_habit(messages, habit):
            told = sending.headers(proof, form.get("secret", ""), said, time.time())
            answer = sending.send(client, form.get("to", ""), said, told)
            counts[answer] = counts.get(answer, 0) + 1
    what = f"{form.get('topic') or form.get('form')} for {form.get('mail')}"
    for answer, number in counts.items():
        state.answers.appendleft((f"{number} × {what}" if number > 1 else what, answer))


def _moment(text: str) -> Instant | None:
    try:
        return parse_moment(text) if text else Instant.from_timestamp(int(time.time()))
    except ValueError:
        return None


def _page(state: _State, hears: str) -> str:
    form = state.form
    rows = [_field("to", "Where it sends to", form.get("to", ""))]
    proofs = [("address", "by the address alone"), ("own", f"by its own proof ({state.kind.proof})")]
    if state.kind.proof != "address":
        rows.append(_choice("proof", "It proves itself", proofs, form.get("proof", "")))
        rows.append(_field("secret", "with the secret", form.get("secret", "")))
    for name, label, kind in state.kind.fields:
        if isinstance(kind, str):
            rows.append(_field(name, label, form.get(name, kind)))
        else:
            rows.append(_choice(name, label, kind, form.get(name, "")))
    rows.append(_field("at", "When (empty: now; 2026-03-02T14:05:00Z)", form.get("at", "")))
    rows.append(_choice("habit", "It is sent", list(HABITS.items()), form.get("habit", "")))
    log = "".join(
        f"<tr><td>{escape(what)}</td><td>{answer.status or 'no answer'}</td><td>{escape(answer.words)}</td></tr>"
        for what, answer in state.answers
    )
    return _FRAME.format(
        name=escape(state.kind.name),
        rows="".join(rows),
        log=log or "<tr><td>Nothing sent yet.</td></tr>",
        hears=hears,
    )


def _field(name: str, label: str, value: str) -> str:
    return f'<label>{escape(label)}<input name="{name}" value="{escape(value)}"></label>'


def _choice(name: str, label: str, choices: list[tuple[str, str]], chosen: str) -> str:
    options = "".join(
        f'<option value="{escape(key)}"{" selected" if key == chosen else ""}>{escape(says)}</option>'
        for key, says in choices
    )
    return f'<label>{escape(label)}<select name="{name}">{options}</select></label>'


_FRAME = """<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>{name}</title><style>
body{{font:15px/1.5 system-ui,sans-serif;max-width:760px;margin:24px auto;padding:0 16px;color:#2b2618;background:#f6f1e4}}
form{{display:grid;grid-template-columns:repeat(auto-fit,minmax(230px,1fr));gap:10px 16px;align-items:end}}
label{{display:grid;gap:2px;min-width:0}}
input,select,button{{font:inherit;padding:5px 8px;min-width:0}}label:first-child{{grid-column:1/-1}}
table{{width:100%;border-collapse:collapse;margin-top:12px}}td{{border-top:1px solid #d8cdb2;padding:4px 8px;
vertical-align:top;overflow-wrap:anywhere}}</style><h1>{name}</h1>
<p>This is no real program: it sends what a real one would, in words of its own.</p>
<form method="post">{rows}<button>Send it</button></form><h2>What it was answered</h2><table>{log}</table>{hears}</html>"""
