"""How settings are declared: with label, unit, range, neutral value, group and help, in the metadata of a
dataclass's fields."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Group:
    """Settings that act on the same thing and stand together.

    Attributes
    ----------
    key : its identity; the label may be reworded.
    telling : the names of its settings say little without the group's.
    """

    key: str
    label: str
    telling: bool = False


@dataclass(frozen=True)
class Number:
    """Declaration of a numeric setting."""

    label: str
    unit: str
    low: float
    high: float
    neutral: float
    step: float
    group: Group
    help: str
    automatic: bool = False
    decimals: int = 0


@dataclass(frozen=True)
class Choice:
    """Declaration of a setting with named values."""

    label: str
    options: tuple[tuple[str, str], ...]
    group: Group
    help: str


#: A tone curve: points (level in, level out) in EV around mid-grey, rising; none: a straight line.
Curve = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Method:
    """Declaration of the method that a step of the line runs: an old proof keeps the one that made it.

    Attributes
    ----------
    label : what the method does.
    names : released methods as ``name@n``, oldest first; new proofs take the last.
    """

    label: str
    names: tuple[str, ...]


@dataclass(frozen=True)
class Name:
    """Declaration of a setting that is one of a few words, or a name out of a long list.

    Attributes
    ----------
    words : the few words with what is shown for them.
    """

    label: str
    words: tuple[tuple[str, str], ...]
    group: Group
    help: str


#: A crop: left, top, width and height in per cent of the corrected frame; empty: the largest that has no
#: empty corners.
Crop = tuple[float, ...]


@dataclass(frozen=True)
class Cropping:
    """Declaration of a crop."""

    label: str
    group: Group
    help: str


@dataclass(frozen=True)
class Points:
    """Declaration of a curve through points."""

    label: str
    group: Group
    help: str
    unit: str = "EV"
    low: float = -12.0
    high: float = 8.0
    most: int = 12


#: Where a frame that moved was at even times: (x, y) in pixels; none: a straight line.
Path = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Trail:
    """Declaration of the path of a movement.

    Attributes
    ----------
    most : points at most. far : pixels that any of them may lie from the first at most.
    """

    label: str
    group: Group
    help: str
    most: int = 24
    far: float = 60.0


def number(
    default: float | None,
    label: str,
    unit: str,
    low: float,
    high: float,
    step: float,
    group: Group,
    help: str,
    *,
    neutral: float | None = None,
    decimals: int = 0,
) -> Any:
    spec = Number(
        label, unit, low, high, neutral if neutral is not None else (default or 0.0), step, group, help,
        automatic=default is None, decimals=decimals,
    )  # fmt: skip
    return field(default=default, metadata={"spec": spec})


def choice(default: str, label: str, options: tuple[tuple[str, str], ...], group: Group, help: str) -> Any:
    return field(default=default, metadata={"spec": Choice(label, options, group, help)})


def method(label: str, *names: str) -> Any:
    return field(default=names[-1], metadata={"spec": Method(label, names)})


def points(label: str, group: Group, help: str) -> Any:
    return field(default=(), metadata={"spec": Points(label, group, help)})


def name(default: str, label: str, words: tuple[tuple[str, str], ...], group: Group, help: str) -> Any:
    """A field whose value is a word or a name."""
    return field(default=default, metadata={"spec": Name(label, words, group, help)})


def crop(label: str, group: Group, help: str) -> Any:
    """A field whose value is a crop."""
    return field(default=(), metadata={"spec": Cropping(label, group, help)})


def trail(label: str, group: Group, help: str) -> Any:
    """A field whose value is the path of a movement."""
    return field(default=(), metadata={"spec": Trail(label, group, help)})
