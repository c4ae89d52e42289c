"""Purchases over HTTP: by month, as CSV, and what a sequence was followed by."""

from tests.web.conftest import purchase


def test_by_month_as_csv_and_followed_by(app):
    assert app.client.get("/api/purchases").json() == {"items": []}
    assert app.report(purchase("ana", amount={"amount": "149.00", "currency": "EUR"})).json()["taken"] == 1
    app.settle()
    app.report(purchase("kai"))
    (line,) = app.client.get("/api/purchases").json()["items"]
    assert (line["words"], line["title"], line["bought"], line["known"]) == ("March 2026", "First Hive", 2, 1)
    assert line["sums"] == [{"currency": "EUR", "amount": "149.00"}]
    text = app.client.get("/api/purchases.csv").text
    assert text.splitlines()[1] == "2026-03,bees-once,First Hive,2,0,1,149.00,EUR"
    asked = {"sequence": "welcome", "days": 14}
    assert app.client.get("/api/purchases/followed", params=asked).json()["open"] == 2
    app.move(to="until", until="2026-03-20T09:00:00Z")
    found = app.client.get("/api/purchases/followed", params=asked).json()
    assert (found["of"], found["open"], found["small"]) == (2, 0, True)
    assert (
        app.client.get("/api/purchases/followed", params={**asked, "offer": "another"}).json()["bought"] == 0
    )
    assert app.client.get("/api/purchases/followed").status_code == 422
    for wrong in ({"sequence": "gone"}, {"broadcast": "gone"}):
        assert app.client.get("/api/purchases/followed", params=wrong).status_code == 404
