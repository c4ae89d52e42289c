"""Settings from the environment, all starting with PATIENT_COURIER_."""

from __future__ import annotations

from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict

from patient_courier.core.upkeep.mail_server import Security


class Settings(BaseSettings):
    """Where things are and how mail goes out. Without ``smtp_host`` the owner's server holds, or else the mailroom."""

    model_config = SettingsConfigDict(env_prefix="PATIENT_COURIER_")

    database: Path = Path("var/school.db")
    host: str = "127.0.0.1"
    port: int = 8484
    site: str = ""
    smtp_host: str = ""
    smtp_port: int = 587
    smtp_user: str = ""
    smtp_password: str = ""
    smtp_security: Security = "starttls"
    # Certificates of authorities that the system does not know, e.g. of a mail server in one's own network.
    smtp_ca_file: Path | None = None
    # Whether calls may go to addresses inside: this machine, its network.
    calls_inside: bool = False
    # A folder (or Maildir) into which the mail server puts what comes back: bounces and complaints.
    reports_folder: Path | None = None
    # A folder with a folder for each connection, by its key, into which a mail program puts what shops write.
    mails_folder: Path | None = None
    # Addresses of proxies in front, with commas between: only they are believed when they say where a request comes from.
    trusted_proxies: str = ""
    # A certificate and its key (PEM), to be reached by https without a proxy in front.
    tls_certificate: Path | None = None
    tls_key: Path | None = None
    # Where copies of the school are kept; empty: in “copies” beside the database.
    copies: Path | None = None
    # The name server that is asked about the sender's domain, as address:port; empty: this machine's own.
    name_server: str = ""
    demo: bool = False

    @property
    def copies_folder(self) -> Path:
        return self.copies or self.database.absolute().parent / "copies"

    @property
    def address(self) -> str:
        """The address under which students and the owner reach this application."""
        scheme = "https" if self.tls_certificate else "http"
        return (self.site or f"{scheme}://{self.host}:{self.port}").rstrip("/")
