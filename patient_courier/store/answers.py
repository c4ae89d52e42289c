"""What a student sees after an answer: the page that its letter has for it, filled as things stand then."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from patient_courier.core.definitions import Definitions
from patient_courier.core.fields import Source, value
from patient_courier.core.merge import Template
from patient_courier.store.broadcasts import about
from patient_courier.store.log import Logged
from patient_courier.store.states import load_states


@dataclass(frozen=True, slots=True)
class After:
    """The page's text, empty when there is none, and a web address to go on to."""

    page: str = ""
    url: str | None = None


def after_answer(session: Session, definitions: Definitions, one: Logged, answer: str) -> After:
    """What the letter's current version has behind an answer; merge fields without a value are empty."""
    ready = definitions.letters.get(one.letter)
    choice = next((x for _, x in ready.letter.answers() if x.key == answer), None) if ready else None
    if choice is None:
        return After()
    if not choice.page:
        return After(url=choice.url)
    state = load_states(session, [one.student_id], definitions)[one.student_id]
    if one.broadcast is not None:
        subject, event_at = about(session, one.broadcast)
    else:
        run = next((run for run in state.runs if run.number == one.run), None)
        subject, event_at = (run.subject, run.event_at) if run else (None, None)
    source = Source(definitions, state, subject, event_at)
    template = Template.parse(choice.page)
    values = {field.name: value(field.name, source) for field in template.fields}
    # Links of a letter are no values of a page.
    values |= {name: None for name in values if name.startswith("links.")}
    return After(template.render(values, state.zone, html=False), choice.url)
