"""How the time of long work is told: never before it is known, never 0 s while work remains, and it goes on by itself."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irvane.core.line.paces import Paces
from irvane.core.waits import Countdown, Wait, left_text, wait_text


def test_no_time_is_told_before_it_is_known() -> None:
    one = Countdown(0.0)
    assert one.left(1) is None
    one.report(0.02, 1.0)
    assert one.left(1) is None, "two per cent tell nothing"
    one.report(0.2, 1.0)
    assert one.left(1.1) is None, "nor does a second"
    one.report(0.25, 2.0)
    assert one.left(2) == pytest.approx(6)
    assert wait_text("merging", 0.25, one.left(2)) == "merging 25 %, 6 s left".replace(" %", "%")


def test_time_goes_on_between_reports_and_is_not_told_once_it_ran_out() -> None:
    one = Countdown(0.0)
    one.report(0.7, 7.0)
    assert one.left(7) == pytest.approx(3) and one.left(9) == pytest.approx(1)
    assert one.left(9.8) is None and one.left(60) is None
    assert wait_text("merging", 0.7, one.left(60)) == "merging 70%"


def test_what_was_measured_before_tells_from_the_beginning() -> None:
    one = Countdown(0.0, expected=20.0)
    assert one.left(0) == 20 and one.left(5) == 15
    one.report(0.02, 6.0)
    assert one.left(6) == pytest.approx(14), "a first report does not undo it"
    one.report(0.5, 16.0)
    assert one.left(16) == pytest.approx(16), "what is seen now counts more than what was known"
    assert 0.25 <= Countdown(0.0, expected=20.0).seen(5) <= 0.26, (
        "a step that does not report goes on all the same"
    )


def test_the_whole_wait_of_a_pane_is_told_not_that_of_a_stage() -> None:
    wait = Wait({"full": 10.0, "lens": 5.0, "whole": 25.0})
    wait.begin("full", 0.0)
    assert wait.left(0) == 40 and wait.share(0) == 0
    wait.report("full", 0.5, 5.0)
    assert wait.left(5) == pytest.approx(35) and wait.share(5) == pytest.approx(0.125, abs=0.01)
    wait.finish("full")
    wait.begin("lens", 10.0)
    assert wait.share(10) == pytest.approx(0.25)
    wait.replan({"whole": 25.0})
    wait.finish("lens")
    wait.begin("whole", 15.0)
    assert wait.left(15) == pytest.approx(25)
    assert not wait.over
    wait.finish("whole")
    assert wait.over


def test_a_stage_of_unknown_length_hides_the_time_of_all() -> None:
    wait = Wait({"full": 10.0, "whole": None})
    wait.begin("full", 0.0)
    assert wait.left(2) is None
    assert wait.text("developing", 5.0).startswith("developing 25")


@given(
    st.lists(st.tuples(st.floats(0, 1), st.floats(0.01, 30)), min_size=1, max_size=20), st.floats(0.1, 100)
)
def test_never_nought_and_never_backwards(reports: list[tuple[float, float]], expected: float) -> None:
    wait, now, before = Wait({"a": expected, "b": None, "c": 3.0}), 0.0, 0.0
    wait.begin("a", now)
    for share, later in reports:
        now += later
        wait.report("a", share, now)
        told = wait.text("x", now)
        assert not re.search(r"\b0 (s|min) left", told) and "-" not in told
        assert wait.share(now) >= before
        before = wait.share(now)


@pytest.mark.parametrize(
    ("seconds", "told"),
    [(None, ""), (0.0, ""), (0.4, ""), (0.6, "1 s left"), (11.2, "12 s left"), (150.0, "3 min left"), (float("inf"), ""),
     (9000.0, "2.5 h left")],
)  # fmt: skip
def test_times_in_words(seconds: float | None, told: str) -> None:
    assert left_text(seconds) == told


def test_paces_are_kept_and_damaged_ones_are_none(tmp_path) -> None:
    path = tmp_path / "state" / "stages.json"
    paces = Paces(path)
    assert paces.seconds("full", 24) is None
    paces.note("full", 2.4, 24)
    paces.note("full", 4.8, 24)
    paces.note("tiny", 1.0, 0.01)
    assert Paces(path).seconds("full", 10) == pytest.approx(1.5)
    assert Paces(path).seconds("tiny", 1) is None
    path.write_text("[1, 2")
    assert Paces(path).values == {}
