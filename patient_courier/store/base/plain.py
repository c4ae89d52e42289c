"""The tables without mapped objects, each under its one name, for what is asked often.

Making mapped objects costs more than reading the rows.
"""

from __future__ import annotations

from typing import Any

from patient_courier.store.base.tables import (
    ActivityRow,
    BroadcastRow,
    CertificateRow,
    ClockRow,
    ConnectionDayRow,
    ConnectionRow,
    ConnectionSecretRow,
    DeliveryRow,
    DestinationRow,
    EnrolmentRow,
    EventIdRow,
    EventRow,
    HelpStopRow,
    LearntRow,
    LetterRow,
    MailRow,
    MessageRow,
    OutgoingRow,
    OutgoingTryRow,
    PostingRow,
    ProofRow,
    PurchaseRow,
    ReadingRow,
    ReturnRow,
    RunRow,
    SchoolRow,
    SequenceRow,
    StudentRow,
    TagRow,
    VisitRow,
    WaitingRow,
)

ACTIVITY: Any = ActivityRow.__table__
BROADCASTS: Any = BroadcastRow.__table__
CERTIFICATES: Any = CertificateRow.__table__
CLOCK: Any = ClockRow.__table__
CONNECTION_DAYS: Any = ConnectionDayRow.__table__
CONNECTION_SECRETS: Any = ConnectionSecretRow.__table__
CONNECTIONS: Any = ConnectionRow.__table__
DELIVERIES: Any = DeliveryRow.__table__
DESTINATIONS: Any = DestinationRow.__table__
ENROLMENTS: Any = EnrolmentRow.__table__
EVENTS: Any = EventRow.__table__
EVENT_IDS: Any = EventIdRow.__table__
HELP_STOPS: Any = HelpStopRow.__table__
LEARNT: Any = LearntRow.__table__
LETTERS: Any = LetterRow.__table__
MAIL: Any = MailRow.__table__
MESSAGES: Any = MessageRow.__table__
OUTGOING: Any = OutgoingRow.__table__
OUTGOING_TRIES: Any = OutgoingTryRow.__table__
POSTINGS: Any = PostingRow.__table__
PROOFS: Any = ProofRow.__table__
PURCHASES: Any = PurchaseRow.__table__
READINGS: Any = ReadingRow.__table__
RETURNS: Any = ReturnRow.__table__
RUNS: Any = RunRow.__table__
SCHOOL: Any = SchoolRow.__table__
SEQUENCES: Any = SequenceRow.__table__
STUDENTS: Any = StudentRow.__table__
TAGS: Any = TagRow.__table__
VISITS: Any = VisitRow.__table__
WAITING: Any = WaitingRow.__table__
