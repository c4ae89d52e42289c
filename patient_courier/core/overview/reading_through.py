"""Reading through everything a school has written: what has passed, what is called otherwise now, what nothing uses."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from decimal import Decimal, InvalidOperation

from whenever import Date

from patient_courier.core.calendar.calendar import MONTHS
from patient_courier.core.checks.letters import links, visible_texts
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.overview.findings import Finding
from patient_courier.core.people.tags import Uses
from patient_courier.core.school.blocks import EventBlock
from patient_courier.core.school.courses import Offer
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Dated
from patient_courier.core.telling import words
from patient_courier.core.telling.words import counted

_MONTH = "|".join(f"{name}|{name[:3]}" for name in MONTHS)
_WRITTEN = re.compile(
    rf"\b(?:(\d{{1,2}})(?:st|nd|rd|th)?\.?\s+({_MONTH})|({_MONTH})\s+(\d{{1,2}})(?:st|nd|rd|th)?),?\s+(\d{{4}})\b",
    re.IGNORECASE,
)
_ISO = re.compile(r"\b(\d{4})-(\d{2})-(\d{2})\b")
_NUMBER = r"\d{1,3}(?:[ .,]\d{3})*(?:[.,]\d{2})?|\d+(?:[.,]\d{2})?"
_PRICE = re.compile(
    rf"(?:(?P<before>€|£|\$|EUR|USD|GBP|CHF)\s?(?P<a>{_NUMBER}))|(?:(?P<b>{_NUMBER})\s?(?P<after>€|£|(?:EUR|USD|GBP|CHF)\b))"
)
_SIGNS = {"€": "EUR", "£": "GBP", "$": "USD"}


def in_use(definitions: Definitions, casts: Collection[str]) -> list[Letter]:
    """The letters that go out as things stand: of running sequences, and of broadcasts to come (``casts``, by key)."""
    used = set(casts)
    for plan in definitions.sequences.values():
        if plan.sequence.status == "running":
            used |= plan.letters
    return [ready.letter for key, ready in definitions.letters.items() if key in used]


def dates_in(text: str) -> Iterator[Date]:
    """The days that a text names with their year; what is no day of the calendar is left out."""
    for found in _WRITTEN.finditer(text):
        day, month = found[1] or found[4], found[2] or found[3]
        number = next(n for n, name in enumerate(MONTHS, 1) if name[:3].lower() == month[:3].lower())
        yield from _date(found[5], number, day)
    for found in _ISO.finditer(text):
        yield from _date(found[1], found[2], found[3])


def _date(year: str, month: str | int, day: str) -> Iterator[Date]:
    with suppress(ValueError):
        yield Date(int(year), int(month), int(day))


def past_dates(definitions: Definitions, letters: Iterable[Letter], today: Date) -> Iterator[Finding]:
    """Letters in use that name a day which has passed, or invite to one; and running sequences whose day is over."""
    for plan in definitions.sequences.values():
        dated = [place.step.at.date() for place in plan.places.values() if isinstance(place.step, Dated)]
        if plan.sequence.status == "running" and dated and max(dated) < today:
            yield Finding(
                code="past_date",
                about=f"sequence {plan.key}",
                title=f"“{plan.sequence.called}” waits for {words.day(max(dated))} {max(dated).year}, which has passed",
                why="Whoever comes in now is sent nothing of what stands behind that day. Give it another, or close it.",
                size=1,
                mend="Open the sequence",
                to=f"/sequences/{plan.key}",
            )
    for letter in letters:
        named = {date for _, text in visible_texts(letter) for date in dates_in(text)}
        named |= {block.at.date() for _, block in letter.every_block() if isinstance(block, EventBlock)}
        past = sorted(date for date in named if date < today)
        if past:
            yield Finding(
                code="past_date",
                about=letter.key,
                title=f"“{letter.called}” names {words.day(past[-1])} {past[-1].year}, which has passed",
                why="It still goes out, so whoever gets it next reads of a day that is over.",
                size=len(past),
                mend="Open the letter",
                to=f"/letters/{letter.key}",
            )


def old_titles(
    definitions: Definitions, letters: Iterable[Letter], former: Mapping[str, Collection[str]]
) -> Iterator[Finding]:
    """Letters that name a course by a title it had (``former``, by course), and none has now."""
    now = {course.title.casefold() for course in definitions.courses.values()}
    now |= {title.casefold() for title in definitions.short_titles.values()}
    now |= {offer.title.casefold() for offer in definitions.offers.values()}
    for letter in letters:
        text = " ".join(text for _, text in visible_texts(letter)).casefold()
        for course, titles in former.items():
            if course not in definitions.courses:
                continue
            title = definitions.courses[course].title
            for old in titles:
                # A title that has only grown is still said right by its beginning.
                if old.casefold() in text and not any(old.casefold() in one for one in now):
                    yield Finding(
                        code="old_title",
                        about=f"{letter.key} {course}",
                        title=f"“{letter.called}” still says “{old}”",
                        why=f"The course is called “{title}” now.",
                        size=1,
                        mend="Open the letter",
                        to=f"/letters/{letter.key}",
                    )
                    break


def other_prices(definitions: Definitions, letters: Iterable[Letter]) -> Iterator[Finding]:
    """Letters that name an offer and, in the same text, a price in its currency that no offer has."""
    priced = [offer for offer in definitions.offers.values() if offer.price is not None]
    known = {
        (offer.price.currency, Decimal(offer.price.amount)) for offer in priced if offer.price is not None
    }
    for letter in letters:
        for _, text in visible_texts(letter):
            named = _named(text, priced, definitions)
            if named is None or named.price is None:
                continue
            for currency, amount, written in prices_in(text):
                if currency == named.price.currency and (currency, amount) not in known:
                    yield Finding(
                        code="other_price",
                        about=letter.key,
                        title=f"“{letter.called}” says {written} for {named.title}, which costs {named.price}",
                        why="No offer of yours has that price. If it is a special one, put this aside.",
                        size=1,
                        mend="Open the letter",
                        to=f"/letters/{letter.key}",
                    )
                    break
            else:
                continue
            break


def _named(text: str, offers: Iterable[Offer], definitions: Definitions) -> Offer | None:
    """The offer that a text names by its title, or by that of the one course it gives."""
    said = text.casefold()
    for offer in offers:
        titles = [offer.title]
        if len(offer.courses) == 1 and offer.courses[0] in definitions.short_titles:
            titles.append(definitions.short_titles[offer.courses[0]])
        if any(title.casefold() in said for title in titles):
            return offer
    return None


def prices_in(text: str) -> Iterator[tuple[str, Decimal, str]]:
    """The prices in a text, as (currency, amount, as written)."""
    for found in _PRICE.finditer(text):
        sign = found["before"] or found["after"]
        number = (found["a"] or found["b"]).replace(" ", "")
        # The last mark is a decimal one when two digits follow it; others part thousands.
        if re.search(r"[.,]\d{2}$", number):
            number = re.sub(r"[.,]", "", number[:-3]) + "." + number[-2:]
        else:
            number = re.sub(r"[.,]", "", number)
        try:
            yield _SIGNS.get(sign, sign), Decimal(number), found[0].strip()
        except InvalidOperation:
            continue


def unused_tags(uses: Mapping[str, Uses], students: Mapping[str, int]) -> Iterator[Finding]:
    """Tags that are given or worn, and that nothing asks for, as one finding."""
    idle = []
    for tag in {*uses, *students}:
        use, worn = uses.get(tag), students.get(tag, 0)
        if (use is None or not use.asks) and (worn or (use is not None and use.gives)):
            idle.append((-worn, tag))
    if idle:
        named = _some([tag for _, tag in sorted(idle)])
        yield Finding(
            code="unused_tag",
            title=f"{counted(len(idle), 'tag')} {'is' if len(idle) == 1 else 'are'} asked for by nothing: {named}",
            why="They are given, and no sequence, broadcast or audience looks at them.",
            size=len(idle),
            mend="See the tags",
            to="/tags",
        )


def unused_letters(definitions: Definitions, casts: Collection[str]) -> Iterator[Finding]:
    """Letters in no sequence and no broadcast (``casts``: the letters of all of them), as one finding."""
    used = set(casts)
    for plan in definitions.sequences.values():
        used |= plan.letters
    idle = [ready.letter.called for key, ready in definitions.letters.items() if key not in used]
    if idle:
        named = _some(idle)
        yield Finding(
            code="unused_letter",
            title=f"{counted(len(idle), 'letter')} {'is' if len(idle) == 1 else 'are'} used by nothing: {named}",
            why="No sequence and no broadcast posts them. Use them, or throw them away.",
            size=len(idle),
            mend="See the letters",
            to="/letters",
        )


def _some(names: Sequence[str]) -> str:
    """The first of them by name: ``“a”, “b”, “c” and others``."""
    return ", ".join(f"“{name}”" for name in names[:3]) + (" and others" if len(names) > 3 else "")


def leads_to(letters: Iterable[Letter]) -> dict[str, list[str]]:
    """Web addresses that letters lead to, each with the letters (keys) it stands in; those with merge fields left out."""
    found: dict[str, list[str]] = {}
    for letter in letters:
        for _, url in links(letter):
            plain = url.strip()
            if plain.lower().startswith(("http://", "https://")) and "{{" not in plain:
                keys = found.setdefault(plain, [])
                if letter.key not in keys:
                    keys.append(letter.key)
    return found


def broken_links(
    definitions: Definitions, used: Mapping[str, Collection[str]], wrong: Mapping[str, str]
) -> Iterator[Finding]:
    """Addresses in letters in use that could not be opened (``wrong``: why, by address)."""
    for url, keys in used.items():
        if url in wrong:
            names = [definitions.letters[key].letter.called for key in keys if key in definitions.letters]
            first = next(iter(keys))
            yield Finding(
                code="broken_link",
                about=url,
                title=f"A link in “{names[0]}” can't be opened: {url}",
                why=f"{wrong[url]}" + (f" It stands in {len(names) - 1} more." if len(names) > 1 else ""),
                size=len(keys),
                mend="Open the letter",
                to=f"/letters/{first}",
            )
