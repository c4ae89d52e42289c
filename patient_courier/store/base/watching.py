"""What a write transaction by hand changes, noticed by the database itself: whichever statement does it, nothing is missed.

Temporary triggers (SQLite, CREATE TRIGGER: "TEMP") belong to the connection that made them. So only transactions by hand
pay for them, and nothing of them is in the file.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

from sqlalchemy import text
from sqlalchemy.orm import Session

from patient_courier.core.helpers.changes import Seen
from patient_courier.store.base.columns import unpack


@dataclass(frozen=True, slots=True)
class _Watched:
    """Rows of ``table`` as one kind of thing; SQL with ``{row}`` for the row: its key, what is told of it (JSON), its name."""

    kind: str
    table: str
    key: str
    told: str
    name: str = "''"
    student: str = "NULL"
    # Columns whose change is told; empty: an update is told of none.
    of: str = ""
    when: str = "1"


_STUDENT_NAME = (
    "(SELECT coalesce(nullif(trim(coalesce(first_name, '') || ' ' || coalesce(last_name, '')), ''), email) "
    "FROM students WHERE id = {row}.student_id)"
)
_COURSE = (
    "coalesce((SELECT json_extract(body, '$.title') FROM courses WHERE key = {row}.course), {row}.course)"
)


def _of_student(kind: str, table: str, key: str, told: str, of: str = "", when: str = "1") -> _Watched:
    return _Watched(
        kind, table, f"{{row}}.student_id || ' ' || {key}", told, _STUDENT_NAME, "{row}.student_id", of, when
    )


def _bodied(kind: str, table: str, name: str) -> _Watched:
    return _Watched(
        kind, table, "{row}.key", "{row}.body", f"json_extract({{row}}.body, '$.{name}')", of="body"
    )


_WATCHED: Final = (
    _Watched("school", "school", "''", "{row}.body", "json_extract({row}.body, '$.name')", of="body"),
    _bodied("course", "courses", "title"),
    _bodied("offer", "offers", "title"),
    _bodied("layout", "layouts", "name"),
    _bodied("sign_up_form", "sign_up_forms", "name"),
    _Watched(
        "sequence_status", "sequences", "{row}.key", "json_object('state', {row}.status)",
        "(SELECT json_extract(body, '$.name') FROM sequence_versions v WHERE v.key = {row}.key "
        "ORDER BY v.version DESC LIMIT 1)", of="status", when="{row}.version > 0",
    ),
    _Watched(
        "broadcast", "broadcasts", "{row}.key",
        "json_object('status', {row}.status, 'pace', {row}.pace, 'draft', json({row}.body))",
        "json_extract({row}.body, '$.name')", of="status, pace, body",
    ),
    _Watched(
        "audience", "audiences", "{row}.key",
        "json_object('name', {row}.name, 'condition', json({row}.condition))", "{row}.name", of="name, condition",
    ),
    _Watched(
        "connection", "connections", "{row}.key",
        "json_object('state', {row}.state, 'own_mailbox', {row}.own_mailbox, "
        "'file', CASE WHEN json_valid({row}.file) THEN json({row}.file) END)",
        "coalesce(CASE WHEN json_valid({row}.file) THEN json_extract({row}.file, '$.name') END, {row}.key)",
        of="state, file, own_mailbox",
    ),
    _Watched(
        "secret", "connection_secrets", "{row}.connection_id || {row}.kind",
        "json_object('secret', {row}.digest)",
        "(SELECT c.key FROM connections c WHERE c.id = {row}.connection_id)",
    ),
    _Watched("secret", "secrets", "{row}.name", "json_object('secret', {row}.value)", "{row}.name", of="value"),
    _Watched(
        "destination", "destinations", "{row}.key",
        "json_object('name', {row}.name, 'url', {row}.url, 'kinds', json({row}.kinds), "
        "'courses', json({row}.courses), 'state', {row}.state, 'secret', {row}.secret)",
        "{row}.name", of="name, url, kinds, courses, state, secret",
    ),
    _Watched(
        "key", "api_keys", "{row}.id",
        "json_object('may', json({row}.scopes), 'works', {row}.ended IS NULL)", "{row}.name", of="scopes, ended",
    ),
    _Watched("list", "fetched_lists", "{row}.id", "json_object('of', {row}.what || ' ' || {row}.of)", "{row}.name"),
    _Watched(
        "signing_key", "signing_keys", "{row}.number",
        "json_object('trusted', {row}.distrusted IS NULL)", "{row}.number", of="distrusted",
    ),
    _Watched("picture", "pictures", "{row}.key", "json_object('name', {row}.name)", "{row}.name"),
    _Watched(
        "setting", "settings", "{row}.name", "json_remove({row}.body, '$.ever')", "{row}.name", of="body",
        when="{row}.name IN ('posting', 'copying', 'incoming', 'changes')",
    ),
    _Watched(
        "person", "users", "{row}.id",
        "json_object('name', {row}.name, 'address', {row}.email, 'role', {row}.role, 'password', {row}.password, "
        "'app_for_codes', {row}.app_secret IS NOT NULL)",
        "{row}.name", of="name, email, role, password, app_secret",
    ),
    _Watched(
        "passkey", "passkeys", "{row}.id", "json_object('name', {row}.name)",
        "(SELECT u.name FROM users u WHERE u.id = {row}.user_id)",
    ),
    _Watched(
        "site_note", "site_notes", "{row}.id", "json_object('words', {row}.words)", "replace({row}.kind, '_', ' ')",
        of="words",
    ),
    _Watched(
        "wishes", "wishes", "{row}.user_id", "{row}.body",
        "(SELECT u.name FROM users u WHERE u.id = {row}.user_id)", of="body",
    ),
    _Watched("put_aside", "put_aside", "{row}.key", "json_object('reason', {row}.reason)", "{row}.title"),
    _Watched(
        "invitation", "invitations", "{row}.id", "json_object('role', {row}.role)", "{row}.email",
    ),
    _Watched(
        "student", "students", "{row}.id",
        "json_object('address', {row}.email, 'first_name', {row}.first_name, 'last_name', {row}.last_name, "
        "'timezone', {row}.timezone, 'fields', json({row}.fields), 'news', {row}.news = 1, "
        "'address_bounces', {row}.bounced = 1, 'clicks_may_be_noted', {row}.tracked = 1)",
        "coalesce(nullif(trim(coalesce({row}.first_name, '') || ' ' || coalesce({row}.last_name, '')), ''), "
        "{row}.email)",
        "{row}.id", of="email, first_name, last_name, timezone, fields, news, bounced, tracked",
    ),
    _of_student("tag", "tags", "{row}.tag", "json_object('tag', {row}.tag)", of="tag"),
    _of_student(
        "enrolment", "enrolments", "{row}.course",
        f"json_object('course', {_COURSE} || CASE WHEN {{row}}.refunded IS NOT NULL THEN ', refunded' "
        "WHEN {row}.expired IS NOT NULL THEN ', access ended' ELSE '' END)", of="refunded, expired",
    ),
    _of_student(
        "certificate", "certificates", "{row}.course",
        f"json_object('certificate', {_COURSE} || CASE WHEN {{row}}.issued IS NOT NULL THEN ', issued' "
        "WHEN {row}.declined IS NOT NULL THEN ', declined' ELSE ', asked for' END)", of="issued, declined",
    ),
    _of_student(
        "print", "prints", "{row}.code",
        "json_object('certificate', {row}.code || CASE WHEN {row}.revoked THEN ', taken back' ELSE '' END, "
        "'name_on_it', {row}.name)", of="revoked, name",
    ),
    _of_student(
        "help", "help_stops", "{row}.course", f"json_object('help_letters_stopped', {_COURSE})",
    ),
)  # fmt: skip
# A letter or a sequence is the newest of its versions: what it was stands in the version before.
_VERSIONED: Final = (("letter", "letter_versions"), ("sequence", "sequence_versions"))
_NOTICED: Final = (
    "CREATE TEMP TABLE noticed (number INTEGER PRIMARY KEY, kind TEXT, key TEXT, name TEXT, student INTEGER, "
    "before TEXT, after TEXT)"
)
_PUT: Final = "INSERT INTO noticed (kind, key, name, student, before, after) SELECT"


def watch(connection: Any) -> None:
    """Let this connection (of the driver) notice what changes on it from now on."""
    connection.execute("PRAGMA temp_store=MEMORY")
    connection.execute(_NOTICED)
    for number, one in enumerate(_WATCHED):
        for event, before, after in (("INSERT", "", "NEW"), ("DELETE", "OLD", ""), ("UPDATE", "OLD", "NEW")):
            if event == "UPDATE" and not one.of:
                continue
            connection.execute(_trigger(number, one, event, before, after))
    for kind, table in _VERSIONED:
        name = "json_extract({row}.body, '$.name')"
        # Whether a sequence runs stands in a column of its own.
        body = "json_remove({row}.body, '$.status')" if kind == "sequence" else "{row}.body"
        former = f"(SELECT {body.format(row='v')} FROM {table} v WHERE v.key = NEW.key AND v.version = NEW.version - 1)"
        last = f"NOT EXISTS (SELECT 1 FROM {table} v WHERE v.key = OLD.key AND v.version > OLD.version)"
        connection.execute(
            f"CREATE TEMP TRIGGER {kind}_saved AFTER INSERT ON {table} BEGIN {_PUT} '{kind}', NEW.key, "
            f"{name.format(row='NEW')}, NULL, {former}, {body.format(row='NEW')}; END"
        )
        connection.execute(
            f"CREATE TEMP TRIGGER {kind}_gone BEFORE DELETE ON {table} WHEN {last} BEGIN {_PUT} '{kind}', OLD.key, "
            f"{name.format(row='OLD')}, NULL, {body.format(row='OLD')}, NULL; END"
        )


def _trigger(number: int, one: _Watched, event: str, before: str, after: str) -> str:
    row = after or before
    of = f" OF {one.of}" if event == "UPDATE" else ""
    columns = ", ".join(
        [
            f"'{one.kind}'",
            one.key.format(row=row),
            one.name.format(row=row),
            one.student.format(row=row),
            one.told.format(row=before) if before else "NULL",
            one.told.format(row=after) if after else "NULL",
        ]
    )
    return (
        f"CREATE TEMP TRIGGER watch_{number}_{event} AFTER {event}{of} ON {one.table} "
        f"WHEN {one.when.format(row=row)} BEGIN {_PUT} {columns}; END"
    )


def seen(session: Session) -> list[Seen]:
    """What the transaction of a watched session has changed so far, in order; forgotten when it is asked again."""
    session.flush()
    rows = session.execute(
        text("SELECT kind, key, name, student, before, after FROM noticed ORDER BY number")
    )
    found = [
        Seen(
            kind=row.kind,
            key=str(row.key),
            name=str(row.name if row.name is not None else ""),
            student=row.student,
            before=_data(row.before),
            after=_data(row.after),
        )
        for row in rows
    ]
    session.execute(text("DELETE FROM noticed"))
    return found


def _data(told: str | None) -> dict[str, Any] | None:
    # Dates and sums of money stand in it as the columns keep them.
    found = unpack(told) if told is not None else None
    return found if isinstance(found, dict) else None
