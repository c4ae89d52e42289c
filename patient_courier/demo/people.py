"""Invented students: common given and family names from many places, put together by lot."""

from __future__ import annotations

import random
import unicodedata
from dataclasses import dataclass

# Zone, weight, given names, family names.
_PLACES: list[tuple[str, int, str, str]] = [
    (
        "Europe/Lisbon",
        22,
        "Ana Beatriz Bruno Carla Duarte Elisa Filipe Graça Joana Luísa Miguel Nuno Rita Tomás Vasco",
        "Arriaga Bento Cardoso Esteves Falcão Moura Pinheiro Reis Salgado Tavares Valente Xavier",
    ),
    (
        "Europe/London",
        18,
        "Alfie Bronwen Callum Edda Fiona Gareth Hazel Isla Owen Poppy Rowan Tamsin",
        "Ashdown Birtwell Carrow Halloran Marsh O'Brien Penhale Quill Thistle Wetherby",
    ),
    (
        "Europe/Berlin",
        14,
        "Anke Bastian Dörte Friedrich Greta Jürgen Katrin Lotte Moritz Sönke",
        "Brandauer Feldkamp Grünwald Kästner Lindholz Möhring Rübsam Weißhaupt",
    ),
    (
        "Europe/Stockholm",
        9,
        "Åsa Björn Elin Göran Ingrid Lovisa Måns Signe",
        "Björkvall Dahlström Ekhult Lindqvist Norrby Öberg Sandelin",
    ),
    (
        "Europe/Paris",
        8,
        "Amélie Baptiste Céleste Étienne Gaëlle Léa Noël Océane",
        "Beaumarais Chastel Delorme Fontvieille L'Héritier Rochemaure",
    ),
    (
        "America/New_York",
        14,
        "Abigail Caleb Dov Emmett Harper Jonah Mabel Naomi Silas Wren",
        "Aldercott Blackwood Farrow Goldbaum Hargrove McIntyre Pruitt Yoder",
    ),
    (
        "America/Chicago",
        6,
        "Clyde Della Hank June Otis Pearl",
        "Bracken Dunleavy Holloway Ostrander Sorensen",
    ),
    (
        "America/Los_Angeles",
        8,
        "Aiko Diego Juniper Kai Marisol Sage",
        "Castellane Delgado Nakagawa Redfern Vantongeren",
    ),
    (
        "America/Sao_Paulo",
        7,
        "Caio Débora Iara João Thaís Ubirajara",
        "Araújo Brandão Conceição Guimarães Magalhães",
    ),
    ("Africa/Nairobi", 5, "Achieng Baraka Juma Njeri Wanjiru", "Kamau Mwangi Odhiambo Wekesa"),
    ("Asia/Kolkata", 6, "Aarav Devika Ishaan Meera Sunita", "Bhattacharya Chaudhuri Iyer Kulkarni"),
    ("Asia/Tokyo", 5, "Haruka Kenji Mio Sota", "Aoyama Fujimori Kurosaki Morishita"),
    ("Australia/Sydney", 7, "Bindi Darcy Imogen Lachlan Matilda", "Calloway Drummond Fairweather Wirrah"),
    ("Pacific/Auckland", 6, "Aroha Hemi Kiri Tane", "Harawira Kereama Ngata Tipene"),
]

# Names that break careless code: none at all, apostrophes, right-to-left scripts, very long ones, markup.
_HARD: list[tuple[str | None, str | None, str]] = [
    (None, None, "Europe/Lisbon"),
    ("", "Sequeira", "Europe/Lisbon"),
    (None, "Okafor", "Europe/London"),
    ("", "", "America/New_York"),
    (None, None, "Europe/Berlin"),
    ("", "Haugland", "Europe/Stockholm"),
    ("نور", "الخطيب", "Europe/London"),
    ("שירה", "בן־עמי", "America/New_York"),
    ("یاسمن", "رستگار", "Europe/Berlin"),
    ("D'Arcy", "O'Connell-Ní Bhriain", "Europe/London"),
    ("Zoë", "van 't Veldhuijs", "Europe/Paris"),
    (
        "Maximiliane-Theodora Charlotte Eugenie",
        "von Hohenfels-Wintergarten zu Altenbruch-Niederlangenau",
        "Europe/Berlin",
    ),
    ("Nguyễn Thị Minh", "Khai-Hòa", "Europe/Paris"),
    ("<b>Bea</b>", "& Söhne", "Europe/Berlin"),
    ("Þórdís", "Ægisdóttir", "Europe/Stockholm"),
    ("ΑΘΗΝΆ", "Παπαδοπούλου", "Europe/London"),
    ("李", "小蜂", "Asia/Tokyo"),
    ("Jean-Noël\u00a0Marie", "d’Aubépine", "Europe/Paris"),
]


@dataclass(frozen=True, slots=True)
class Person:
    key: str
    email: str
    first_name: str | None
    last_name: str | None
    timezone: str | None


def people(lot: random.Random, number: int) -> list[Person]:
    """That many invented people, all with different addresses."""
    names = [(first, last, zone) for first, last, zone in _HARD]
    while len(names) < number:
        zone, _, first, last = lot.choices(_PLACES, weights=[place[1] for place in _PLACES])[0]
        names.append((lot.choice(first.split()), lot.choice(last.split()), zone))
    lot.shuffle(names)
    taken: set[str] = set()
    found = []
    for index, (given, family, zone) in enumerate(names[:number], 1):
        key = _key(given, family, index, taken)
        domain = lot.choice(("example.org", "example.com", "example.net"))
        # A few students never said where they are: the school's zone counts for them.
        found.append(Person(key, f"{key}@{domain}", given, family, zone if lot.random() > 0.04 else None))
    return found


def _key(first: str | None, last: str | None, index: int, taken: set[str]) -> str:
    parts = [_ascii(part) for part in (first, last) if part]
    key = ".".join(part for part in parts if part)[:40].strip(".-") or f"keeper{index}"
    if key in taken:
        key = f"{key}{index}"
    taken.add(key)
    return key


def _ascii(text: str) -> str:
    plain = unicodedata.normalize(
        "NFKD", text.replace("ß", "ss").replace("ø", "o").replace("Þ", "Th").replace("Æ", "Ae")
    )
    kept = "".join(c.lower() if c.isascii() and c.isalnum() else "-" if c in " -" else "" for c in plain)
    return kept.strip("-")
