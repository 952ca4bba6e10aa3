from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.port.came_and_left import NEW_S, Changes, UnplugWatch


def test_what_was_there_at_first_is_not_new_and_what_comes_is_for_a_while() -> None:
    changes = Changes()
    changes.surveyed(["a"], 0.0)
    assert changes.came_s_ago("a", 1.0) is None
    changes.surveyed(["a", "b"], 10.0)
    assert changes.came_s_ago("b", 12.0) == 2.0
    assert changes.came_s_ago("b", 10.0 + NEW_S) is None


def test_what_left_is_kept_in_mind_until_it_is_back_or_old() -> None:
    changes = Changes()
    changes.surveyed(["a", "b"], 0.0)
    changes.surveyed(["a"], 5.0)
    assert dict(changes.left) == {"b": 5.0}
    changes.surveyed(["a", "b"], 6.0)
    assert not changes.left and changes.came_s_ago("b", 6.5) == 0.5
    changes.surveyed(["a"], 7.0)
    changes.surveyed(["a"], 7.0 + NEW_S)
    assert not changes.left


@given(st.lists(st.sets(st.sampled_from([f"port {n}" for n in range(64)])), max_size=60))
def test_ports_coming_and_going_ten_times_a_second_are_told_rightly(surveys: list[set[str]]) -> None:
    changes = Changes()
    for number, present in enumerate(surveys):
        changes.surveyed(present, number / 10)
        assert not set(changes.left) & present
        for identity in present:
            ago = changes.came_s_ago(identity, number / 10)
            assert ago is None or ago <= number / 10


def test_the_one_that_was_pulled_and_plugged_in_is_found() -> None:
    watch = UnplugWatch()
    assert "Pull" in watch.step
    for present in (["a", "b"], ["a", "b"], ["a", "b", "c"], ["a", "c"]):
        watch.surveyed(present)
    assert watch.pulled == "b" and "plug it in" in watch.step
    watch.surveyed(["a", "c"])
    watch.surveyed(["a", "b", "c"])
    assert watch.found == "b"


def test_pulling_several_at_once_is_refused_until_they_are_back() -> None:
    watch = UnplugWatch()
    for present in (["a", "b", "c"], ["c"]):
        watch.surveyed(present)
    assert "Several" in watch.step and not watch.pulled
    for present in (["a", "b", "c"], ["a", "c"], ["a", "b", "c"]):
        watch.surveyed(present)
    assert watch.found == "b"
