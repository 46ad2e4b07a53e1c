"""Judging pair by pair: every pair once, sides and order by chance, a tally that adds up."""

from __future__ import annotations

from itertools import combinations

from irvane.core.judge.verdicts import ANSWERS, Judgement, Pair, pairs_to_judge, tally


def test_every_pair_is_asked_once_and_chance_says_how() -> None:
    proofs = {3: range(4), 7: range(2)}
    pairs = pairs_to_judge(proofs, 1)
    assert {(p.frame, *sorted((p.left, p.right))) for p in pairs} == {
        *((3, a, b) for a, b in combinations(range(4), 2)), (7, 0, 1),
    }  # fmt: skip
    assert len(pairs) == 7
    assert pairs == pairs_to_judge(proofs, 1) != pairs_to_judge(proofs, 2)
    many = [pairs_to_judge({0: range(2)}, seed)[0].left for seed in range(200)]
    assert 70 < sum(many) < 130, "no side is preferred"
    assert pairs_to_judge({0: range(1)}, 1) == []


def test_the_tally_adds_up_over_frames_and_criteria() -> None:
    names = {(f, n): ("soft", "crisp")[n] for f in (0, 1) for n in (0, 1)}
    judgements = [
        Judgement(Pair(0, 0, 1), "noise", "left"), Judgement(Pair(1, 1, 0), "noise", "slightly left"),
        Judgement(Pair(0, 0, 1), "detail", "right"), Judgement(Pair(1, 0, 1), "detail", "no visible difference"),
    ]  # fmt: skip
    found = tally(judgements, names)
    assert [(s.name, s.points, s.better, s.worse, s.equal) for s in found["noise"]] == [
        ("soft", 1, 1, 1, 0), ("crisp", -1, 1, 1, 0),
    ]  # fmt: skip
    assert [s.name for s in found["detail"]] == ["crisp", "soft"]
    assert found["detail"][0].equal == 1
    assert sum(ANSWERS.values()) == 0
