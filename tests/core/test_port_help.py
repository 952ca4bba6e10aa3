from ordolex.core.link.wait import proposed_wait_ms
from ordolex.core.port.remedies import SIGHTS, Seen, likely_sight, remedies


def test_the_survey_moves_its_cause_to_the_front_and_says_why():
    seen = Seen(driverless=("Brookmade serial",), listed=1)
    first, second = remedies("absent", seen)[:2]
    assert "no driver" in first.cause and first.because == "Brookmade serial has no driver"
    assert not second.because
    assert likely_sight(seen) == "driver"


def test_what_just_left_is_a_loose_plug_first():
    assert "loose" in remedies("absent", Seen(driverless=("a",), just_left=("b",)))[0].cause
    assert likely_sight(Seen()) == "none" and likely_sight(Seen(listed=2)) == "absent"


def test_every_sight_has_causes_each_with_test_and_step():
    for sight in SIGHTS:
        found = remedies(sight, Seen())
        assert len(found) >= 2 and all(r.cause and r.test and r.step for r in found)
        assert len({r.cause for r in found}) == len(found)


def test_the_wait_is_proposed_from_measured_answers():
    assert proposed_wait_ms([]) == 500
    assert proposed_wait_ms([12.0, 30.0]) == 100
    assert proposed_wait_ms([12.0, 480.0]) == 1000
