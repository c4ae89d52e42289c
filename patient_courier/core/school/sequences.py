"""Sequences and their steps."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.events import Matcher
from patient_courier.core.school.text import AddressText, Line
from patient_courier.core.school.trials import Posts, Trial
from patient_courier.core.school.values import (
    Clock,
    Key,
    LocalMoment,
    Model,
    PostingHours,
    SpanField,
    TagName,
    Weekdays,
    Whose,
)


def _web(value: str) -> str:
    if not value.startswith(("http://", "https://")):
        raise ValueError(f"“{value}” is not a web address; it starts with https://")
    return value


WebAddress = Annotated[AddressText, Field(max_length=2000), AfterValidator(_web)]
StepId = Annotated[Key, Field(max_length=100)]


class StepBase(Model):
    id: StepId


class Send(Posts, StepBase):
    do: Literal["send"]


class Wait(StepBase):
    do: Literal["wait"]
    for_: Annotated[SpanField | None, Field(alias="for")] = None
    at: Clock | None = None
    days: Weekdays | None = None
    zone: Whose = "student"
    since: Literal["previous", "start"] = "previous"


class WaitFor(StepBase):
    do: Literal["wait_for"]
    event: Matcher
    within: SpanField | None = None
    then: list[Step] = []
    else_: Annotated[list[Step], Field(alias="else")] = []


class Arm(Model):
    if_: Annotated[Condition, Field(alias="if")]
    steps: list[Step] = []


class Branch(StepBase):
    do: Literal["branch"]
    arms: Annotated[list[Arm], Field(min_length=1)]
    otherwise: list[Step] = []


class TagStep(StepBase):
    do: Literal["tag"]
    add: list[TagName] = []
    remove: list[TagName] = []


class Waypoint(StepBase):
    do: Literal["waypoint"]
    reach: Matcher
    hold: bool = False


class Repeat(StepBase):
    do: Literal["repeat"]
    times: Annotated[int, Field(ge=0, le=1_000_000)] | None = None
    steps: list[Step]


class Dated(StepBase):
    do: Literal["dated"]
    at: LocalMoment
    zone: Whose = "student"
    grace: SpanField | None = None
    steps: list[Step] = []


class StartSequence(StepBase):
    do: Literal["start_sequence"]
    sequence: str


class StopSequence(StepBase):
    do: Literal["stop_sequence"]
    sequence: str


class Tell(StepBase):
    do: Literal["tell"]
    to: Literal["owner"] | str | Annotated[list[str], Field(min_length=1)]
    letter: str


class CertificateStep(StepBase):
    do: Literal["certificate"]
    course: str


class Call(StepBase):
    do: Literal["call"]
    url: WebAddress


class End(StepBase):
    do: Literal["end"]


Step = Annotated[
    Send
    | Wait
    | WaitFor
    | Branch
    | TagStep
    | Waypoint
    | Repeat
    | Dated
    | StartSequence
    | StopSequence
    | Tell
    | CertificateStep
    | Call
    | End,
    Field(discriminator="do"),
]
for _model in (WaitFor, Arm, Branch, Repeat, Dated):
    _model.model_rebuild()

Again = Literal["once", "once_per_subject", "when_finished", "every_time"]
SequenceStatus = Literal["draft", "running", "paused", "closed"]


class Sequence(Model):
    """``reply_to``: where answers to its letters go, before the school's address. ``trial``: whom it holds back, to tell what
    it does."""

    key: Key
    name: Line = ""
    status: SequenceStatus = "draft"
    starts: list[Matcher] = []
    only_if: Condition | None = None
    again: Again = "once"
    leaves: list[Matcher] = []
    posting_hours: Literal["school"] | PostingHours | None = "school"
    holds_broadcasts: bool = False
    trial: Trial | None = None
    reply_to: Annotated[str, AfterValidator(check_email)] | None = None
    steps: list[Step] = []

    @property
    def called(self) -> str:
        """Its name, or its key while it has none."""
        return self.name or self.key


def posted_by(step: Step) -> list[str]:
    """The letters, by key, that a step may post to the student or to others."""
    match step:
        case Send():
            return list(step.letters)
        case Tell():
            return [step.letter]
        case _:
            return []


def lanes(step: Step) -> list[tuple[str, list[Step]]]:
    """The nested lists of a step, as (place below the step, steps)."""
    match step:
        case WaitFor():
            return [("then", step.then), ("else", step.else_)]
        case Branch():
            arms = [(f"arms/{number}/steps", arm.steps) for number, arm in enumerate(step.arms)]
            return [*arms, ("otherwise", step.otherwise)]
        case Repeat() | Dated():
            return [("steps", step.steps)]
        case (
            Send()
            | Wait()
            | TagStep()
            | Waypoint()
            | StartSequence()
            | StopSequence()
            | Tell()
            | CertificateStep()
            | Call()
            | End()
        ):
            return []
