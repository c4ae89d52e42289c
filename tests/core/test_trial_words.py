"""Trials and figures in words: what may be said, with what numbers, and how long it takes to say more."""

from fractions import Fraction

from patient_courier.core.figures.differences import Difference, Group, at_every_look, verdict
from patient_courier.core.figures.survival import Watched
from patient_courier.core.telling.figure_words import finishing_words
from patient_courier.core.telling.trial_words import about, answer_words, compared_words, how_long, one_in


def said(written_to: Group, held_back: Group) -> str:
    always = at_every_look(written_to, held_back)
    return answer_words(verdict(written_to, held_back), always, written_to, held_back)


def test_each_answer_has_its_sentence_and_never_more_than_can_be_told():
    assert said(Group(190, 200), Group(40, 100)).startswith("It helps: by ")
    assert said(Group(80, 200), Group(95, 100)).startswith("It does harm: by ")
    assert said(Group(50, 100), Group(26, 50)).startswith(
        "No difference can be told so far: it lies between "
    )
    assert "the time of 3 students who were held back is over, and it takes at least 20" in said(
        Group(9, 10), Group(0, 3)
    )
    assert "1 student who was written to" in said(Group(1, 1), Group(0, 9))


def test_points_are_named_from_the_smaller_to_the_larger_and_never_nought_when_it_helps():
    one = Group(1, 1)
    assert answer_words("helps", Difference(0.1, 0.001, 0.19), one, one) == "It helps: by 1 to 19 points."
    harms = Difference(-0.1, -0.15, -0.03)
    assert answer_words("harms", harms, one, one) == "It does harm: by 3 to 15 points."
    assert compared_words("opened", "harms", harms, "B", "A") == "“A” is opened more: by 3 to 15 points."
    told = answer_words("not_told", Difference(0.0, -0.04, 0.12), one, one)
    assert told.endswith("it lies between 4 points worse and 12 points better.")


def test_how_long_it_takes_goes_by_the_week_and_adds_the_time_of_the_last_one():
    found = how_long(Fraction(9), 386, 0, 10)
    assert (
        "about 390 students" in found
        and "with your 9 a week, about 10 months. It can't be told sooner." in found
    )
    assert how_long(Fraction(9), 9, 14, 10).endswith("about 3 weeks. It can't be told sooner.")
    assert "nobody has come in" in how_long(Fraction(0), 386, 14, 10)
    assert [about(days) for days in (0.2, 20, 1500)] == ["about 1 day", "about 3 weeks", "about 4 years"]
    assert [one_in(share) for share in (50, 33, 20, 7)] == ["1 in 2", "1 in 3", "1 in 5", "7 in 100"]


def test_a_course_is_not_said_to_take_longer_than_anybody_has_been_watched():
    assert finishing_words([]) == "Nobody has enrolled yet."
    people = [Watched(71, True)] * 62 + [Watched(200, False)] * 38
    assert finishing_words(people) == "Half finish within 71 days; 38% have not after half a year."
    young = finishing_words([Watched(30, False)] * 40)
    assert (
        young
        == "Fewer than half finish so far; 100% have not after 30 days, the longest that anybody has been here."
    )
