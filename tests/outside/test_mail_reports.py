"""Reports of the mail world, in the form of the standards' own examples.

Sources: RFC 3464 appendix E.1 (a simple delivery status), RFC 5965 appendix B.1 (a feedback report), RFC 6533 section 3
(international status), RFC 3461 section 4.4 (envelope ids). The examples are written down from memory and shortened;
our letter's header stands where they bring back the message.
"""

import pytest

from patient_courier.intake.mail_reports import read_report

HEADER = """From: Ines <ines@mallowlane.example>
To: Ana <ana@example.org>
Subject: Your place is ready
Message-ID: <delivery-7@mallowlane.example>
List-Unsubscribe:
 <https://post.mallowlane.example/post/stop/Nw.abc_DEF-123>
"""
# RFC 3464, E.1.
STATUS = """Date: Thu, 7 Jul 1994 17:16:05 -0400
From: Mail Delivery Subsystem <MAILER-DAEMON@CS.UTK.EDU>
To: <owner-info-mime@cs.utk.edu>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status;
      boundary="RAA14128.773615765/CS.UTK.EDU"
Subject: Returned mail: Cannot send message for 5 days

--RAA14128.773615765/CS.UTK.EDU

The original message was received at Sat, 2 Jul 1994 17:10:28 -0400

--RAA14128.773615765/CS.UTK.EDU
Content-Type: {status_type}

Reporting-MTA: dns; cs.utk.edu
{envelope}
Original-Recipient: rfc822;louisl@larry.slip.umd.edu
Final-Recipient: rfc822;louisl@larry.slip.umd.edu
Action: {action}
Status: {status}
Diagnostic-Code: smtp; {diagnostic}
Last-Attempt-Date: Thu, 7 Jul 1994 17:15:49 -0400

--RAA14128.773615765/CS.UTK.EDU
Content-Type: {returned_type}

{header}
--RAA14128.773615765/CS.UTK.EDU--
"""
# RFC 5965, B.1.
FEEDBACK = """From: <abusedesk@example.com>
Date: Thu, 8 Mar 2005 17:40:36 EDT
Subject: FW: Earn money
To: <abuse@example.net>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=feedback-report;
     boundary="part1_13d.2e68ed54_boundary"

--part1_13d.2e68ed54_boundary
Content-Type: text/plain; charset="US-ASCII"
Content-Transfer-Encoding: 7bit

This is an email abuse report for an email message
received from IP 192.0.2.1 on Thu, 8 Mar 2005 14:00:00 EDT.

--part1_13d.2e68ed54_boundary
Content-Type: message/feedback-report

Feedback-Type: {kind}
User-Agent: SomeGenerator/1.0
Version: 1

--part1_13d.2e68ed54_boundary
Content-Type: message/rfc822
Content-Disposition: inline

{header}
Spam Spam Spam
--part1_13d.2e68ed54_boundary--
"""


def status(code="4.0.0", action="failed", diagnostic="426 connection timed out", **more):
    given = {
        "status_type": "message/delivery-status",
        "returned_type": "message/rfc822",
        "envelope": "",
        "header": HEADER,
        **more,
    }
    text = STATUS.format(status=code, action=action, diagnostic=diagnostic, **given)
    return text.replace("\n", "\r\n").encode()


def test_the_example_of_the_standard_is_for_now_and_brings_the_signed_link_back():
    found = read_report(status())
    assert (found.kind, found.token, found.said) == ("soft", "Nw.abc_DEF-123", "426 connection timed out")


@pytest.mark.parametrize(
    ("code", "diagnostic", "action", "kind"),
    [
        ("5.1.1", "550 5.1.1 no such user", "failed", "hard"),
        ("5.0.0", "550 5.1.1 no such user", "failed", "hard"),  # the far server's own words count
        ("5.2.1", "550 5.2.1 mailbox disabled", "failed", "hard"),
        ("5.2.2", "552 5.2.2 mailbox full", "failed", "soft"),
        (
            "5.7.1",
            "554 5.7.1 refused by policy",
            "failed",
            "soft",
        ),  # says something about the letter, not the address
        ("5.1.8", "550 5.1.8 bad sender's system address", "failed", "soft"),  # about us, not about them
        ("4.4.1", "connection timed out", "delayed", "delayed"),
        ("2.0.0", "250 ok", "delivered", "nothing"),
    ],
)
def test_what_stops_an_address_is_only_that_there_is_no_such_mailbox(code, diagnostic, action, kind):
    assert read_report(status(code, action, diagnostic)).kind == kind


def test_international_status_header_only_and_the_envelopes_id():
    """RFC 6533 (no library reads its part), RFC 3462 section 2, RFC 3461 section 4.4."""
    raw = status(
        "5.1.1",
        status_type="message/global-delivery-status",
        returned_type="text/rfc822-headers",
        envelope="Original-Envelope-Id: Nw.abc_DEF-123",
    )
    found = read_report(raw)
    assert (found.kind, found.token, found.envelope) == ("hard", "Nw.abc_DEF-123", "Nw.abc_DEF-123")
    mixed = raw.replace(b"multipart/report; report-type=delivery-status", b"multipart/mixed")
    assert read_report(mixed).kind == "hard"  # as some servers send it


@pytest.mark.parametrize(
    ("said", "kind"), [("abuse", "complaint"), ("fraud", "complaint"), ("not-spam", "nothing")]
)
def test_a_feedback_report(said, kind):
    raw = FEEDBACK.format(kind=said, header=HEADER).replace("\n", "\r\n").encode()
    found = read_report(raw)
    assert (found.kind, found.token) == (kind, "Nw.abc_DEF-123")


@pytest.mark.parametrize(
    "raw",
    [
        b"",
        b"\xff\xfe\x00junk",
        b"Subject: hello\r\n\r\nGood morning.",
        status()[:300],
        status().replace(b"Status:", b"Stat"),
    ],
)
def test_whatever_comes_is_read_and_proves_nothing_by_itself(raw):
    found = read_report(raw)
    assert found.kind in ("nothing", "soft") and (found.kind == "nothing" or found.token)
