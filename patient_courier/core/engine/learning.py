"""How an event changes what is known about its student."""

from __future__ import annotations

from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.facts import ACTIVITY, Certificate, Enrolment, Facts, Purchase, QuizRecord
from patient_courier.core.engine.happening import Happening


def learn(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    """Let an event change the facts.

    Returns False when the event is a repetition or not possible: then it is
    none, changes nothing and starts nothing.
    """
    rule = _RULES.get(what.type)
    if rule is not None and not rule(facts, what, definitions):
        return False
    if what.type in ACTIVITY:
        course = what.names["course"]
        before = facts.activity.get(course)
        if before is None or before < what.at:
            facts.activity[course] = what.at
            facts.mark("activity", course)
    return True


def note_first_event(facts: Facts, at: Instant) -> None:
    """Remember the student's earliest event."""
    if facts.first_event is None or at < facts.first_event:
        facts.first_event = at
        facts.mark("person")


def _purchased(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.purchases.append(Purchase(what.names["offer"], what.at, order=what.names.get("order")))
    facts.mark("purchases")
    return True


def _refunded(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    offer = what.names["offer"]
    for purchase in facts.bought(offer):
        if purchase.at <= what.at:
            purchase.refunded = what.at
            facts.mark("purchases")
    for enrolment in facts.enrolments.values():
        if enrolment.offer == offer and not enrolment.refunded:
            others = [p.offer for p in facts.bought() if enrolment.course in _courses(definitions, p.offer)]
            if others:
                enrolment.offer = others[0]
            else:
                enrolment.refunded = what.at
            facts.mark("enrolment", enrolment.course)
    return True


def _courses(definitions: Definitions, offer: str) -> list[str]:
    found = definitions.offers.get(offer)
    return found.courses if found else []


def _enrolled(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    course, via = what.names["course"], what.names["via"]
    if not facts.may_enrol(course, via):
        return False
    facts.enrolments[course] = Enrolment(course, via, what.at, offer=what.names.get("by_offer"))
    facts.mark("enrolment", course)
    return True


def _lesson_completed(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    lesson = what.names["lesson"]
    if lesson in facts.lessons:
        return False
    facts.lessons[lesson] = what.at
    facts.mark("lesson", lesson)
    return True


def _lesson_watched(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    lesson, percent = what.names["lesson"], what.names["percent"]
    if percent > facts.watched.get(lesson, -1):
        facts.watched[lesson] = percent
        facts.mark("lesson", lesson)
    return True


def _quiz_taken(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    quiz, score = what.names["quiz"], what.names["score"]
    record = facts.quizzes.setdefault(quiz, QuizRecord(0, score, what.at))
    record.attempts += 1
    if what.at >= record.last:
        record.score, record.last = score, what.at
    if score >= definitions.quizzes[quiz].pass_mark and (record.passed is None or what.at < record.passed):
        record.passed = what.at
    facts.mark("quiz", quiz)
    return True


def _module_completed(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.modules[what.names["module"]] = what.at
    facts.mark("module", what.names["module"])
    return True


def _course_completed(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.courses[what.names["course"]] = what.at
    facts.mark("course", what.names["course"])
    return True


def _tag_added(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    return add_tag(facts, what.names["tag"])


def _tag_removed(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    return remove_tag(facts, what.names["tag"])


def add_tag(facts: Facts, tag: str) -> bool:
    """Put a tag on; False when it was there."""
    if tag in facts.tags:
        return False
    facts.tags[tag] = None
    facts.mark("tag", tag)
    return True


def remove_tag(facts: Facts, tag: str) -> bool:
    """Take a tag off; False when it was not there."""
    if tag not in facts.tags:
        return False
    del facts.tags[tag]
    facts.mark("tag", tag)
    return True


def may_certify(facts: Facts, course: str) -> bool:
    """Whether a certificate can still be issued: an open enrolment, and none issued before."""
    found = facts.certificates.get(course)
    return facts.is_open(course) and not (found and found.issued)


def request_certificate(facts: Facts, course: str, at: Instant) -> bool:
    """Note a request; False when there was one, or can be none."""
    found = facts.certificates.get(course)
    if not may_certify(facts, course) or (found and found.requested):
        return False
    facts.certificates[course] = Certificate(requested=at)
    facts.mark("certificate", course)
    return True


def issue_certificate(facts: Facts, course: str, at: Instant) -> bool:
    """Note that a certificate is issued; False when there was one, or can be none."""
    if not may_certify(facts, course):
        return False
    facts.certificates.setdefault(course, Certificate()).issued = at
    facts.mark("certificate", course)
    return True


def _certificate_approved(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    found = facts.certificates.get(what.names["course"])
    return found is not None and found.requested is not None and found.issued is None


def _certificate_requested(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    return request_certificate(facts, what.names["course"], what.at)


def _certificate_issued(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    return issue_certificate(facts, what.names["course"], what.at)


def _certificate_revoked(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    found = facts.certificates.get(what.names["course"])
    if found is None or found.issued is None:
        return False
    # What was requested before is void with it.
    facts.certificates[what.names["course"]] = Certificate()
    facts.mark("certificate", what.names["course"])
    return True


def _news_stopped(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.news = False
    facts.mark("person")
    return True


def _help_stopped(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.help_stopped.add(what.names["course"])
    facts.mark("help_stop", what.names["course"])
    return True


def _bounced(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    if what.names["hard"]:
        facts.bounced = True
        facts.mark("person")
    return True


def _complained(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.complained = True
    facts.mark("person")
    return True


def _letter_opened(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    letter = what.names["letter"]
    facts.opened[letter] = max(what.at, facts.opened.get(letter, what.at))
    facts.mark("reading", letter)
    return True


def _link_clicked(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    letter = what.names["letter"]
    facts.clicked[letter] = max(what.at, facts.clicked.get(letter, what.at))
    facts.mark("reading", letter)
    return True


_RULES = {
    "purchased": _purchased,
    "refunded": _refunded,
    "enrolled": _enrolled,
    "lesson_completed": _lesson_completed,
    "lesson_watched": _lesson_watched,
    "quiz_taken": _quiz_taken,
    "module_completed": _module_completed,
    "course_completed": _course_completed,
    "tag_added": _tag_added,
    "tag_removed": _tag_removed,
    "certificate_approved": _certificate_approved,
    "certificate_requested": _certificate_requested,
    "certificate_issued": _certificate_issued,
    "certificate_revoked": _certificate_revoked,
    "news_stopped": _news_stopped,
    "course_help_stopped": _help_stopped,
    "bounced": _bounced,
    "complained": _complained,
    "letter_opened": _letter_opened,
    "link_clicked": _link_clicked,
}
