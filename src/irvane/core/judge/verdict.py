"""The verdict in words: one line from the figures of pictures side by side and what is surely known of
them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from irvane.core.judge.readings import Figure, SideBySide
from irvane.core.judge.rows import UNSEEN_DELTA_E

#: Texture kept, or MTF50 against the reference's, below which a cleaner picture is cleaner because it is
#: blurred (our choice: four fifths; a tenth of it is what good denoising costs).
BLURRED = 0.8
#: EV by which brightness differs before it is offered to be made equal: an eye takes the brighter one for the
#: better one.
UNEQUAL = 0.3
#: dB of noise from which the widths of edges are not held against each other.
APART = 6.0
#: Share by which the widths of edges differ that is told (they are read without their errors).
WIDER = 0.15
HERE, SPOTS = "here", "at the judging spots"
_EVEN_SPOT = "at the even spot"
ALIKE, NOTHING = "No difference that one could see", "Nothing to compare yet."
_FEWEST = 2


@dataclass(frozen=True)
class Pair:
    """One picture against the reference.

    Attributes
    ----------
    noise : dB by which it is cleaner, None where no noise is told; 0 when that is alike.
    detail : how much sharper it is, as a share (0: alike); None where none is told.
    kept, mtf50, edges : what tells that: its texture kept; both MTF50 (own, the reference's); or how wide the
        edges of both are, in pixels.
    colour : ΔE2000; None where not told. range : EV of dynamic range more, 0 when alike.
    light : EV brighter. elsewhere : was its noise read at the even spot, and not at the place?
    """

    noise: float | None
    detail: float | None
    kept: float | None
    mtf50: tuple[float, float] | None
    edges: tuple[float, float] | None
    colour: float | None
    range: float | None
    light: float | None
    elsewhere: bool = False

    @property
    def is_told(self) -> bool:
        """Is there anything to judge by?"""
        return self.noise is not None or self.detail is not None

    @property
    def blurred(self) -> int:
        """1 when the picture is cleaner because it is blurred, −1 when the reference is; else 0."""
        if not self.noise or not self.detail or (self.noise > 0) == (self.detail > 0):
            return 0
        share = 1 + self.detail if self.detail < 0 else 1 / (1 + self.detail)
        return 0 if share >= BLURRED else 1 if self.noise > 0 else -1

    @property
    def better(self) -> int:
        """1 when the picture is better in one respect and no worse in another, −1 when the reference is, 0
        when they are alike or each has something for it."""
        signs = {math.copysign(1, value) for value in (self.noise, self.detail) if value}
        return int(signs.pop()) if len(signs) == 1 else 0

    @property
    def alike(self) -> bool:
        """Can nobody see a difference?"""
        seen = self.noise or self.detail or self.range
        return self.noise is not None and not seen and (self.colour or 0.0) <= UNSEEN_DELTA_E


@dataclass(frozen=True)
class Verdict:
    """What the figures say.

    Attributes
    ----------
    words : one or two sentences. pairs : by picture; None for the reference and for those not compared.
    unequal : does their brightness differ so much that it should be made equal first?
    """

    words: str
    pairs: tuple[Pair | None, ...] = ()
    unequal: bool = False


def _seen(figure: Figure | None) -> float | None:
    """A difference that is one; 0 when it is alike."""
    if figure is None or figure.difference is None:
        return None
    return 0.0 if figure.alike else figure.difference


def pair_of(told: SideBySide, picture: int) -> Pair | None:
    """One picture against the reference; None where it is not compared with it."""
    light = told.figure("light", picture)
    if picture == told.reference or light is None or light.difference is None:
        return None
    noise = told.figure("noise", picture)
    noise = None if noise is not None and noise.expected else noise
    elsewhere = noise is None and bool(told.even)
    if elsewhere:
        noise = told.even[picture]
    texture, edge = told.figure("texture", picture), told.figure("mtf50", picture)
    first, wide = told.figure("mtf50", told.reference), told.figure("edges", told.reference)
    own_wide = told.figure("edges", picture)
    colour = told.figure("colours", picture)
    kept = texture.value if texture is not None and texture.difference is not None else None
    # noise makes edges seem narrow: of pictures far apart in it their widths tell nothing
    not_apart = noise is None or noise.difference is None or abs(noise.difference) < APART
    both = widths = None
    detail = None
    if edge is not None and first is not None and edge.value and first.value:
        both = edge.value, first.value
        detail = 0.0 if edge.alike else edge.value / first.value - 1
    elif kept is not None and texture is not None:
        detail = 0.0 if texture.alike else kept - 1
    elif not_apart and own_wide is not None and wide is not None and own_wide.value and wide.value:
        widths = own_wide.value, wide.value
        detail = 0.0 if abs(widths[1] / widths[0] - 1) < WIDER else widths[1] / widths[0] - 1
    return Pair(
        _seen(noise), detail, kept, both, widths, None if colour is None else colour.value,
        _seen(told.figure("range", picture)), light.difference,
        elsewhere,
    )  # fmt: skip


def verdict(told: Sequence[SideBySide], names: Sequence[str], where: str = HERE) -> Verdict:
    """What the figures say.

    Parameters
    ----------
    told : the same pictures at one place or at several, against the same reference.
    names : of the pictures, as short as letters.
    where : in words.
    """
    if not told:
        return Verdict(NOTHING)
    reference = told[0].reference
    pairs = tuple(_over([pair_of(one, k) for one in told]) for k in range(len(names)))
    known = [k for k, pair in enumerate(pairs) if pair is not None]
    if not known:
        apart = any(
            one.figure("light", reference) is not None and one.figure("light", k) is not None
            for one in told
            for k in range(len(names))
            if k != reference
        )
        return Verdict(
            "These are not pictures of one scene: each is told by itself." if apart else NOTHING, pairs
        )
    unequal = any(abs(pair.light or 0.0) > UNEQUAL for pair in pairs if pair is not None)
    if not any(pair is not None and pair.is_told for pair in pairs):
        return Verdict(_untold(told), pairs, unequal)
    if len(known) == 1:
        k = known[0]
        pair = pairs[k]
        assert pair is not None
        return Verdict(_two(pair, names[reference], names[k], where), pairs, unequal)
    return Verdict(_several(pairs, names, reference, where), pairs, unequal)


def _untold(told: Sequence[SideBySide]) -> str:
    place = told[0].place
    what = "" if place is None else f" ({place.kind})"
    return f"Nothing can be judged here{what}: move the probe to an even place, an edge or fine texture."


def _over(pairs: Sequence[Pair | None]) -> Pair | None:
    """Pairs of several places as one: the mean of what is told at any of them."""
    there = [pair for pair in pairs if pair is not None]
    if len(there) < _FEWEST:
        return there[0] if there else None

    def mean(values: list[float | None]) -> float | None:
        known = [value for value in values if value is not None]
        return sum(known) / len(known) if known else None

    edges = [pair.mtf50 for pair in there if pair.mtf50 is not None]
    widths = [pair.edges for pair in there if pair.edges is not None]
    return Pair(
        mean([p.noise for p in there]), mean([p.detail for p in there]), mean([p.kept for p in there]),
        edges[0] if edges else None, widths[0] if widths else None, mean([p.colour for p in there]),
        there[0].range,
        mean([p.light for p in there]),
    )  # fmt: skip


def _detail(pair: Pair, first: str, own: str) -> tuple[str, str]:
    """The picture's detail: a clause that goes on about it, and a sentence about whoever has more."""
    if pair.detail is None:
        return "", ""
    better = own if pair.detail > 0 else first
    if pair.mtf50 is not None:
        one, two = pair.mtf50 if pair.detail > 0 else pair.mtf50[::-1]
        more = f"{better} is sharper (MTF50 {one:.2f} against {two:.2f} c/px)"
        return ("is as sharp" if pair.detail == 0 else ""), more
    if pair.kept is None and pair.edges is not None:
        one, two = pair.edges if pair.detail > 0 else pair.edges[::-1]
        more = f"{better} is sharper (edges {one:.1f} against {two:.1f} px)"
        return ("is as sharp" if pair.detail == 0 else ""), more
    kept = 1 + pair.detail if pair.kept is None else pair.kept
    return (
        f"keeps {kept * 100:.0f} % of {first}’s texture",
        f"{own} keeps {kept * 100:.0f} % of {first}’s texture",
    )


def _two(pair: Pair, first: str, own: str, where: str) -> str:
    """The sentence about two pictures."""
    if pair.alike:
        return f"{ALIKE} {where}."
    clause, sentence = _detail(pair, first, own)
    parts: list[str] = []
    if pair.noise:
        cleaner, other = (own, first) if pair.noise > 0 else (first, own)
        spot = _EVEN_SPOT if pair.elsewhere else where
        says = f"{cleaner} is {abs(pair.noise):.1f} dB cleaner {spot}"
        if pair.blurred:
            says += f", because it is blurred: {sentence}"
        elif cleaner == own and clause:
            says += f" and {clause}"
        elif pair.detail is not None and (pair.detail != 0 or cleaner == own):
            says += f"; {sentence}"
        elif pair.detail == 0:
            says += f" and as sharp as {other}"
        parts.append(says)
    elif pair.detail:
        parts.append(f"{sentence} {where}" + ("" if pair.noise is None else "; noise alike"))
    elif pair.noise is None:
        parts.append(f"{own} is as sharp as {first} {where}; noise is told at an even place")
    elif not pair.range:
        parts.append(f"{own} and {first} are alike {where} but for their colours")
    if pair.colour is not None:
        alike = pair.colour <= UNSEEN_DELTA_E
        parts.append("colours alike" if alike else f"colours differ by ΔE {pair.colour:.1f}")
    found = "; ".join(parts)
    if pair.range:
        wider = own if pair.range > 0 else first
        shadow = f"{wider} holds {abs(pair.range):.1f} EV more shadow"
        found = (
            f"{found}. {shadow}" if pair.noise or pair.detail else f"{shadow}{'; ' if found else ''}{found}"
        )
    return f"{found}."


def _several(pairs: Sequence[Pair | None], names: Sequence[str], reference: int, where: str) -> str:
    """The sentence about more than two, in the order of their noise and of their detail."""
    there = {k: pair for k, pair in enumerate(pairs) if pair is not None}
    if all(pair.alike for pair in there.values()):
        return f"{ALIKE} {where} among {', '.join(names[k] for k in sorted([reference, *there]))}."
    parts = []
    noise = {reference: 0.0} | {k: pair.noise for k, pair in there.items() if pair.noise is not None}
    if len(noise) > 1:
        spot = _EVEN_SPOT if any(pair.elsewhere for pair in there.values()) else where
        parts.append(_order(noise, names, f"cleanest {spot}", "{:.1f} dB"))
    detail = {reference: 0.0} | {k: pair.detail for k, pair in there.items() if pair.detail is not None}
    if len(detail) > 1:
        parts.append(_order(detail, names, "most detail", "{:.0%}"))
    blurred = [names[k] for k, pair in there.items() if pair.blurred > 0]
    if blurred:
        parts.append(f"{', '.join(blurred)} cleaner because blurred")
    coloured = [names[k] for k, pair in there.items() if (pair.colour or 0.0) > UNSEEN_DELTA_E]
    if coloured:
        parts.append(f"other colours: {', '.join(coloured)}")
    found = " · ".join(parts)
    return found[:1].upper() + found[1:] + "."


def _order(values: dict[int, float], names: Sequence[str], what: str, form: str) -> str:
    """``cleanest here: B, C −1.2 dB, A −9.2 dB``; who is alike stands with an equals sign."""
    order = sorted(values, key=lambda k: -values[k])
    best = values[order[0]]
    if all(value == best for value in values.values()):
        return f"{what}: all alike"
    groups: list[list[int]] = []
    for k in order:
        if groups and values[groups[-1][0]] == values[k]:
            groups[-1].append(k)
        else:
            groups.append([k])
    parts = []
    for group in groups:
        less = form.format(values[group[0]] - best).replace("-", "−").replace("%", " %")
        parts.append(" = ".join(names[k] for k in sorted(group)) + ("" if group is groups[0] else f" {less}"))
    return f"{what}: {', '.join(parts)}"
