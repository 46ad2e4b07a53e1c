"""Searching among what the window has, by the words of the trade. No widget."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

from irvane.core.handbook.synonyms import SYNONYMS

_WORD = re.compile(r"[\w%]+")
#: What a word that fits is worth: in the title, as another word for it, where it stands, in its help.
_TITLE, _SYNONYM, _WHERE, _HELP = 12.0, 9.0, 4.0, 1.5
#: A word that fits as a whole is worth more than one that begins alike.
_WHOLE = 1.3
#: Of what fits alike, the thing itself comes before a page that tells of it.
_LESS = {"handbook": 6.0, "frame": 1.0}
#: Words that say nothing of what is looked for.
_EMPTY = frozenset(
    [
        "a",
        "an",
        "and",
        "at",
        "for",
        "from",
        "how",
        "in",
        "is",
        "it",
        "make",
        "my",
        "of",
        "on",
        "one",
        "or",
        "the",
        "this",
        "to",
        "two",
        "what",
        "with",
    ]
)


@dataclass(frozen=True)
class Entry:
    """Something that can be found.

    Attributes
    ----------
    kind : *command*, *setting* and so on. title : its name. where : where it is found by hand.
    help : what it does. keys : its key. do : what happens when it is chosen.
    why_not : why it cannot be done now; empty where it can.
    """

    kind: str
    title: str
    where: str
    help: str = ""
    keys: str = ""
    do: Callable[[], object] = field(default=lambda: None, compare=False)
    why_not: str = ""


def words_of(text: str) -> list[str]:
    """The words of a text, small."""
    return _WORD.findall(text.lower().replace("-", " ").replace("1:1", "1 1"))


def _meanings(query: list[str]) -> list[tuple[int, int, tuple[list[str], ...]]]:
    """Runs of words of a query that stand for something else: begin, end, and what for."""
    known = {tuple(words_of(said)): meant for said, meant in SYNONYMS.items()}
    found = []
    for begin in range(len(query)):
        for end in range(begin + 1, len(query) + 1):
            meant = known.get(tuple(query[begin:end]))
            if meant is not None:
                found.append((begin, end, tuple(words_of(one) for one in meant)))
    return found


def _fits(word: str, among: Sequence[str]) -> float:
    return max((_WHOLE if one == word else 1.0 for one in among if one.startswith(word)), default=0.0)


def _worth(word: str, title: list[str], where: list[str], help: list[str]) -> float:
    return max(
        _TITLE * _fits(word, title), _WHERE * _fits(word, where), _HELP * _fits(word, help)
    )  # fmt: skip


def _score(query: list[str], meanings: list[tuple[int, int, tuple[list[str], ...]]], entry: Entry) -> float:
    title, where, help_ = words_of(entry.title), words_of(entry.where), words_of(entry.help)
    worth = [_worth(word, title, where, help_) for word in query]
    for begin, end, meant in meanings:
        for rank, words in enumerate(meant):
            inside = [max(_fits(w, title), 0.6 * _fits(w, where)) for w in words]
            if all(inside):
                value = _SYNONYM * (1 - 0.06 * rank) * min(inside)
                for place in range(begin, end):
                    worth[place] = max(worth[place], value)
    if not all(worth):
        return 0.0
    # of two that fit alike the shorter title is meant
    return sum(worth) - 0.1 * len(title) - _LESS.get(entry.kind, 0.0)


def search(query: str, entries: Iterable[Entry], most: int = 12) -> list[Entry]:
    """What fits all words of a query best, the best first; where nothing fits all, what fits most of them."""
    all_words = words_of(query)
    words = [w for w in all_words if w not in _EMPTY] or all_words
    if not words:
        return []
    pool = list(entries)
    for fewer in range(len(words)):
        tried = [words] if not fewer else [words[:k] + words[k + 1 :] for k in range(len(words))]
        if fewer > 1:
            break
        scored: dict[int, float] = {}
        for one in tried:
            meanings = _meanings(one)
            for number, entry in enumerate(pool):
                value = _score(one, meanings, entry)
                scored[number] = max(scored.get(number, 0.0), value)
        best = sorted((n for n in scored if scored[n] > 0), key=lambda n: -scored[n])
        if best:
            return [pool[n] for n in best[:most]]
    return []
