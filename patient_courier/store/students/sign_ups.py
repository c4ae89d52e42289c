"""Sign-up forms in the tables, and who has signed up by one and not confirmed yet."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.people.signing_up import SignUp
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.sign_up import SignUpForm
from patient_courier.store.base.tables import EventRow, SignUpFormRow, SignUpRow

# By the school's clock.
KEPT_DAYS = 7


@dataclass(frozen=True, slots=True)
class KeptForm:
    """A form with the number of its version."""

    form: SignUpForm
    version: int


@dataclass(frozen=True, slots=True)
class Pending:
    """A sign-up that waits to be confirmed: by which form and version, agreeing to which sentence, from where, when."""

    id: int
    form: str
    version: int
    sign_up: SignUp
    consent: str
    origin: str
    at: Instant


def forms(session: Session) -> list[KeptForm]:
    rows = session.scalars(select(SignUpFormRow).order_by(SignUpFormRow.key))
    return [KeptForm(SignUpForm.model_validate(row.body), row.version) for row in rows]


def form(session: Session, key: str) -> KeptForm | None:
    row = session.get(SignUpFormRow, key)
    return KeptForm(SignUpForm.model_validate(row.body), row.version) if row is not None else None


def save(session: Session, found: SignUpForm) -> int:
    """Save a form as a new version; returns its number."""
    row = session.get(SignUpFormRow, found.key)
    if row is None:
        row = SignUpFormRow(key=found.key, version=0, body={})
        session.add(row)
    row.version, row.body = row.version + 1, as_data(found)
    session.flush()
    return row.version


def remove(session: Session, key: str) -> None:
    """With those who have not confirmed yet."""
    session.execute(delete(SignUpFormRow).where(SignUpFormRow.key == key))


def signed_up(session: Session) -> dict[str, int]:
    """How many sign-ups each form has brought about."""
    key = func.json_extract(EventRow.names, "$.form")
    query = select(key, func.count()).where(EventRow.type == "signed_up").group_by(key)
    return {form: number for form, number in session.execute(query)}


def waiting(session: Session) -> dict[str, int]:
    """How many by each form have not confirmed yet."""
    query = select(SignUpRow.form, func.count()).group_by(SignUpRow.form)
    return {form: number for form, number in session.execute(query)}


def put(session: Session, kept: KeptForm, sign_up: SignUp, origin: str, now: Instant) -> int:
    """Put down a sign-up that waits for its confirmation; one of the same address and form before it goes."""
    forget_old(session, now)
    session.execute(
        delete(SignUpRow).where(SignUpRow.form == kept.form.key, SignUpRow.email == sign_up.email)
    )
    row = SignUpRow(
        form=kept.form.key,
        version=kept.version,
        email=sign_up.email,
        body={"values": sign_up.values, "agrees": sign_up.agrees},
        consent=kept.form.consent if sign_up.agrees else "",
        origin=origin,
        at=now,
    )
    session.add(row)
    session.flush()
    return row.id


def pending(session: Session, id: int, now: Instant) -> Pending | None:
    """A sign-up that can still be confirmed."""
    row = session.get(SignUpRow, id)
    if row is None or row.at < now.subtract(hours=24 * KEPT_DAYS):
        return None
    said = SignUp(row.email, row.body["values"], row.body["agrees"])
    return Pending(row.id, row.form, row.version, said, row.consent, row.origin, row.at)


def done(session: Session, id: int) -> None:
    session.execute(delete(SignUpRow).where(SignUpRow.id == id))


def forget_old(session: Session, now: Instant) -> None:
    """Whoever has not confirmed within a week is forgotten."""
    session.execute(delete(SignUpRow).where(SignUpRow.at < now.subtract(hours=24 * KEPT_DAYS)))


def any_old(session: Session, now: Instant) -> bool:
    query = select(SignUpRow.id).where(SignUpRow.at < now.subtract(hours=24 * KEPT_DAYS)).limit(1)
    return session.scalar(query) is not None


def forget(session: Session, email: str) -> None:
    session.execute(delete(SignUpRow).where(func.lower(SignUpRow.email) == email.lower()))
