"""What far mail servers do, played: reports about letters in the form that the standards give them."""

from __future__ import annotations

from email import message_from_bytes
from email.message import Message
from email.mime.multipart import MIMEMultipart
from email.mime.nonmultipart import MIMENonMultipart
from email.mime.text import MIMEText
from email.policy import compat32
from typing import Literal

Trouble = Literal["unknown", "full", "unknown_later", "greylisting", "slow", "complaint"]
# What is said at once, while the letter is handed over (RFC 5321, RFC 3463).
AT_ONCE = {
    "unknown": "550 5.1.1 there is no such mailbox here",
    "greylisting": "451 4.7.1 please come again in a while",
}
# How long a slow server takes for its answer, in seconds.
SLOW_SECONDS = 6.0
_LATER = {
    "full": ("5.2.2", "the mailbox is full"),
    "unknown_later": ("5.1.1", "there is no such mailbox here"),
}


def report_of(kind: str, letter: bytes, recipient: str) -> bytes | None:
    """The message that comes back some time later; None when nothing does."""
    if kind in _LATER:
        return _delivery_status(*_LATER[kind], letter, recipient)
    return _feedback(letter, recipient) if kind == "complaint" else None


def _report(kind: str) -> MIMEMultipart:
    """RFC 6522: a report of this kind."""
    report = MIMEMultipart("report")
    report.set_param("report-type", kind)
    return report


def _delivery_status(code: str, words: str, letter: bytes, recipient: str) -> bytes:
    """RFC 3464, with the letter's header (RFC 3462)."""
    report = _report("delivery-status")
    report["From"] = "Mail delivery <mailer-daemon@mx.example.net>"
    report["Subject"] = "Undelivered mail returned to sender"
    report.attach(MIMEText(f"Your letter to {recipient} could not be delivered: {words}.\n"))
    status = Message(policy=compat32)
    status["Content-Type"] = "message/delivery-status"
    whole, one = Message(policy=compat32), Message(policy=compat32)
    whole["Reporting-MTA"] = "dns; mx.example.net"
    one["Final-Recipient"] = f"rfc822; {recipient}"
    one["Action"] = "failed"
    one["Status"] = code
    one["Diagnostic-Code"] = f"smtp; 550 {code} {words}"
    status.set_payload([whole, one])
    report.attach(status)
    report.attach(_header(letter))
    return report.as_bytes()


def _feedback(letter: bytes, recipient: str) -> bytes:
    """RFC 5965."""
    report = _report("feedback-report")
    report["From"] = "Complaints <feedback@mx.example.net>"
    report["Subject"] = "A complaint"
    report.attach(MIMEText("Somebody has marked this letter as unwanted.\n"))
    feedback = Message(policy=compat32)
    feedback["Content-Type"] = "message/feedback-report"
    feedback.set_payload(
        f"Feedback-Type: abuse\nUser-Agent: Mailroom/1\nVersion: 1\nOriginal-Rcpt-To: {recipient}\n"
    )
    report.attach(feedback)
    report.attach(_header(letter))
    return report.as_bytes()


def _header(letter: bytes) -> Message:
    found = MIMENonMultipart("text", "rfc822-headers")
    header = message_from_bytes(letter, policy=compat32)
    found.set_payload("".join(f"{name}: {value}\n" for name, value in header.items()))
    return found
