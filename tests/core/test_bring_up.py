"""The stages of a bring-up: what is next, what stays, and what may be called proven."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.visit.bring_up import STAGES, BringUp, Outcome, Standing, earlier

NAMES = [stage.name for stage in STAGES]


def took(steps: BringUp, stage: str, standing: Standing, words: str = "so it was") -> None:
    steps.take(Outcome(stage, standing, words))


def test_going_back_opens_what_rests_on_it_and_what_was_tried_stays() -> None:
    steps = BringUp()
    for name in NAMES[:6]:
        took(steps, name, Standing.GOOD)
    assert steps.proven and steps.next is not None and steps.next.name == "identity"
    steps.back_to("settings")
    assert not steps.proven, "a proof at other settings is no proof"
    assert steps.next is not None and steps.next.name == "settings"
    assert steps.standing("cable") is Standing.GOOD and steps.standing("proof") is Standing.OPEN
    assert [one.stage for one in steps.tried] == NAMES[:6]
    took(steps, "settings", Standing.BAD, "nothing was heard")
    assert steps.verdict == "Not proved; it stands at line settings: nothing was heard"
    assert steps.next.name == "settings", "one that failed is what comes next, until it is gone past"
    took(steps, "settings", Standing.SKIPPED, "nobody looked")
    assert steps.next is not None and steps.next.name == "wake"


@given(st.lists(st.tuples(st.sampled_from(NAMES), st.sampled_from(list(Standing)))))
def test_nothing_but_a_proof_that_was_seen_is_called_proven(done: list[tuple[str, Standing]]) -> None:
    steps = BringUp()
    for stage, standing in done:
        took(steps, stage, standing)
    last = next((standing for stage, standing in reversed(done) if stage == "proof"), None)
    assert steps.proven == (last is Standing.GOOD) == steps.verdict.startswith("Proven")
    assert len(steps.tried) == len(done)


def test_what_a_book_holds_is_read_back_and_what_is_none_of_it_is_passed_over() -> None:
    outcome = Outcome("cable", Standing.SAID, "PC ── device", 5)
    details = [(5, outcome.as_dict()), (6, {"stage": "nowhere"}), (7, {"stage": "port", "standing": "wonderful"})]
    assert earlier(details) == [outcome]
    with pytest.raises(KeyError):
        BringUp().take(Outcome("nowhere", Standing.GOOD, ""))
