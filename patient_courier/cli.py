"""The console script: demo, serve, new, password, second-step-off, export, rehearse, translate, stand-in, schema.

Commands import what only they need, so that a rehearsal does not wait for the web server to load. Longer than three hundred
lines, since each command stands with its options and its words.
"""

from __future__ import annotations

import json
import sys
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from pydantic import BaseModel
from rich.console import Console

from patient_courier import asked
from patient_courier.core.reading.school_file import Unreadable, read_school, write_school
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.rehearsing.rehearsal import rehearse as play
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.values import parse_moment
from patient_courier.printed import print_calendar, print_findings

if TYPE_CHECKING:
    from patient_courier.settings import Settings
    from patient_courier.store.base.database import Database

app = typer.Typer(no_args_is_help=True, add_completion=False, help="Patient Courier, at the command line.")
console = Console()
problems = Console(stderr=True)


@app.command()
def demo(
    database: Annotated[Path, typer.Option(help="Where the demo school is kept.")] = Path("var/demo.db"),
    port: Annotated[int, typer.Option(help="Port on 127.0.0.1.")] = 8484,
    fresh: Annotated[bool, typer.Option(help="Begin anew instead of going on where you left off.")] = False,
) -> None:
    """The demo school with half a year of history; its owner is signed in by itself."""
    from patient_courier.demo.loading import load_demo
    from patient_courier.settings import Settings
    from patient_courier.store.base.database import Database, remove_file

    settings = Settings(database=database, host="127.0.0.1", port=port, demo=True, smtp_host="", site="")
    if fresh:
        remove_file(database)
    if database.exists():
        found = _opened(settings)
    else:
        console.print("Loading the demo school: 386 students, half a year …")
        # Loaded aside first, so that an interrupted load leaves no half school behind.
        aside = database.with_name(database.name + ".new")
        remove_file(aside)
        load_demo(aside, settings).close()
        aside.rename(database)
        found = Database(database)
    console.print(f"\n  Mallow Lane Apiary School is open: [bold]{settings.address}[/bold]")
    console.print("  Begin in the practice classroom. Stop with Ctrl C.\n")
    _serve(found, settings)


@app.command()
def serve() -> None:
    """Serve the school whose settings are in the environment (PATIENT_COURIER_…); without one, the page that makes one."""
    from patient_courier.demo.loading import DEMO_PASSWORD
    from patient_courier.settings import Settings
    from patient_courier.store.school.users import owner
    from patient_courier.web.sign_in import fits

    settings = Settings()
    if not settings.database.exists():
        _begin(settings)
        return
    database = _opened(settings)
    with database.reading() as session:
        known = owner(session)
    if known is not None and fits(known.password, DEMO_PASSWORD):
        problems.print(
            "This is the demo's database, and everybody knows its password. Choose another one first: "
            "patient-courier password"
        )
        raise typer.Exit(2)
    _serve(database, settings)


def _opened(settings: Settings) -> Database:
    """The school's database, brought up to date. Ends with a sentence when it can't be used."""
    from sqlalchemy.exc import DatabaseError

    from patient_courier.dispatch.copies import NoCopy
    from patient_courier.dispatch.restoring import copy_before_upgrade
    from patient_courier.store.base.database import Database, TooNew, Unusable

    path = settings.database
    if not path.exists():
        problems.print(f"There is no school at {path}. Make one first: patient-courier new")
        raise typer.Exit(2)
    try:
        database = Database(path)
        if database.behind():
            kept = copy_before_upgrade(database, settings.copies_folder)
            console.print(
                f"The school is brought up to date. A copy of it as it was: {kept.path}", soft_wrap=True
            )
        database.migrate()
        with database.noting():
            pass
    except NoCopy as error:
        problems.print(f"The school at {path} is not brought up to date without a copy of it: {error}")
        raise typer.Exit(2) from error
    except TooNew as error:
        problems.print(f"The school at {path} is not opened: {error}.")
        raise typer.Exit(2) from error
    except (OSError, DatabaseError, Unusable) as error:
        why = str(error.orig) if isinstance(error, DatabaseError) else str(error)
        problems.print(
            f"The school at {path} can't be opened: {why}. It must be a Patient Courier database that this user may "
            "write, in a folder that they may write too. If it is damaged, put back your last copy."
        )
        raise typer.Exit(2) from error
    return database


@app.command()
def restore(
    copy: Annotated[Path, typer.Argument(help="The copy, as it lies in the folder of copies.")],
    replace: Annotated[
        bool, typer.Option("--replace", help="In the place of a school that is there, which is moved aside.")
    ] = False,
    phrase: Annotated[
        str, typer.Option(help="The recovery phrase of an encrypted copy; asked for when it is left out.")
    ] = "",
    then_serve: Annotated[bool, typer.Option("--serve", help="Serve it at once.")] = False,
) -> None:
    """Bring a school back from a copy. Nothing is posted until its owner has seen what may have gone out already."""
    from patient_courier.dispatch.only_one import InHand
    from patient_courier.dispatch.restoring import NotRestored
    from patient_courier.dispatch.restoring import restore as bring_back
    from patient_courier.settings import Settings

    settings = Settings()
    try:
        found = bring_back(
            copy, settings, lambda: phrase or typer.prompt("The recovery phrase"), replace=replace
        )
    except (NotRestored, InHand) as error:
        problems.print(str(error))
        raise typer.Exit(2) from error
    console.print(
        f"{found.school} is back, as it was at {found.since.format_iso(unit='second')}.", soft_wrap=True
    )
    if found.aside is not None:
        console.print(f"What was there before lies at {found.aside}.", soft_wrap=True)
    console.print("Nothing is posted until you have looked: it asks when you sign in.")
    if then_serve:
        serve()
    else:
        console.print("Start it with: patient-courier serve")


@app.command("check-up")
def check_up() -> None:
    """How the school of the settings runs, and what to do about it. Ends with 1 when something is serious."""
    from patient_courier.dispatch.check_up import look
    from patient_courier.dispatch.clock import read_clock
    from patient_courier.dispatch.silences import silences
    from patient_courier.printed import print_check_up
    from patient_courier.settings import Settings
    from patient_courier.store.base.definitions import Library
    from patient_courier.web.asking import Asking

    settings = Settings()
    database = _opened(settings)
    library = Library(settings.address)
    try:
        names = Asking(settings).names(practice=False)
    except ValueError as error:
        problems.print(str(error))
        raise typer.Exit(2) from error
    found = look(
        database,
        settings,
        library.load,
        lambda session: [
            said for _, said in silences(library.load(session), session, read_clock(session).now)
        ],
        names,
    )
    print_check_up(console, found)
    if any(one.how == "serious" for one in found):
        raise typer.Exit(1)


@app.command("copy")
def copy_now() -> None:
    """Make a copy of the school of the settings now, whether it is being served or not."""
    from patient_courier.dispatch.copies import NoCopy, make_copy
    from patient_courier.settings import Settings
    from patient_courier.store.base.definitions import load_definitions
    from patient_courier.store.upkeep.copying import read_copying

    settings = Settings()
    database = _opened(settings)
    with database.reading() as session:
        copying, zone = read_copying(session), load_definitions(session, settings.address).school.timezone
    try:
        made = make_copy(settings.database, settings.copies_folder, copying, "by-hand", zone)
    except NoCopy as error:
        problems.print(str(error))
        raise typer.Exit(2) from error
    console.print(f"{made.path}", soft_wrap=True)


@app.command()
def password(
    email: Annotated[str, typer.Option(prompt="Your e-mail address")],
    new: Annotated[
        str, typer.Option("--password", prompt="A new password (10 characters or more)", hide_input=True)
    ],
) -> None:
    """A new password for somebody who may sign in to the school of the settings. Ends all their sessions."""
    from patient_courier.settings import Settings
    from patient_courier.store.school.users import set_password, user_by_email
    from patient_courier.web.sign_in import hash_password
    from patient_courier.web.written import AT_THE_SHELL, write_down

    database = _opened(Settings())
    try:
        hashed = hash_password(new)
    except ValueError as error:
        problems.print(str(error))
        raise typer.Exit(2) from error
    with database.watching() as session:
        user = user_by_email(session, email)
        if user is None:
            problems.print(f"Nobody signs in with the address {email} here.")
            raise typer.Exit(2)
        set_password(session, user.id, hashed)
        write_down(session, AT_THE_SHELL)
    database.close()
    console.print("The new password holds. Whoever was signed in must sign in again.")


@app.command("second-step-off")
def second_step_off(email: Annotated[str, typer.Option(prompt="Whose? Their e-mail address")]) -> None:
    """Let somebody sign in with their password alone again: the telephone and the recovery codes are lost."""
    from patient_courier.settings import Settings
    from patient_courier.store.school.second_steps import forget_all
    from patient_courier.store.school.users import user_by_email
    from patient_courier.web.written import AT_THE_SHELL, write_down

    database = _opened(Settings())
    with database.watching() as session:
        user = user_by_email(session, email)
        if user is None:
            problems.print(f"Nobody signs in with the address {email} here.")
            raise typer.Exit(2)
        forget_all(session, user.id)
        write_down(session, AT_THE_SHELL)
    database.close()
    console.print(f"{user.name} signs in with the password alone again.")


def _serve(database: Database, settings: Settings) -> None:
    from patient_courier.dispatch.dispatcher import Post
    from patient_courier.dispatch.only_one import InHand
    from patient_courier.web.app import create_app

    post = Post(database, settings)
    try:
        post.take_in_hand()
    except InHand as error:
        problems.print(str(error))
        raise typer.Exit(2) from error
    console.print(
        f"\n  {settings.database} is served at [bold]{settings.address}[/bold]. Stop with Ctrl C.\n"
    )
    _listen(create_app(post), settings)


def _begin(settings: Settings) -> None:
    """No school yet: the page that makes one, and then that school."""
    from patient_courier.web.app import create_beginning

    beginning = create_beginning(settings)
    console.print("\n  There is no school here yet. Open this to set one up; it works once, within an hour:")
    console.print(f"\n  [bold]{beginning.link}[/bold]\n", soft_wrap=True)
    _listen(beginning, settings)


def _listen(served: Any, settings: Settings) -> None:
    from patient_courier.web.serving import serve as serve_app

    certificate, key = settings.tls_certificate, settings.tls_key
    if (certificate is None) != (key is None):
        problems.print("PATIENT_COURIER_TLS_CERTIFICATE and PATIENT_COURIER_TLS_KEY go together: give both.")
        raise typer.Exit(2)
    try:
        serve_app(served, settings.host, settings.port, settings.trusted_proxies, certificate, key)
    except OSError as error:
        # Also what the certificate's files can't be used for (ssl.SSLError).
        problems.print(
            f"It can't be served at {settings.address}: {error}. Check the port and the certificate's files."
        )
        raise typer.Exit(2) from error


@app.command()
def new(
    school: Annotated[str, typer.Option(prompt="What is your school called?", callback=asked.named)],
    email: Annotated[str, typer.Option(prompt="Your e-mail address", callback=asked.address)],
    name: Annotated[str, typer.Option(prompt="Your name", callback=asked.named)],
    timezone: Annotated[
        str,
        typer.Option(prompt="Your time zone", default_factory=asked.own_zone, callback=asked.zone),
    ],
    password: Annotated[
        str,
        typer.Option(prompt="A password (10 characters or more)", hide_input=True, callback=asked.password),
    ],
    postal_address: Annotated[
        str, typer.Option(help="The school's postal address; it stands below every letter.")
    ] = "",
    practice: Annotated[
        bool, typer.Option(help="A school to try things in: its clock can be moved.")
    ] = False,
    start_from: Annotated[
        Path | None,
        typer.Option(
            "--from",
            help="A school file to begin with; its events count as the past, and nothing of that is posted again.",
        ),
    ] = None,
) -> None:
    """Make a new school in the database of the settings: empty, or the school of a file with its history."""
    from patient_courier.dispatch.beginning import Answers, begin_school, school_of
    from patient_courier.settings import Settings
    from patient_courier.web.sign_in import hash_password

    answers = Answers(school, name, email, timezone, hash_password(password), postal_address.strip())
    try:
        file = school_of(answers, start_from.read_bytes() if start_from is not None else None)
        begin_school(Settings(), file, answers, practice=practice)
    except Unreadable as error:
        for fault in error.faults:
            problems.print(f"{fault.pointer}: {fault.sentence}")
        raise typer.Exit(2) from error
    except (OSError, ValueError) as error:
        problems.print(str(error))
        raise typer.Exit(2) from error
    console.print(f"{school} is ready. Start it with: patient-courier serve")


@app.command()
def export(
    to: Annotated[Path | None, typer.Argument(help="Where to write it; without, to standard output.")] = None,
    keys: Annotated[
        bool, typer.Option("--keys", help="With the secret keys that certificates are signed with.")
    ] = False,
) -> None:
    """The whole school of the settings as a school file: decisions, students and reported events."""
    from patient_courier.settings import Settings
    from patient_courier.store.base.definitions import load_definitions
    from patient_courier.store.school.exporting import export_school

    settings = Settings()
    database = _opened(settings)
    with database.reading() as session:
        text = write_school(
            export_school(session, load_definitions(session, settings.address), private_keys=keys)
        )
    if to is None:
        print(text, end="")
    else:
        to.write_text(text, encoding="utf-8")


@app.command()
def rehearse(
    file: Annotated[Path, typer.Argument(help="A school file.")],
    as_json: Annotated[
        bool, typer.Option("--json", help="One JSON object instead of lines to read.")
    ] = False,
    until: Annotated[str | None, typer.Option(help="Stop at this moment instead of the file's.")] = None,
    student: Annotated[str | None, typer.Option(help="Only this student.")] = None,
) -> None:
    """Play the events of a school file in pretend time. Nothing is posted."""
    try:
        school = read_school(file.read_bytes())
        stop = parse_moment(until) if until else None
    except Unreadable as error:
        for fault in error.faults:
            print(f"{fault.pointer or '/'}: {fault.sentence}", file=sys.stderr)
        raise typer.Exit(2) from error
    except (OSError, ValueError) as error:
        print(str(error), file=sys.stderr)
        raise typer.Exit(2) from error
    if student is not None and student not in {found.key for found in school.students}:
        print(f"There is no student “{student}” in this file.", file=sys.stderr)
        raise typer.Exit(2)
    outcome = play(school, until=stop, student=student)
    if as_json:
        print(json.dumps(outcome.as_json(), ensure_ascii=False, indent=1))
    else:
        print_findings(console, school)
        print_calendar(console, school, outcome)


@app.command()
def translate(
    connection: Annotated[Path, typer.Argument(help="A connection file.")],
    messages: Annotated[
        Path, typer.Argument(help='A message a line: {"received": …, "type": …, "body": …}.')
    ],
    school: Annotated[Path, typer.Option(help="The school file that knows the courses and offers.")],
) -> None:
    """What messages become by a connection file: a line of JSON for each. Nothing is taken in."""
    from patient_courier.core.translating.connection import read_connection
    from patient_courier.core.translating.lines import translated

    try:
        found = read_connection(connection.read_bytes())
        definitions = definitions_of(read_school(school.read_bytes()))
        lines = messages.read_bytes().splitlines()
    except Unreadable as error:
        for fault in error.faults:
            print(f"{fault.pointer or '/'}: {fault.sentence}", file=sys.stderr)
        raise typer.Exit(2) from error
    except OSError as error:
        print(str(error), file=sys.stderr)
        raise typer.Exit(2) from error
    for line in lines:
        if line.strip():
            print(json.dumps(translated(found, definitions, line), ensure_ascii=False))


class Format(StrEnum):
    """The files that have a schema."""

    SCHOOL = "school"
    CONNECTION = "connection"
    MESSAGE = "message"


@app.command()
def schema(of: Annotated[Format, typer.Argument(help="Which file.")] = Format.SCHOOL) -> None:
    """The JSON Schema of the school file, of a connection file, or of a message to a destination."""
    from patient_courier.core.destinations.told import Told
    from patient_courier.core.translating.connection import Connection

    models: dict[Format, type[BaseModel]] = {
        Format.SCHOOL: SchoolFile,
        Format.CONNECTION: Connection,
        Format.MESSAGE: Told,
    }
    print(json.dumps(models[of].model_json_schema(by_alias=True), ensure_ascii=False, indent=2))


class StandIn(StrEnum):
    """The programs outside that are simulated."""

    SHOP = "shop"
    COURSE_SITE = "course-site"
    LIST = "list"


@app.command("stand-in")
def stand_in(
    which: Annotated[StandIn, typer.Argument(help="Which program is simulated.")],
    to: Annotated[
        str, typer.Option(help="The address of the connection it sends to; can be filled in on its page.")
    ] = "",
    port: Annotated[int, typer.Option(help="Port on 127.0.0.1.")] = 8490,
) -> None:
    """A simulated shop, course site or list, with a page to click in: what it sends is what a real one would."""
    import uvicorn

    from patient_courier.practice.stand_ins.pages import stand_in as page_of

    console.print(f"\n  Open [bold]http://127.0.0.1:{port}[/bold]. Stop with Ctrl C.\n")
    uvicorn.run(page_of(which.value, to), host="127.0.0.1", port=port, log_level="error", ws="none")


@app.command()
def openapi() -> None:
    """The OpenAPI description: what programs may ask, and the webhooks that destinations are posted."""
    from pydantic.json_schema import models_json_schema

    from patient_courier.web.app import describe

    found = describe().openapi()
    # What is decided of a school goes over the API in the form of its file: the same types, written once.
    _, parts = models_json_schema(
        [(SchoolFile, "serialization")], ref_template="#/components/schemas/{model}"
    )
    schemas = found["components"]["schemas"]
    twice = schemas.keys() & parts["$defs"].keys()
    if twice:
        raise SystemExit(f"Two things are called {', '.join(sorted(twice))}: rename the API's.")
    schemas |= parts["$defs"]
    print(json.dumps(found, indent=1, sort_keys=True))


if __name__ == "__main__":
    app()
