"""What somebody has sent by a sign-up form: read, or what is wrong with each field, so that nothing typed is lost."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from patient_courier.core.school.courses import check_email
from patient_courier.core.school.sign_up import SignUpForm
from patient_courier.core.school.text import clean_line

LONGEST = 200
_NAMES = ("first_name", "last_name")


@dataclass(frozen=True, slots=True)
class SignUp:
    """Somebody's wish: their address, what else they said, and whether they agreed to news."""

    email: str
    values: dict[str, str] = field(default_factory=dict)
    agrees: bool = False

    def student(self) -> dict[str, object]:
        """As a message describes a student."""
        found: dict[str, object] = {"email": self.email}
        found |= {name: self.values[name] for name in _NAMES if name in self.values}
        fields = {name: value for name, value in self.values.items() if name not in _NAMES}
        return found | ({"fields": fields} if fields else {})


def read_sign_up(form: SignUpForm, sent: Mapping[str, str]) -> tuple[SignUp | None, dict[str, str]]:
    """What was sent, or None with what is wrong by field, in the form's own words."""
    wrong: dict[str, str] = {}
    email = ""
    try:
        email = check_email(sent.get("email", "").strip())
    except ValueError:
        wrong["email"] = form.says("wrong_address")
    values = {}
    for one in form.asks:
        value = clean_line(sent.get(one.name, "")).strip()[:LONGEST]
        if value:
            values[one.name] = value
        elif one.needed:
            wrong[one.name] = form.says("needed")
    agrees = bool(form.consent) and (not form.consent_box or sent.get("agrees") == "yes")
    return (None if wrong else SignUp(email, values, agrees)), wrong
