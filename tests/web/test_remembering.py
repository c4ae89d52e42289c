"""What took long to reckon is kept while nothing happens, and no longer."""

from unittest.mock import patch

from patient_courier.web import remembering
from patient_courier.web.places.purchases import purchases
from tests.web.conftest import purchase


def test_figures_are_kept_until_something_happens_or_the_definitions_change(app):
    asked, reckon = [], purchases._purchases

    def figures():
        with patch.object(purchases, "_purchases", wraps=reckon) as seen:
            answer = app.client.get("/api/purchases").json()
            asked.append(seen.call_count)
        return answer

    with patch.object(remembering, "WORTH_SECONDS", 0):
        figures()
        assert figures() == {"items": []} and asked == [1, 0], "kept"
        app.report(purchase())
        assert figures()["items"][0]["bought"] == 1 and asked[-1] == 1, "something has happened"
        app.settle()
        figures()
        figures()
        assert asked[-1] == 0
        app.move(to="until", until="2026-03-04T09:00:00Z")
        figures()
        assert asked[-1] == 1, "the clock has moved"
        school = app.client.get("/api/school").json()
        body = {**school["body"], "name": "Another name"}
        headers = {"If-Match": f'"{school["edition"]}"'}
        assert app.client.put("/api/school", json={"body": body}, headers=headers).status_code == 200
        figures()
        assert asked[-1] == 1, "the definitions have changed"
        with patch.object(remembering, "MOST_SECONDS", -1):
            app.report(purchase("kai"))
            figures()
        figures()
        assert asked[-1] == 1, "it has stood too long"
    with patch.object(remembering, "WORTH_SECONDS", 60):
        app.report(purchase("ana", order="second"))
        app.settle()
        figures()
        figures()
        assert asked[-1] == 1, "what is quick is always reckoned anew"
