"""The findings of the last check-up, those put aside, and what was found at addresses that letters lead to."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass

from sqlalchemy import delete, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.overview.findings import Finding
from patient_courier.core.school.values import moment_text, parse_moment
from patient_courier.store.base.tables import LinkLookRow, PutAsideRow
from patient_courier.store.upkeep import kept

_NAME, _LINKS = "whole", "links"


@dataclass(frozen=True, slots=True)
class Looked:
    """What was found, all of it and in order, and when (school time, and real time)."""

    at: Instant
    real: Instant
    findings: list[Finding]


def last(session: Session) -> Looked | None:
    """The last check-up; None when there was none."""
    body = kept.read(session, _NAME)
    if body is None:
        return None
    findings = [Finding.model_validate(one) for one in body["findings"]]
    return Looked(parse_moment(body["at"]), parse_moment(body["real"]), findings)


def keep(session: Session, looked: Looked) -> None:
    body = {
        "at": moment_text(looked.at),
        "real": moment_text(looked.real),
        "findings": [one.model_dump(mode="json") for one in looked.findings],
    }
    kept.keep(session, _NAME, body)


@dataclass(frozen=True, slots=True)
class Aside:
    """A finding that was put aside: why, how large it was, and when (school time)."""

    key: str
    title: str
    reason: str
    size: int
    at: Instant


def aside(session: Session) -> list[Aside]:
    """The newest first."""
    rows = session.scalars(select(PutAsideRow).order_by(PutAsideRow.at.desc()))
    return [Aside(row.key, row.title, row.reason, row.size, row.at) for row in rows]


def put_aside(session: Session, finding: Finding, reason: str, now: Instant) -> None:
    """Put a finding aside at its size of now; one that had come back is put aside anew."""
    session.execute(delete(PutAsideRow).where(PutAsideRow.key == finding.known_as))
    session.add(
        PutAsideRow(key=finding.known_as, title=finding.title, reason=reason, size=finding.size, at=now)
    )
    session.flush()


def take_back(session: Session, key: str) -> bool:
    """Bring it forward again; False when it was not put aside."""
    gone = session.execute(delete(PutAsideRow).where(PutAsideRow.key == key).returning(PutAsideRow.key))
    return gone.first() is not None


def looks_at_links(session: Session) -> bool:
    """Whether the owner wants addresses in letters to be asked; not unless they have said so."""
    return bool((kept.read(session, _LINKS) or {}).get("look"))


def wish_links(session: Session, look: bool) -> None:
    kept.keep(session, _LINKS, {"look": look})


def wrong_links(session: Session) -> dict[str, str]:
    """Why addresses could not be opened when they were asked last."""
    rows = session.execute(select(LinkLookRow.url, LinkLookRow.wrong).where(LinkLookRow.wrong.is_not(None)))
    return {url: wrong for url, wrong in rows if wrong}


def next_link(session: Session, urls: Iterable[str], before: Instant) -> str | None:
    """The address that has waited longest to be asked, of those not asked since ``before`` (real time)."""
    known = {row.url: row.at for row in session.scalars(select(LinkLookRow))}
    waiting = [(known.get(url), url) for url in urls if url not in known or known[url] < before]
    waiting.sort(key=lambda one: (one[0] is not None, one[0] or before, one[1]))
    return waiting[0][1] if waiting else None


def note_link(session: Session, url: str, wrong: str | None, real: Instant) -> None:
    put = insert(LinkLookRow).values(url=url, at=real, wrong=wrong)
    session.execute(put.on_conflict_do_update(index_elements=["url"], set_={"at": real, "wrong": wrong}))


def forget_links(session: Session, used: Collection[str]) -> None:
    """What no letter leads to any more is not remembered."""
    known = set(session.scalars(select(LinkLookRow.url)))
    for url in known - set(used):
        session.execute(delete(LinkLookRow).where(LinkLookRow.url == url))
