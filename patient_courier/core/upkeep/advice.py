"""What to do about a mail server's refusal, by its code and its words.

The codes are those of RFC 5321, RFC 3463, RFC 4954 and RFC 7372; which words servers choose is common practice, no source.
"""

from __future__ import annotations

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Advice:
    """Why it was probably refused, and what to do."""

    why: str
    do: str


def _advice(pattern: str, why: str, do: str) -> tuple[re.Pattern[str], Advice]:
    return re.compile(pattern, re.IGNORECASE | re.DOTALL), Advice(why, do)


# The first that fits is given, so the narrow ones come before the wide ones.
_KNOWN = [
    _advice(
        r"can't show that it is the one|certificate verify failed|CERTIFICATE_VERIFY",
        "The server's certificate is not for this name, has ended, or was given by an authority that this machine does not know.",
        "Write the server's name exactly as your provider gives it. A server of your own needs a certificate for that name, or "
        "its authority's file in PATIENT_COURIER_SMTP_CA_FILE.",
    ),
    _advice(
        r"WRONG_VERSION_NUMBER|record layer failure|UNEXPECTED_EOF|SSLV3_ALERT|packet length too long|Connection unexpectedly closed$",
        "The server speaks another kind of security at this port.",
        "Try “TLS from the start” with port 465, or “STARTTLS” with port 587.",
    ),
    _advice(
        r"STARTTLS extension not supported|starttls.*not (supported|available)",
        "The server offers no STARTTLS at this port.",
        "Try “TLS from the start” with port 465. Choose no security only for a server on this very machine.",
    ),
    _advice(
        r"Name or service not known|nodename nor servname|getaddrinfo|No address associated|Temporary failure in name resolution",
        "There is no server of this name, or this machine can't ask for names.",
        "Look for a slip in the server's name. If it is right, see whether this machine has a network and a name server.",
    ),
    _advice(
        r"Connection refused|Errno 111",
        "Nothing listens at this port of the server.",
        "Check the port: usually 587 with STARTTLS, or 465 with TLS from the start.",
    ),
    _advice(
        r"timed out|Network is unreachable|No route to host|Errno 11[03]",
        "The server can't be reached. Many hosts of rented machines close port 25, and some all ports for mail.",
        "Use port 587 or 465. If these are silent too, ask the host of this machine to open them.",
    ),
    _advice(
        r"application.specific password|5\.7\.9\b|app password|InvalidSecondFactor",
        "The account is protected by a second factor, so its usual password does not work here.",
        "Make a password for this application in the account's settings, and fill that in.",
    ),
    _advice(
        r"refuses the name and password|\b535\b|5\.7\.8\b|authentication (failed|credentials invalid)|auth.*failed",
        "The user name or the password is another one.",
        "Copy both once more from your provider's page; the user name is often the whole address.",
    ),
    _advice(
        r"\b538\b|5\.7\.11\b|must issue a STARTTLS|encryption required",
        "The server talks to nobody without encryption.",
        "Choose STARTTLS or TLS from the start.",
    ),
    _advice(
        r"\b530\b|5\.7\.0 .*auth|authentication (is )?required|not authenticated|SMTP AUTH",
        "The server wants to know who posts.",
        "Fill in the user name and the password that your provider gave you.",
    ),
    _advice(
        r"not owned by user|5\.7\.60\b|send as|SendAsDenied|sender.*(not allowed|not authorized|not permitted|does not match)|"
        r"5\.7\.1 .*sender.*reject",
        "This user may not post from the school's address.",
        "Add the address to the account at your provider, or sign in as the user it belongs to, or write from another address.",
    ),
    _advice(
        r"relay(ing)? (access )?(denied|not permitted)|unable to relay|not permitted to relay|5\.7\.54\b",
        "The server posts to its own people only, unless one signs in.",
        "Fill in user name and password, and use port 587 or 465 rather than 25.",
    ),
    _advice(
        r"DMARC|5\.7\.26\b|5\.7\.509\b",
        "The domain of the school's address asks others to refuse letters that it does not vouch for, and this one was not.",
        "Look at the sender's domain below: SPF or DKIM has to agree with it.",
    ),
    _advice(
        r"\bSPF\b|5\.7\.2[34]\b",
        "The domain of the school's address does not name this server among those that post for it.",
        "Publish the SPF line that the check of the sender's domain shows below.",
    ),
    _advice(
        r"\bDKIM\b|5\.7\.2[0-2]\b",
        "The letter's signature is missing or wrong.",
        "Switch DKIM on at your provider, and publish the line it gives you; then look at the sender's domain below.",
    ),
    _advice(
        r"5\.7\.25\b|reverse (dns|lookup)|PTR record|rDNS|Client host rejected: cannot find your",
        "The machine that posts has no name for its number.",
        "Hand letters to a provider of mail instead of posting from this machine, or set the machine's reverse name.",
    ),
    _advice(
        r"block(ed|list)|blacklist|listed (in|at|by)|RBL|DNSBL|poor reputation|bad reputation|5\.7\.606",
        "The machine that posts stands on a list of those that nobody takes letters from.",
        "Ask your provider; a list has a page where one can ask to be taken off. A provider of mail is seldom on one.",
    ),
    _advice(
        r"spam|junk|content (reject|not allowed)|unsolicited|5\.7\.1 .*(policy|message)|virus",
        "The other side takes the letter for unwanted mail.",
        "Send a letter with a few plain sentences. If that goes, look at this letter's links and pictures; if not, at the sender's domain.",
    ),
    _advice(
        r"4\.7\.28\b|4\.7\.0 .*rate|rate limit|too many (messages|emails|recipients|mails)|quota (of|for).*(sent|messages)|daily (user )?(sending )?(limit|quota)|"
        r"sending limit|5\.4\.5\b|throttl|hourly",
        "The provider allows fewer letters in this time.",
        "Fill in the pace that your provider names, a minute and a day; what waits goes out in its time.",
    ),
    _advice(
        r"too many (concurrent )?connections|\b421\b.*connection|4\.7\.0 .*connections",
        "Too many are connected to the server at the moment.",
        "Nothing has to be done: it is tried again by itself. If it stays so, see which other programs post with this account.",
    ),
    _advice(
        r"gr[ae]ylist|try again (later|in)|come again|4\.7\.1\b|postgrey",
        "The other side does not know you yet and asks to come again.",
        "Nothing has to be done: it is tried again by itself, usually within a quarter of an hour.",
    ),
    _advice(
        r"5\.2\.2\b|4\.2\.2\b|mailbox (is )?full|over ?quota|quota exceeded",
        "The mailbox that this went to is full.",
        "Try another address of yours, or make room in that mailbox.",
    ),
    _advice(
        r"5\.1\.[78]\b|sender.*(domain|address).*(not found|does not exist|rejected)|domain of sender|cannot find your domain",
        "The domain of the school's address does not exist, or takes no mail itself.",
        "Look for a slip in the school's address. Its domain needs an MX line: see the sender's domain below.",
    ),
    _advice(
        r"5\.1\.1\b|5\.1\.0\b|5\.1\.10\b|user unknown|no such (user|mailbox|recipient)|unknown (user|recipient|mailbox)|does not exist",
        "There is no mailbox of that name.",
        "Look for a slip in the address that the test went to.",
    ),
    _advice(
        r"5\.3\.4\b|\b552\b|too (large|big)|size (limit|exceeds)|maximum (message )?size",
        "The letter is larger than the server takes.",
        "Take pictures out of it, or make them smaller.",
    ),
    _advice(
        r"SMTPUTF8|5\.6\.7\b|letters beyond a to z",
        "The address has letters that this server does not know.",
        "Use the address's form in plain letters, if it has one.",
    ),
    _advice(
        r"HELO|EHLO|\b501\b|5\.5\.[24]\b|invalid (domain|hostname)",
        "The server does not like how this machine introduces itself.",
        "Give this machine a full name, such as post.yourdomain (hostnamectl set-hostname), and start again.",
    ),
    _advice(
        r"4\.3\.1\b|\b452\b|insufficient (system )?(storage|disk)|system resources",
        "The server has no room at the moment.",
        "Nothing has to be done: it is tried again by itself.",
    ),
]
_LATER = Advice(
    "The server asks to come again later, and does not say why in words known here.",
    "Wait a quarter of an hour and try again; letters of the school are tried again by themselves.",
)
_FOR_GOOD = Advice(
    "The server refuses, and does not say why in words known here.",
    "Show your provider the server's words; they know them.",
)


def advice_on(said: str) -> Advice:
    """What a refusal probably means and what to do, from what the server said or how the connection failed."""
    for pattern, found in _KNOWN:
        if pattern.search(said):
            return found
    return _LATER if re.search(r"\b4\d\d\b", said) else _FOR_GOOD
