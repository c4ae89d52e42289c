"""Sign-up forms: what somebody is asked on a public page, what they agree to, what they get."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from patient_courier.core.school.text import FilledLine, KeyText, Line, Text
from patient_courier.core.school.values import Key, Model, TagName

# What a form has to say besides what its owner writes, in English; each can be written otherwise, in any language.
TEXTS: dict[str, str] = {
    "address": "Your e-mail address",
    "button": "Sign up",
    "needed": "This is needed.",
    "wrong_address": "This is no e-mail address. Look at it once more.",
    "again": "That took long. Look at what you wrote, and send it once more.",
    "too_often": "This was asked very often just now. Try again in an hour.",
    "look": "Look into your inbox",
    "look_more": "We have written to you. Open that letter and say yes there; until then nothing happens.",
    "subject": "Please confirm that you want to hear from us",
    "letter": "Hello, somebody wrote down this address with us. If that was you, say yes here:",
    "yes": "Yes, that was me",
    "ignore": "If it was not you, do nothing: without your yes nothing comes, and the address is forgotten after a week.",
    "known_subject": "You are signed up already",
    "known": "Hello, this address was written down with us again. You are signed up already, so there is nothing to do.",
    "confirm": "One click more",
    "done": "You are in",
    "done_more": "Thank you. What you asked for is on its way.",
    "old": "This link is too old",
    "old_more": "Sign up once more, and we write to you again.",
    "trouble": "Our post is held up. Try again in a while.",
}
FieldText = Annotated[Text, Field(max_length=1000)]


class Asked(Model):
    """A field of the form beside the address: ``name`` is first_name, last_name, or a fact about the student."""

    name: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,59}$")]
    label: Annotated[FilledLine, Field(max_length=200)]
    needed: bool = False


class SignUpForm(Model):
    """A form by which somebody asks to be written to.

    ``consent`` is the sentence word for word that they agree to when they want news: with ``consent_box`` by a box of their
    own, else by signing up; empty: nobody agrees to news by it. ``confirm``: only a letter's link makes it hold (double
    opt-in). ``texts`` are words of the owner's in the place of TEXTS, ``language`` what they are written in (BCP 47).
    """

    key: Key
    name: Annotated[FilledLine, Field(max_length=200)]
    title: Annotated[Line, Field(max_length=200)] = ""
    sentence: FieldText = ""
    asks: Annotated[list[Asked], Field(max_length=10)] = []
    consent: FieldText = ""
    consent_box: bool = True
    tag: TagName | None = None
    course: KeyText | None = None
    confirm: bool = True
    open: bool = True
    language: Annotated[str, Field(pattern=r"^[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*$")] = "en"
    texts: dict[
        Literal[
            "address", "button", "needed", "wrong_address", "again", "too_often", "look", "look_more", "subject",
            "letter", "yes", "ignore", "known_subject", "known", "confirm", "done", "done_more", "old", "old_more",
            "trouble",
        ],
        FieldText,
    ] = {}  # fmt: skip

    @model_validator(mode="after")
    def _once(self) -> SignUpForm:
        names = [one.name for one in self.asks]
        if len(set(names)) < len(names):
            raise ValueError("each field can be asked once")
        if {"email", "website", "when", "agrees"} & set(names):
            raise ValueError(
                "a field can't be called email, website, when or agrees: the form has these itself"
            )
        if any(sign in text for text in self.texts.values() for sign in ("{{", "{%", "{#")):
            raise ValueError(
                "merge fields can't be used in a form's own texts: nothing is known of who reads them"
            )
        return self

    def says(self, text: str) -> str:
        """One of the fixed texts, in the owner's words where they have written it."""
        return self.texts.get(text) or TEXTS[text]  # type: ignore[call-overload]
