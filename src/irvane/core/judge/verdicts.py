"""Judgements pair by pair: which of two proofs of a frame is better, by criterion; and the tally over several
frames."""

from __future__ import annotations

import itertools
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

#: What is judged.
CRITERIA = ("overall", "noise", "detail", "highlights", "blacks", "colour")
#: Answers and what they are worth to the left one; the right one gets the opposite.
ANSWERS = {"left": 2, "slightly left": 1, "no visible difference": 0, "slightly right": -1, "right": -2}


@dataclass(frozen=True)
class Pair:
    """Two proofs of a frame, as they stand left and right."""

    frame: int
    left: int
    right: int


@dataclass(frozen=True)
class Judgement:
    """What was found of a pair, by one criterion."""

    pair: Pair
    criterion: str
    answer: str


def pairs_to_judge(proofs: Mapping[int, Sequence[int]], seed: int) -> list[Pair]:
    """All pairs of proofs of every frame, in an order and with sides that tell nothing.

    Parameters
    ----------
    proofs : numbers of the proofs, by number of the frame.
    seed : of the order; the same gives the same.
    """
    chance = random.Random(seed)
    found = []
    for frame, numbers in proofs.items():
        for a, b in itertools.combinations(numbers, 2):
            found.append(Pair(frame, a, b) if chance.random() < 0.5 else Pair(frame, b, a))
    chance.shuffle(found)
    return found


@dataclass(frozen=True)
class Standing:
    """A treatment in the tally.

    Attributes
    ----------
    points : 2 for better, 1 for slightly better, negative for worse.
    better, worse, equal : how often.
    """

    name: str
    points: int
    better: int
    worse: int
    equal: int


def tally(judgements: Sequence[Judgement], names: dict[tuple[int, int], str]) -> dict[str, list[Standing]]:
    """Standings by criterion, the best first; proofs of one name are one treatment over all frames.

    Parameters
    ----------
    names : of the proofs, by frame and number.
    """
    found: dict[str, list[Standing]] = {}
    for criterion in dict.fromkeys(j.criterion for j in judgements):
        rows: dict[str, list[int]] = {}
        for one in judgements:
            if one.criterion != criterion:
                continue
            worth = ANSWERS[one.answer]
            for number, own in ((one.pair.left, worth), (one.pair.right, -worth)):
                row = rows.setdefault(names[one.pair.frame, number], [0, 0, 0, 0])
                row[0] += own
                row[1] += own > 0
                row[2] += own < 0
                row[3] += own == 0
        standings = [Standing(name, *row) for name, row in rows.items()]
        found[criterion] = sorted(standings, key=lambda s: (-s.points, s.name))
    return found
