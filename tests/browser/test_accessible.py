"""axe-core's rules for WCAG 2.2 A and AA (Deque, open source) on every place."""

from pathlib import Path

import pytest
from playwright.sync_api import Page

AXE = Path("ui/node_modules/axe-core/axe.min.js").read_text()
RULES = "['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']"
PLACES = [
    "/today",
    "/courses",
    "/courses/first-hive",
    "/certificates",
    "/courses/first-hive?tab=outline",
    "/sequences",
    "/sequences/fh-welcome",
    "/sequences/fh-welcome/rehearsal",
    "/sequences/fh-welcome/figures",
    "/sequences/vw-five/trial",
    "/courses/first-hive?tab=figures",
    "/letters",
    "/letters/news-swarm-season",
    "/letters/fh-access/figures",
    "/letters/fh-access/versions",
    "/broadcasts",
    "/broadcasts/honey-jars",
    "/broadcasts/order-bees",
    "/students",
    "/students/vasco.reis",
    "/tags",
    "/purchases",
    "/audiences",
    "/import",
    "/courses/first-hive?tab=feedback",
    "/certificate",
    "/dispatch",
    "/dispatch/2000",
    "/practice",
    "/school",
    "/school/look",
    "/school/connections",
    "/school/connections/shop",
    "/school/connections/list",
    "/school/destinations",
    "/school/destinations/this",
    "/school/destinations/the-mailing-list",
    "/school/sign-up",
    "/school/sign-up/varroa-watch",
    "/school/mail",
    "/school/copies",
    "/school/helpers",
    "/school/check-up",
    "/who-is-told",
    "/check-up",
    "/weekly",
    "/notices",
    "/school/changes",
    "/school/coming-back",
    "/you",
    "/join/varroa-watch",
]


@pytest.mark.long
@pytest.mark.parametrize("part", range(2))
def test_axe_finds_nothing_serious_on_any_place(page: Page, part: int):
    found = []
    for place in PLACES[part::2]:
        page.goto(place)
        page.wait_for_load_state("networkidle")
        page.evaluate(AXE)
        options = f"{{runOnly: {RULES}, resultTypes: ['violations'], iframes: false}}"
        result = page.evaluate(f"axe.run(document, {options})")
        assert result["testEngine"]["name"] == "axe-core"
        found += [
            f"{place}: {violation['id']} {[node['html'][:140] for node in violation['nodes'][:3]]}"
            for violation in result["violations"]
            if violation["impact"] in ("serious", "critical")
        ]
    assert found == []
