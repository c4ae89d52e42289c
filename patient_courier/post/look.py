"""What stands round a letter: the layout it is put into, and what the school says of itself."""

from __future__ import annotations

from dataclasses import dataclass

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import Campaign
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import PICTURES, PLAIN_LAYOUT, Layout, Signature


@dataclass(frozen=True, slots=True)
class Look:
    """A layout with the school's name, postal address and signature; ``site`` is where uploaded pictures are found."""

    school: str
    postal_address: str
    site: str = ""
    layout: Layout = PLAIN_LAYOUT
    signature: Signature | None = None
    campaign: Campaign | None = None

    def absolute(self, address: str) -> str:
        """The whole address of a picture that is named by its path here; others as they are."""
        return self.site + address if address.startswith(PICTURES) else address


def look_of(definitions: Definitions, letter: Letter, course: str | None) -> Look:
    """What stands round a letter about this course, or about none."""
    school = definitions.school
    layout = definitions.layout_of(letter, course)
    return Look(
        school=school.name,
        postal_address=school.postal_address,
        site=definitions.site.rstrip("/"),
        layout=layout,
        signature=layout.signature or school.signature,
        campaign=school.campaign,
    )
