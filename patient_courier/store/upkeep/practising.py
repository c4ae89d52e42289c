"""A copy of a school made into one to practise in: nothing of it reaches anybody, and what opens the school is not in it."""

from __future__ import annotations

import hashlib
import json
from collections import Counter
from collections.abc import Callable, Mapping

from sqlalchemy import text
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.fields import certificate_code
from patient_courier.core.helpers.made_up import made_up
from patient_courier.store.base.columns import to_nanoseconds
from patient_courier.store.upkeep import kept

_MADE = "practice-copy"
AT_ONCE = 2000
# A word in a student's own fields that fewer have than this may tell who it is.
COMMON = 5
# What opens the real school, what goes on outside, and what was found out about it.
_EMPTIED = (
    "sessions", "passkeys", "recovery_codes", "invitations", "api_keys", "api_answers", "fetched_lists", "mail",
    "moves", "changes", "troubles", "proved", "notices", "link_looks",
)  # fmt: skip
# Where students' own words and addresses stand, beside their record.
_TOLD_BY_STUDENTS = (
    "messages",
    "waiting",
    "sign_ups",
    "imported",
    "imports",
    "replies",
    "returns",
    "problems",
    "outgoing",
)


def make_practice(
    session: Session, begins: Instant, now: Instant, names: str, secrets: Mapping[str, str]
) -> None:
    """Turn the school of this file, which is a copy, into one to practise in.

    Its own clock stands at ``begins``; it was made ``now`` (real time), with ``names``: real, made up, the demo's; ``secrets`` are its own.
    """
    _new_secrets(session, secrets)
    for table in _EMPTIED:
        session.execute(text(f"DELETE FROM {table}"))
    session.execute(text("DELETE FROM settings WHERE name NOT IN ('eras')"))
    session.execute(text("UPDATE users SET password = '', app_secret = NULL, places = '[]'"))
    session.execute(text("UPDATE signing_keys SET private = NULL"))
    session.execute(text("DELETE FROM clock"))
    at = to_nanoseconds(begins)
    session.execute(text("INSERT INTO clock (id, now, moving_to) VALUES (1, :at, NULL)"), {"at": at})
    session.execute(text("UPDATE school SET practice = 1, stamp = stamp + 1"))
    # What was in the hands of a mail server may have been posted: here it is posted anew, and reaches nobody.
    session.execute(
        text("UPDATE deliveries SET status = 'queued', claimed = NULL, begun = 0 WHERE status = 'posting'")
    )
    kept.keep(session, _MADE, {"made": now.format_iso(), "names": names})


def _new_secrets(session: Session, fresh: Mapping[str, str]) -> None:
    """Links of the copy open nothing in the school, nor the other way round; certificates keep their numbers."""
    old = session.execute(text("SELECT value FROM secrets WHERE name = 'links'")).scalar() or ""
    seal = hashlib.sha256(f"certificates\n{old}".encode()).hexdigest()
    session.execute(
        text("INSERT OR IGNORE INTO secrets (name, value) VALUES ('seal', :seal)"), {"seal": seal}
    )
    for name, value in fresh.items():
        session.execute(
            text("UPDATE secrets SET value = :value WHERE name = :name"), {"value": value, "name": name}
        )


def made(session: Session) -> tuple[Instant, str] | None:
    """When this copy was made (real time), and with which names; None when it is none."""
    body = kept.read(session, _MADE)
    return (Instant.parse_iso(body["made"]), str(body["names"])) if body else None


def invent_names(session: Session, step: Callable[[int], None]) -> None:
    """Put invented students in the place of the real ones; ``step`` is told how many more are done."""
    for table in _TOLD_BY_STUDENTS:
        session.execute(text(f"DELETE FROM {table}"))
    session.execute(text("UPDATE words SET words = CASE WHEN words = '' THEN '' ELSE '…' END"))
    session.execute(text("UPDATE prints SET name = NULL"))
    session.execute(text("UPDATE consents SET note = ''"))
    rows = session.execute(text("SELECT id, fields FROM students ORDER BY id")).all()
    fields = [json.loads(row.fields) for row in rows]
    common = _common(fields)
    # First to keys and addresses that nobody has, since each is unique.
    session.execute(text("UPDATE students SET key = 'was-' || id"))
    update = text(
        "UPDATE students SET key = :key, email = :email, first_name = :first_name, last_name = :last_name, "
        "fields = :fields WHERE id = :id"
    )
    for begin in range(0, len(rows), AT_ONCE):
        some = range(begin, min(begin + AT_ONCE, len(rows)))
        session.execute(
            update,
            [
                {
                    **made_up(n + 1)._asdict(),
                    "id": rows[n].id,
                    "fields": json.dumps(_without(fields[n], common)),
                }
                for n in some
            ],
        )
        step(len(some))
    for field in ("first_name", "last_name", "email"):
        place = f'$."student.{field}"'
        session.execute(
            text(
                'UPDATE deliveries SET "values" = json_set("values", :place, (SELECT s.'
                + field
                + " FROM students s "
                'WHERE s.id = deliveries.student_id)) WHERE json_type("values", :place) IS NOT NULL'
            ),
            {"place": place},
        )
    _other_certificates(session)
    # A subject is kept as it was filled in, so it may greet somebody by name.
    session.execute(text("UPDATE deliveries SET subject = ''"))
    session.execute(text('UPDATE purchases SET "order" = NULL'))
    session.execute(text("UPDATE connections SET refused = NULL"))


def _other_certificates(session: Session) -> None:
    """Other numbers: under the real ones, the school's own pages say whose the certificates are."""
    real = session.execute(text("SELECT value FROM secrets WHERE name = 'seal'")).scalar_one()
    seal = hashlib.sha256(f"made up\n{real}".encode()).hexdigest()
    session.execute(text("UPDATE secrets SET value = :seal WHERE name = 'seal'"), {"seal": seal})
    rows = session.execute(
        text(
            "SELECT p.code, p.course, p.student_id, s.key FROM prints p JOIN students s ON s.id = p.student_id"
        )
    ).all()
    named = [
        {"was": row.code, "now": certificate_code(seal, row.key, row.course), "student": row.student_id}
        for row in rows
    ]
    if named:
        session.execute(text("UPDATE prints SET code = :now WHERE code = :was"), named)
        # Letters that have gone out name them, also in addresses of pictures.
        session.execute(
            text(
                'UPDATE deliveries SET "values" = replace("values", :was, :now) WHERE student_id = :student '
                'AND instr("values", :was)'
            ),
            named,
        )


def _common(fields: list[dict[str, object]]) -> set[tuple[str, str]]:
    counts = Counter((name, value) for one in fields for name, value in one.items() if isinstance(value, str))
    return {pair for pair, number in counts.items() if number >= COMMON}


def _without(fields: dict[str, object], common: set[tuple[str, str]]) -> dict[str, object]:
    """A student's own fields without words that few have."""
    return {
        name: "…" if isinstance(value, str) and (name, value) not in common else value
        for name, value in fields.items()
    }
