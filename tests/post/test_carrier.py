"""Handing over to a real socket: the right people and nobody else, and each refusal told apart.

Sources: RFC 5321 sections 4.2 and 4.5.3.2, RFC 3463 section 3, RFC 2920.
"""

import ssl
import subprocess
from contextlib import suppress
from dataclasses import replace

import pytest

from patient_courier.post.carriers import NotTaken, SmtpCarrier, SmtpSettings, Unsure
from patient_courier.post.message import Mail
from tests.post.far_side import FarSide

ANA, KAI, ZOE = ("ana@example.org",), ("kai@example.org",), ("zoe@example.org",)


def mail(to, text=b"hello") -> Mail:
    return Mail(b"Subject: x\r\n\r\n" + text + b"\r\n", "ines@mallowlane.example", tuple(to))


def carrier(side: FarSide, **more) -> SmtpCarrier:
    return SmtpCarrier(SmtpSettings("127.0.0.1", side.port, answer_seconds=2, end_seconds=2, **more))


def once(command, answer, at=1):
    return lambda asked, count: answer if (asked, count) == (command, at) else ""


@pytest.mark.parametrize("extensions", [(), ("PIPELINING",)])
@pytest.mark.parametrize(
    ("command", "answer"),
    [("RCPT", "550 no such user"), ("RCPT", "450 later"), ("DATA", "451 later"), ("DATA", "554 no"), ("DATA", None),
     ("DATA", "421 closing"), ("END", "451 later"), ("END", "554 spam"), ("END", "421 closing"), ("MAIL", "451 later"),
     ("RCPT", None), ("RSET", "500 what")],
)  # fmt: skip
def test_after_any_failure_the_next_letter_goes_to_its_own_recipient_alone(command, answer, extensions):
    def script(asked, count):
        if command == "RSET" and (asked, count) == ("RCPT", 1):
            return "550 no such user"
        return answer if (asked, count) == (command, 1) else ""

    side = FarSide(script, extensions)
    found = carrier(side)
    with suppress(NotTaken, Unsure):
        found.post(mail(ANA, b"for ana"))
    found.post(mail(KAI, b"for kai"))
    found.post(mail((*ZOE, *KAI), b"..for two"))
    assert [x for x in side.taken if b"ana" not in x[1]] == [
        (list(KAI), mail(KAI, b"for kai").raw),
        ([*ZOE, *KAI], mail(ZOE, b"..for two").raw),
    ]
    assert all(to == list(ANA) for to, body in side.taken if b"ana" in body)


@pytest.mark.parametrize(
    ("command", "answer", "about"),
    [
        ("RCPT", "550 no such user", "address"),
        ("RCPT", "550 5.1.1 no such user", "address"),
        ("RCPT", "550 5.2.1 mailbox disabled", "address"),
        ("END", "554 5.1.1 no such user", "address"),
        ("RCPT", "550 5.7.1 you are on a list", "letter"),
        ("RCPT", "552 5.2.2 mailbox full", "letter"),
        ("RCPT", "554 spam", "letter"),
        ("RCPT", "451 greylisted", "now"),
        ("RCPT", "530 5.7.0 sign in first", "server"),
        ("MAIL", "451 not now", "server"),
        ("MAIL", "553 5.1.8 your domain does not exist", "server"),
        ("MAIL", "554 5.1.1 quota", "server"),
        ("RCPT", "503 need MAIL first", "server"),
        ("DATA", "452 too much", "now"),
        ("DATA", "554 no", "letter"),
        ("END", "554 5.7.1 spam", "letter"),
        ("END", "552 quota", "letter"),
        ("END", "450 later", "now"),
        ("DATA", None, "server"),
        ("MAIL", None, "server"),
    ],
)
def test_what_a_refusal_says_something_about(command, answer, about):
    side = FarSide(lambda asked, count: answer if asked == command else "")
    with pytest.raises(NotTaken) as caught:
        carrier(side).post(mail(ANA))
    assert caught.value.about == about
    assert side.taken == []


def test_a_server_that_has_had_enough_of_a_connection_gets_another_one():
    for answer in ("452 too many messages", "421 goodbye", None):
        side = FarSide(once("MAIL", answer, at=2))
        found = carrier(side)
        found.post(mail(ANA))
        found.post(mail(KAI))
        assert ([to for to, _ in side.taken], side.connections) == ([list(ANA), list(KAI)], 2)


def test_only_silence_after_the_end_of_a_message_leaves_it_unsure():
    for command, error in (("END", Unsure), ("DATA", NotTaken)):
        for answer in (None, (3.0, "")):
            with pytest.raises(error):
                carrier(FarSide(once(command, answer))).post(mail(ANA))
    slow = FarSide(once("END", (2.5, "")))
    SmtpCarrier(SmtpSettings("127.0.0.1", slow.port, answer_seconds=2, end_seconds=10)).post(mail(ANA))
    assert len(slow.taken) == 1


def test_an_address_beyond_ascii_goes_to_a_server_that_takes_it_and_to_no_other():
    with pytest.raises(NotTaken) as caught:
        carrier(FarSide()).post(mail(["änä@example.org"]))
    assert caught.value.about == "letter"
    side = FarSide(extensions=("SMTPUTF8",))
    found = carrier(side)
    found.post(mail(["änä@example.org"]))
    found.post(mail(KAI))
    assert [to for to, _ in side.taken] == [["änä@example.org"], list(KAI)]


def test_the_envelopes_id_goes_along_where_the_server_brings_it_back():
    """RFC 3461 sections 4.3 and 4.4; what could end the parameter is written as + and its number (section 4)."""
    letter = replace(mail(ANA), envelope="7.a+b=c")
    knows, plain = FarSide(extensions=("DSN",)), FarSide()
    for side in (knows, plain):
        carrier(side).post(letter)
    begun = [
        next(line for line in side.said if line.upper().startswith("MAIL FROM")) for side in (knows, plain)
    ]
    assert begun[0].strip() == "MAIL FROM:<ines@mallowlane.example> RET=HDRS ENVID=7.a+2Bb+3Dc"
    assert begun[1].strip() == "MAIL FROM:<ines@mallowlane.example>"


@pytest.fixture(scope="module")
def certificate(tmp_path_factory):
    """A certificate for localhost that nobody has vouched for."""
    folder = tmp_path_factory.mktemp("tls")
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=localhost",
         "-addext", "subjectAltName=DNS:localhost", "-keyout", folder / "key.pem", "-out", folder / "cert.pem"],
        check=True, capture_output=True,
    )  # fmt: skip
    return folder


def test_a_server_that_can_not_show_who_it_is_gets_no_password(certificate):
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(certificate / "cert.pem", certificate / "key.pem")
    side = FarSide(extensions=("AUTH PLAIN",), context=context)
    stranger = SmtpSettings("localhost", side.port, "ines", "secret word", "tls", answer_seconds=5)
    with pytest.raises(NotTaken, match="SMTP_CA_FILE") as caught:
        SmtpCarrier(stranger).post(mail(ANA))
    assert (caught.value.about, side.said) == ("server", [])
    known = SmtpSettings("localhost", side.port, "ines", "secret word", "tls", certificate / "cert.pem", 5)
    SmtpCarrier(known).post(mail(ANA))
    assert [to for to, _ in side.taken] == [list(ANA)]


def test_a_refused_password_and_a_server_that_is_not_there_are_said_as_such():
    side = FarSide(lambda asked, count: "535 wrong" if asked == "AUTH" else "", extensions=("AUTH PLAIN",))
    with pytest.raises(NotTaken, match=r"refuses the name and password.*School") as caught:
        carrier(side, user="ines", password="secret word").post(mail(ANA))
    assert caught.value.about == "server" and "secret word" not in str(caught.value)
    side.close()
    with pytest.raises(NotTaken, match="can't be used"):
        carrier(side).post(mail(ANA))
