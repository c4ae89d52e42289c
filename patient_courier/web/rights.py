"""Which right each address of the owner's side asks for. What stands here nowhere, only the owner may; a test asks every
route as every role.

Longer than three hundred lines, since each address stands in it once, by what it needs.
"""

from __future__ import annotations

from typing import Final

from patient_courier.core.helpers.rights import Right

# Whoever is signed in: their own session.
OWN: Final = frozenset(
    [
        "DELETE /api/session",
        "PUT /api/session/password",
        "GET /api/session/all",
        "DELETE /api/session/all/{id}",
        "GET /api/session/proof",
        "POST /api/session/proof",
        "POST /api/session/proof/passkey",
        "GET /api/session/proved",
        "GET /api/session/steps",
        "POST /api/session/app",
        "PUT /api/session/app",
        "DELETE /api/session/app",
        "POST /api/session/recovery-codes",
        "POST /api/session/passkeys/begin",
        "POST /api/session/passkeys",
        "DELETE /api/session/passkeys/{id}",
        "GET /api/frame",
    ]
)
# Of one's own things, those that are asked for only after showing once more that it is oneself.
_OWN_PROVED: Final = frozenset(
    [
        "GET /api/session/proved",
        "POST /api/session/app",
        "DELETE /api/session/app",
        "POST /api/session/recovery-codes",
        "POST /api/session/passkeys/begin",
        "DELETE /api/session/passkeys/{id}",
    ]
)
_LOOK = """
GET /api/today
GET /api/sequences
GET /api/sequences/{key}
GET /api/sequences/{key}/versions
GET /api/sequences/{key}/rehearsals
GET /api/sequences/{key}/letters
GET /api/sequences/{key}/parts
POST /api/sequences/check
POST /api/sequences/{key}/effect
GET /api/courses
GET /api/courses/{key}
GET /api/courses/{key}/line
GET /api/courses/{key}/post
GET /api/courses/{key}/outline.csv
GET /api/sequences/{key}/figures
GET /api/sequences/{key}/trial
GET /api/sequences/{key}/steps/{step}/versions
GET /api/broadcasts/{key}/versions
POST /api/sequences/{key}/trial/plan
GET /api/courses/{key}/figures/finishing
GET /api/courses/{key}/figures/finishing.csv
GET /api/courses/{key}/figures/quizzes
GET /api/purchases
GET /api/who-is-told
GET /api/findings
GET /api/weekly-letter
GET /api/notices
PUT /api/notices/{id}
GET /api/purchases.csv
GET /api/purchases/followed
GET /api/starters
GET /api/letters
GET /api/letters/examples
GET /api/letters/starters
GET /api/letters/{key}
GET /api/letters/{key}/fields
GET /api/letters/{key}/versions
GET /api/letters/{key}/next
GET /api/letters/{key}/figures
GET /api/letters/{key}/proofs
POST /api/letters/someone
POST /api/letters/preview
GET /api/layouts
POST /api/layouts/preview
GET /api/pictures
GET /api/broadcasts
GET /api/broadcasts/{key}
GET /api/broadcasts/{key}/wave
POST /api/audiences/counts
GET /api/audiences
GET /api/tags
GET /api/tags/bought
GET /api/school
GET /api/school/things
GET /api/school/zones
GET /api/students
"""
_WRITE = """
PUT /api/sequences/{key}
DELETE /api/sequences/{key}
POST /api/sequences/{key}/trial
POST /api/sequences/{key}/trial/end
POST /api/sequences/{key}/duplicate
POST /api/sequences/{key}/test
POST /api/courses/{key}/nudge
POST /api/courses/{key}/ending
POST /api/courses/{key}/reminder
POST /api/starters/{key}
POST /api/letters/starters
POST /api/letters/{key}/duplicate
POST /api/letters/{key}/test
PUT /api/letters/{key}
DELETE /api/letters/{key}
POST /api/letters/read
POST /api/pictures
POST /api/broadcasts
PUT /api/broadcasts/{key}
DELETE /api/broadcasts/{key}
POST /api/broadcasts/{key}/test
POST /api/broadcasts/{key}/duplicate
"""
_STUDENTS = """
GET /api/students/{key}
GET /api/students/{key}/consents
POST /api/student-list
GET /api/deliveries
GET /api/deliveries/{id}
GET /api/deliveries/{id}/again
GET /api/needs-you
GET /api/approvals
GET /api/certificates
GET /api/certificates/names
POST /api/certificates/preview
GET /api/courses/{key}/students
GET /api/courses/{key}/feedback
GET /api/sequences/{key}/people
GET /api/sequences/{key}/trials/{trial}/names
GET /api/sequences/{key}/versions/{version}/students
GET /api/sequences/{key}/steps/{step}/students
GET /api/letters/{key}/file
GET /api/letters/{key}/figures/{outcome}
GET /api/broadcasts/{key}/recipients
GET /api/broadcasts/{key}/outcome/{outcome}
POST /api/broadcasts/{key}/outlook
GET /api/broadcasts/outlooks/{id}
POST /api/audiences/names
POST /api/audiences/why
POST /api/who-is-told/student
GET /api/findings/students
POST /api/rehearsals
POST /api/rehearsals/letters/{index}
POST /api/rehearsals/paths
POST /api/replays
GET /api/replays/{id}
DELETE /api/replays/{id}
GET /api/practice/inbox/{student}
GET /api/practice/classroom/{student}
GET /api/practice/certificates/{student}
GET /api/practice/trouble/{student}
"""
_CARE = """
POST /api/students
PUT /api/students/{key}
POST /api/students/{key}/tags
POST /api/students/{key}/certificates/{course}/approve
POST /api/students/{key}/certificates/{course}/revoke
POST /api/students/{key}/address-works
POST /api/students/{key}/consent
PUT /api/students/{key}/noted
POST /api/students/{key}/enrolments
DELETE /api/students/{key}/enrolments/{course}
POST /api/deliveries/{id}/again
POST /api/needs-you/letters
POST /api/needs-you/{kind}/{id}
POST /api/approvals/approve
POST /api/approvals/write
POST /api/approvals/decline
PUT /api/certificates/{code}
POST /api/certificates/{code}/take-back
POST /api/certificates/again
POST /api/practice/mail/{id}/open
"""
_RUN = """
POST /api/clock
POST /api/sequences/{key}/move
POST /api/sequences/{key}/status
GET /api/sequences/{key}/outset
POST /api/sequences/{key}/outset
GET /api/sequences/outsets/{id}
POST /api/sequences/{key}/rehearsals
POST /api/sequences/{key}/rehearsals/{id}/agree
DELETE /api/sequences/{key}/rehearsals/{id}
POST /api/students/{key}/sequences
POST /api/students/{key}/pretend/outlook
POST /api/students/{key}/pretend
PUT /api/courses/{key}
DELETE /api/courses/{key}
PUT /api/courses/{key}/offer
POST /api/courses/{key}/outline
DELETE /api/offers/{key}
PUT /api/letters/{key}/proofs
PUT /api/layouts/{key}
DELETE /api/layouts/{key}
PUT /api/layouts/{key}/use
DELETE /api/pictures/{key}
POST /api/broadcasts/{key}/schedule
POST /api/broadcasts/{key}/take-back
POST /api/broadcasts/{key}/pause
POST /api/broadcasts/{key}/go-on
POST /api/broadcasts/{key}/stop
PUT /api/broadcasts/{key}/pace
POST /api/broadcasts/{key}/again
POST /api/audiences
PUT /api/audiences/{key}
DELETE /api/audiences/{key}
POST /api/tags/rename
POST /api/who-is-told/site-notes
POST /api/findings/look
POST /api/findings/aside
POST /api/findings/back
PUT /api/findings/links
DELETE /api/who-is-told/site-notes/{id}
POST /api/tags/remove
POST /api/bulk
GET /api/bulk/{id}
POST /api/bulk/{id}/take-back
PUT /api/practice/trouble/{student}
POST /api/practice/do
GET /api/practice-copy
POST /api/practice-copy
DELETE /api/practice-copy
GET /api/take-over/{kind}/{key}
POST /api/take-over/{kind}/{key}
"""
_SETTINGS = """
PUT /api/school
GET /api/check-up
GET /api/school/mail
PUT /api/school/mail
POST /api/school/mail/test
POST /api/school/mail/domain
POST /api/imports/read
POST /api/imports/{id}/try
POST /api/imports/{id}/take
POST /api/imports/{id}/undo
GET /api/imports/progress/{id}
GET /api/imports
GET /api/connections
POST /api/connections
GET /api/connections/{key}
PUT /api/connections/{key}
DELETE /api/connections/{key}
GET /api/connections/{key}/file
GET /api/connections/{key}/messages
GET /api/connections/{key}/messages/{id}
POST /api/connections/{key}/messages/{id}/pretend/outlook
POST /api/connections/{key}/messages/{id}/pretend
POST /api/connections/{key}/try
POST /api/connections/{key}/outlook
POST /api/connections/{key}/state
PUT /api/connections/{key}/mailbox
POST /api/connections/{key}/address
GET /api/waiting
POST /api/waiting/{id}/outlook
POST /api/waiting/{id}/choice
POST /api/waiting/{id}/aside
GET /api/own-intake
POST /api/event-files
POST /api/event-files/{id}/try
POST /api/event-files/{id}/take
GET /api/event-files/progress/{id}
GET /api/sign-up-forms
POST /api/sign-up-forms
GET /api/sign-up-forms/{key}
PUT /api/sign-up-forms/{key}
DELETE /api/sign-up-forms/{key}
POST /api/sign-up-forms/{key}/page
GET /api/destinations
POST /api/destinations
PUT /api/destinations/{key}
DELETE /api/destinations/{key}
POST /api/destinations/{key}/state
POST /api/destinations/{key}/sample
GET /api/outgoing/{key}
GET /api/outgoing/{key}/{id}
POST /api/outgoing/{key}/again
"""
_KEEP = """
GET /api/courses/{key}/feedback.csv
GET /api/certificates/csv
POST /api/certificates/archive
GET /api/certificates/archive/{id}
GET /api/certificates/archive/{id}/file
POST /api/student-list/csv
GET /api/students/{key}/everything
POST /api/students/{key}/erase
GET /api/changes
GET /api/changes/csv
PUT /api/changes/days
POST /api/changes/{id}/put-back
GET /api/school/file
POST /api/school/file
GET /api/school/copies
POST /api/school/copies
GET /api/school/copies/{name}/file
POST /api/school/copies/phrase
PUT /api/school/copies/encryption
DELETE /api/school/copies/encryption
PUT /api/school/copies/places
GET /api/coming-back
POST /api/coming-back/groups
POST /api/coming-back/proof
POST /api/coming-back/finish
GET /api/signing-keys
POST /api/signing-keys
POST /api/signing-keys/{number}/distrust
POST /api/own-intake/key
POST /api/connections/{key}/secret
PUT /api/connections/{key}/secret
POST /api/destinations/{key}/secret
GET /api/api-keys
POST /api/api-keys
DELETE /api/api-keys/{id}
GET /api/fetched-lists
POST /api/fetched-lists
DELETE /api/fetched-lists/{id}
GET /api/helpers
POST /api/helpers/invitations
DELETE /api/helpers/invitations/{id}
PUT /api/helpers/{id}
DELETE /api/helpers/{id}
DELETE /api/helpers/{id}/second-step
"""
# Of what only the owner may, that which opens nothing and gives nothing away: it is not asked for a proof.
_UNPROVED: Final = frozenset(
    [
        "GET /api/certificates/archive/{id}",
        "GET /api/school/copies",
        "POST /api/school/copies",
        "GET /api/coming-back",
        "POST /api/coming-back/groups",
        "POST /api/coming-back/proof",
        "POST /api/coming-back/finish",
        "GET /api/changes",
        "PUT /api/changes/days",
        "POST /api/changes/{id}/put-back",
        "GET /api/signing-keys",
        "GET /api/api-keys",
        "GET /api/fetched-lists",
        "GET /api/helpers",
        "DELETE /api/helpers/invitations/{id}",
    ]
)
_TABLE: Final[tuple[tuple[Right, str], ...]] = (
    ("look", _LOOK),
    ("write", _WRITE),
    ("students", _STUDENTS),
    ("care", _CARE),
    ("run", _RUN),
    ("settings", _SETTINGS),
    ("keep", _KEEP),
)
NEEDED: Final[dict[str, Right]] = {
    line: right for right, lines in _TABLE for line in lines.split("\n") if line
}


def needed(method: str, path: str) -> Right | None:
    """The right for a route; None: being signed in is enough. What is not in the table is the owner's."""
    name = _name(method, path)
    return None if name in OWN else NEEDED.get(name, "keep")


def wants_proof(method: str, path: str) -> bool:
    """Whether somebody who signed in a while ago has to show once more that it is them: before keys, exports, erasing,
    helpers, and their own second step."""
    name = _name(method, path)
    return name in _OWN_PROVED or (needed(method, path) == "keep" and name not in _UNPROVED)


# What a practice copy has not: those who may come in, what goes out and what is kept belong to the school.
_ONLY_IN_SCHOOL: Final = (
    "/api/helpers", "/api/invitations", "/api/school/mail", "/api/school/copies", "/api/coming-back",
    "/api/check-up", "/api/api-keys", "/api/fetched-lists", "/api/practice-copy",
)  # fmt: skip


def only_in_school(path: str) -> bool:
    """Whether a route is refused in a practice copy."""
    return path.startswith(_ONLY_IN_SCHOOL)


def _name(method: str, path: str) -> str:
    return f"{'GET' if method == 'HEAD' else method} {path}"
