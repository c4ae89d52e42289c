"""A real mail world on this machine: Debian's postfix with TLS and login, Debian's dovecot with the mailboxes behind it.

Everything lies in one folder of its own: configuration, queue, mailboxes, log. Both need root to become their own users.
"""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.x509.oid import NameOID

from tests.browser.serving import free_port

PASSWORD = "word-of-the-mailbox"


@dataclass(frozen=True)
class MailWorld:
    """Ports on localhost: submission (STARTTLS), smtps and imaps; ``certificate`` vouches for them."""

    submission: int
    smtps: int
    imaps: int
    certificate: Path


def certificate_for(folder: Path, name: str = "localhost") -> tuple[Path, Path]:
    """A certificate that signs itself, and its key."""
    key = rsa.generate_private_key(public_exponent=65537, key_size=2048)
    named = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(named)
        .issuer_name(named)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=20))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName(name)]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    certificate, private = folder / "cert.pem", folder / "key.pem"
    certificate.write_bytes(made.public_bytes(serialization.Encoding.PEM))
    private.write_bytes(
        key.private_bytes(
            serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
        )
    )
    private.chmod(0o600)
    return certificate, private


_DOVECOT = """
base_dir = {run}
state_dir = {run}
log_path = {folder}/dovecot.log
protocols = imap lmtp
ssl = required
ssl_cert = <{certificate}
ssl_key = <{key}
mail_location = maildir:{folder}/boxes/%n
mail_uid = mail
mail_gid = mail
first_valid_uid = 1
auth_username_format = %Ln
lda_mailbox_autocreate = yes
passdb {{
  driver = static
  args = password={password}
}}
userdb {{
  driver = static
  args = uid=mail gid=mail home={folder}/boxes/%n allow_all_users=yes
}}
service imap-login {{
  inet_listener imap {{
    port = 0
  }}
  inet_listener imaps {{
    address = 127.0.0.1
    port = {imaps}
    ssl = yes
  }}
}}
service lmtp {{
  inet_listener lmtp {{
    address = 127.0.0.1
    port = {lmtp}
  }}
}}
service auth {{
  inet_listener {{
    address = 127.0.0.1
    port = {auth}
  }}
}}
protocol lmtp {{
  postmaster_address = postmaster@mallowlane.example
}}
"""
_MAIN = """
compatibility_level = 3.6
queue_directory = {folder}/queue
data_directory = {folder}/data
command_directory = /usr/sbin
daemon_directory = /usr/lib/postfix/sbin
maillog_file = {folder}/postfix.log
maillog_file_prefixes = {folder}
mail_owner = postfix
myhostname = mail.mallowlane.example
mydestination =
mynetworks =
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
virtual_mailbox_domains = mallowlane.example
virtual_mailbox_maps = inline:{{ ines@mallowlane.example=x, ana@mallowlane.example=x }}
virtual_transport = lmtp:inet:127.0.0.1:{lmtp}
smtpd_tls_cert_file = {certificate}
smtpd_tls_key_file = {key}
smtpd_tls_security_level = may
smtpd_sasl_auth_enable = yes
smtpd_sasl_type = dovecot
smtpd_sasl_path = inet:127.0.0.1:{auth}
smtpd_recipient_restrictions = permit_sasl_authenticated, reject
smtpd_relay_restrictions = permit_sasl_authenticated, reject
# Whom it does not know it says later, by a report: like a relay that hands on to another server.
smtpd_reject_unlisted_recipient = no
transport_maps = inline:{{ {{ nobody@mallowlane.example=error:5.1.1 there is no such mailbox }} }}
alias_maps =
"""
_MASTER = """
{submission} inet n - n - - smtpd
  -o smtpd_tls_auth_only=yes
{smtps} inet n - n - - smtpd
  -o smtpd_tls_wrappermode=yes
pickup unix n - n 60 1 pickup
cleanup unix n - n - 0 cleanup
qmgr unix n - n 300 1 qmgr
tlsmgr unix - - n 1000? 1 tlsmgr
rewrite unix - - n - - trivial-rewrite
bounce unix - - n - 0 bounce
defer unix - - n - 0 bounce
trace unix - - n - 0 bounce
verify unix - - n - 1 verify
proxymap unix - - n - - proxymap
error unix - - n - - error
retry unix - - n - - error
lmtp unix - - n - - lmtp
anvil unix - - n - 1 anvil
scache unix - - n - 1 scache
postlog unix-dgram n - n - 1 postlogd
"""


@contextmanager
def mail_world(folder: Path) -> Iterator[MailWorld]:
    """Both servers, up; ended with everything they have started."""
    # Its own users must be able to come here.
    for parent in (folder, *folder.parents):
        if parent != Path("/") and parent.stat().st_uid == os.geteuid():
            parent.chmod(parent.stat().st_mode | 0o011)
    for name in ("run", "boxes", "postfix", "queue", "data"):
        (folder / name).mkdir()
    owner = pwd.getpwnam("postfix")
    os.chown(folder / "data", owner.pw_uid, owner.pw_gid)
    shutil.chown(folder / "boxes", "mail", "mail")
    certificate, key = certificate_for(folder)
    ports = {name: free_port() for name in ("submission", "smtps", "imaps", "lmtp", "auth")}
    values = dict(
        ports, folder=folder, run=folder / "run", certificate=certificate, key=key, password=PASSWORD
    )
    (folder / "dovecot.conf").write_text(_DOVECOT.format(**values))
    (folder / "postfix" / "main.cf").write_text(_MAIN.format(**values))
    (folder / "postfix" / "master.cf").write_text(_MASTER.format(**values))
    (folder / "queue" / "pid").mkdir()
    dovecot = ["dovecot", "-c", str(folder / "dovecot.conf")]
    postfix = ["postfix", "-c", str(folder / "postfix")]
    _run(dovecot)
    try:
        _run([*postfix, "start"])
        try:
            yield MailWorld(ports["submission"], ports["smtps"], ports["imaps"], certificate)
        finally:
            _run([*postfix, "stop"])
    finally:
        _run([*dovecot, "stop"])


def _run(command: list[str]) -> None:
    # What it starts keeps what it was given to write to, so that is no pipe, whose end would never come.
    with tempfile.TemporaryFile("w+") as said:
        done = subprocess.run(command, stdin=subprocess.DEVNULL, stdout=said, stderr=said, check=False)
        said.seek(0)
        assert done.returncode == 0, said.read()
