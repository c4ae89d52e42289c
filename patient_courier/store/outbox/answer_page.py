"""What a student sees after an answer: the page that its letter has for it, filled as things stand then."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.fields import Source, value
from patient_courier.core.letters.merge import Template
from patient_courier.core.school.courses import check_web_address
from patient_courier.store.base.tables import POSTED, DeliveryRow, EventRow
from patient_courier.store.broadcasts.broadcasts import about
from patient_courier.store.engine.loading import load_states
from patient_courier.store.outbox.log import Logged


@dataclass(frozen=True, slots=True)
class After:
    """The page's text, empty when there is none, a web address to go on to, and what to ask for in words.

    ``review``: the address is where the course can be reviewed; ``value`` is what the answer counts from 1 to 5.
    """

    page: str = ""
    url: str | None = None
    ask: str = ""
    review: bool = False
    value: int | None = None


def after_answer(session: Session, definitions: Definitions, one: Logged, answer: str) -> After:
    """What the letter's current version has behind an answer; merge fields without a value are empty."""
    ready = definitions.letters.get(one.letter)
    choice = next((x for _, x in ready.letter.answers() if x.key == answer), None) if ready else None
    if choice is None:
        return After()
    state = load_states(session, [one.student_id], definitions)[one.student_id]
    if one.broadcast is not None:
        subject, event_at = about(session, one.broadcast)
    else:
        run = next((run for run in state.runs if run.number == one.run), None)
        subject, event_at = (run.subject, run.event_at) if run else (None, None)
    source = Source(definitions, state, subject, event_at)
    texts = {name: Template.parse(getattr(choice, name) or "") for name in ("page", "url", "ask")}
    values = {field.name: value(field.name, source) for text in texts.values() for field in text.fields}
    # Links of a letter are no values of a page.
    values |= {name: None for name in values if name.startswith("links.")}
    page, url, ask = (text.render(values, state.zone, html=False) for text in texts.values())
    return After(page, url if _safe(url) else None, ask, _REVIEW in values and bool(url), choice.value)


def newest_answer(session: Session, student_id: int, letter: str) -> str | None:
    """What a student has answered last to the newest delivery of a letter: an answer belongs to its delivery, so one that
    came before it was posted anew is another one's (docs/engine.md, section 14)."""
    mine = (DeliveryRow.student_id == student_id, DeliveryRow.letter == letter)
    sent = select(func.max(DeliveryRow.at)).where(
        *mine, DeliveryRow.status.in_(POSTED), DeliveryRow.recipients.is_(None)
    )
    asked = select(EventRow.names).where(EventRow.student_id == student_id, EventRow.type == "answered")
    newest = session.scalar(sent)
    if newest is not None:
        asked = asked.where(EventRow.at >= newest)
    for names in session.scalars(asked.order_by(EventRow.number.desc())):
        if names.get("letter") == letter:
            return str(names["answer"])
    return None


_REVIEW = "course.review_url"


def _safe(url: str) -> bool:
    """Whether a filled address leads to the web: what a course or student brought in has not passed the letter's checks."""
    try:
        check_web_address(url)
    except ValueError:
        return False
    return True
