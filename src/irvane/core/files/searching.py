"""Searching frames by what is typed: parts of names, and fields by their names.

``iso 6400``, ``iso >3200``, ``iso 100-400``, ``f/2.8``, ``50 mm``, ``1/250``, ``date 2026-11``, ``lens
summer``,
``camera nord``, ``3 stars``, ``kept``. All that is typed must hold.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import partial

from irvane.core.files.info import FrameInfo
from irvane.core.files.proofs import KEEP, REJECT


@dataclass(frozen=True)
class Searched:
    """What of a frame can be searched."""

    name: str
    info: FrameInfo
    mark: str = ""
    stars: int = 0


#: Does a frame hold?
Test = Callable[[Searched], bool]
_VALUE = r"(?P<op>[<>]=?|=)?\s*(?P<low>\d+(?:[.,]\d+)?)(?:\s*[-–]\s*(?P<high>\d+(?:[.,]\d+)?))?"
#: How near a number must be, as a share of it: cameras round.
_NEAR = 0.03
_NUMBERS: tuple[tuple[str, Callable[[Searched], float | None]], ...] = (
    (rf"\biso\s*:?\s*{_VALUE}", lambda one: one.info.iso),
    (rf"\bf\s*[/:]?\s*{_VALUE}(?!\s*mm)", lambda one: one.info.aperture),
    (rf"\b(?:focal|length)\s*:?\s*{_VALUE}(?:\s*mm\b)?", lambda one: one.info.focal),
    (rf"(?<![\w/]){_VALUE}\s*mm\b", lambda one: one.info.focal),
    (rf"\b(?:mb|size)\s*:?\s*{_VALUE}", lambda one: None if one.info.size is None else one.info.size / 1e6),
    (rf"(?<![\w/]){_VALUE}\s*mb\b", lambda one: None if one.info.size is None else one.info.size / 1e6),
    (rf"\bstars?\s*:?\s*{_VALUE}", lambda one: float(one.stars)),
    (rf"(?<![\w/]){_VALUE}\s*stars?\b", lambda one: float(one.stars)),
)  # fmt: skip
_SHUTTER = re.compile(r"(?:\bshutter\s*:?\s*)?(?<!\d)1/(\d+)(?:\s*s\b)?")
_DATE = re.compile(r"(?:\bdate\s*:?\s*)?\b((?:19|20)\d\d-\d\d?(?:-\d\d?)?)\b|\bdate\s*:?\s*((?:19|20)\d\d)\b")
#: What files say of their shots (:mod:`irvane.core.files.shot`) that can be asked for by name.
_SAID = ("program", "metering", "flash", "drive", "bracket", "firmware", "converter", "stabilised")


def _said(name: str, one: Searched) -> str:
    return " ".join(said.words for said in one.info.shot if said.name == name)


_TEXTS: dict[str, Callable[[Searched], str]] = {
    "lens": lambda one: one.info.lens, "camera": lambda one: f"{one.info.make} {one.info.model}",
    "name": lambda one: one.name, **{name: partial(_said, name) for name in _SAID},
}  # fmt: skip
_FIELD = "|".join(_TEXTS)
_TEXT = re.compile(rf"\b({_FIELD})\s*:?\s+(\S+)|\b({_FIELD}):(\S+)")
_MARKS = {"kept": KEEP, "keep": KEEP, "rejected": REJECT, "reject": REJECT}


def _number_test(found: re.Match[str], of: Callable[[Searched], float | None]) -> Test:
    low = float(found["low"].replace(",", "."))
    high = float(found["high"].replace(",", ".")) if found["high"] else None
    sign = found["op"] or "="

    def holds(one: Searched) -> bool:
        value = of(one)
        if value is None:
            return False
        if high is not None:
            return low * (1 - _NEAR) <= value <= high * (1 + _NEAR)
        return {
            "<": value < low, "<=": value <= low, ">": value > low, ">=": value >= low,
            "=": math.isclose(value, low, rel_tol=_NEAR),
        }[sign]  # fmt: skip

    return holds


def _shutter_test(found: re.Match[str]) -> Test:
    wanted = float(Fraction(1, int(found[1]))) if int(found[1]) else 0.0
    return lambda one: one.info.shutter is not None and math.isclose(one.info.shutter, wanted, rel_tol=_NEAR)


def _date_test(found: re.Match[str]) -> Test:
    parts = [int(part) for part in (found[1] or found[2]).split("-")]

    def holds(one: Searched) -> bool:
        taken = one.info.taken
        return taken is not None and [taken.year, taken.month, taken.day][: len(parts)] == parts

    return holds


def _text_test(found: re.Match[str]) -> Test:
    field, wanted = found[1] or found[3], found[2] or found[4]
    return lambda one: wanted in _TEXTS[field](one).casefold()


def _word_test(word: str) -> Test:
    def holds(one: Searched) -> bool:
        info = one.info
        told = f"{one.name} {info.make} {info.model} {info.lens} {info.iso or 0:.0f}".casefold()
        told += " ".join(said.words for said in info.shot).casefold()
        return word in told or (word in _MARKS and one.mark == _MARKS[word])

    return holds


def wanted(text: str) -> Test:
    """What a frame must be to fit a text; an empty text fits all."""
    rest, tests = text.casefold(), []
    patterns: list[tuple[re.Pattern[str], Callable[[re.Match[str]], Test]]] = [
        (_DATE, _date_test), (_SHUTTER, _shutter_test),
        *((re.compile(p), lambda m, of=of: _number_test(m, of)) for p, of in _NUMBERS),
        (_TEXT, _text_test),
    ]  # fmt: skip
    for pattern, made in patterns:
        while (found := pattern.search(rest)) is not None:
            tests.append(made(found))
            rest = f"{rest[: found.start()]} {rest[found.end() :]}"
    tests += [_word_test(word) for word in rest.split()]
    return lambda one: all(test(one) for test in tests)
