"""Every route, in the order in which an address is looked for among them."""

from __future__ import annotations

from fastapi import FastAPI

from patient_courier.web.places.broadcasts import (
    acts,
    broadcasts,
    drafts,
    outcomes,
    outlook,
    recipients,
    wave,
)
from patient_courier.web.places.connections import (
    connections,
    event_files,
    incoming,
    messages,
    own,
    pretending,
    secrets,
    statements,
    switching,
    waiting,
)
from patient_courier.web.places.courses import (
    certificate_archive,
    certificates,
    courses,
    feedback,
    figures,
    signing_keys,
)
from patient_courier.web.places.destinations import destinations, keys, lists
from patient_courier.web.places.destinations import log as outgoing_log
from patient_courier.web.places.frame import forgotten, frame, own_steps, second_step, session, setting_up
from patient_courier.web.places.letters import files, layouts, letters, past, pictures, sight, test_letters
from patient_courier.web.places.log import deliveries
from patient_courier.web.places.overview import findings, notices, who_is_told
from patient_courier.web.places.practice import copy as practice_copy
from patient_courier.web.places.practice import mailroom, practice, take_over
from patient_courier.web.places.purchases import purchases
from patient_courier.web.places.school import (
    changes as written_changes,
)
from patient_courier.web.places.school import (
    check_up,
    coming_back,
    copies,
    helpers,
    intake,
    mail,
    mail_trial,
    removing,
    school,
)
from patient_courier.web.places.sequences import (
    drafting,
    kept_rehearsals,
    outset,
    rehearsals,
    replays,
    saving,
    sequence_figures,
    sequences,
    trial_acts,
    trials,
    versions,
    whole,
)
from patient_courier.web.places.sign_ups import forms
from patient_courier.web.places.students import (
    audiences,
    bulk,
    changes,
    imports,
    listing,
    page,
    record,
    tags,
)
from patient_courier.web.places.students import pretending as student_pretending
from patient_courier.web.places.today import approvals, needs, today
from patient_courier.web.programs import changing, fetched, reading
from patient_courier.web.public import (
    answering,
    certificate_request,
    choosing,
    issuer,
    joining,
    letter,
    moving,
    naming,
    stopping,
)
from patient_courier.web.public import certificates as certificate_page
from patient_courier.web.refusals import SIGNED_IN


def include_routes(app: FastAPI) -> None:
    """Put the routes of every place and of the students' pages into the application."""
    # versions, kept and drafting come before sequences and courses: their addresses are longer ones of the same.
    # The intake is asked most often, so it is looked for first.
    for place in (
        intake,
        statements,
        incoming,
        session,
        second_step,
        own_steps,
        setting_up,
        forgotten,
        frame,
        today,
        versions,
        kept_rehearsals,
        outset,
        sequence_figures,
        trial_acts,
        trials,
        whole,
        drafting,
        figures,
        feedback,
        purchases,
        saving,
        sequences,
        courses,
        rehearsals,
        replays,
        sight,
        files,
        past,
        letters,
        layouts,
        pictures,
        approvals,
        certificate_archive,
        certificates,
        outlook,
        wave,
        recipients,
        outcomes,
        test_letters,
        acts,
        drafts,
        broadcasts,
        audiences,
        tags,
        bulk,
        imports,
        listing,
        changes,
        record,
        student_pretending,
        page,
        deliveries,
        needs,
        mailroom,
        practice,
        practice_copy,
        take_over,
        mail,
        mail_trial,
        copies,
        coming_back,
        helpers,
        check_up,
        findings,
        notices,
        who_is_told,
        written_changes,
        school,
        signing_keys,
        removing,
        messages,
        connections,
        waiting,
        own,
        event_files,
        switching,
        secrets,
        forms,
        pretending,
        destinations,
        outgoing_log,
        keys,
        lists,
    ):
        app.include_router(
            place.router, responses=SIGNED_IN if place not in (intake, incoming, statements) else {}
        )
    for shown in (
        stopping,
        choosing,
        certificate_request,
        moving,
        answering,
        naming,
        letter,
        certificate_page,
        issuer,
        joining,
    ):
        app.include_router(shown.router)
    app.include_router(pictures.public)
    for offered in (changing, reading, fetched):
        app.include_router(offered.router)
