"""What there is to say of a merge: what was left out, how far frames lay apart, what moved, and whether one
would have done."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irvane.core.errors import plain_text
from irvane.core.files.info import FrameInfo
from irvane.core.merge.ghosts import Ghosts
from irvane.core.merge.hdr import Single
from irvane.core.merge.planning import stepped_by
from irvane.core.merge.registration import Plan


def told_of_plan(
    how: Plan, names: Sequence[str], infos: Sequence[FrameInfo], shape: tuple[int, ...]
) -> list[str]:
    """How frames were brought together; `shape`: height and width of the reference."""
    used = how.used
    notes = [f"Left out: {plain_text(names[k])} {reason}." for k, reason in how.left_out]
    span = float(np.log2(max(how.ratios[k] for k in used) / min(how.ratios[k] for k in used)))
    over = f" over {span:.1f} EV" if span > 0.05 else ""
    notes.append(f"From {len(used)} frames{over}.")
    stepped = stepped_by([infos[k] for k in used])
    if stepped:
        notes.append(stepped)
    if how.estimated:
        notes.append(
            "The files do not say how they were exposed: the steps were estimated from the pictures."
        )
    furthest = max(how.motions[k].furthest(shape) for k in used)  # type: ignore[arg-type]
    notes.append(
        "No frame moved against the others."
        if furthest == 0
        else f"Largest shift between frames: {furthest:.1f} px."
    )
    if how.off > 1.0:
        notes.append(f"Some places still lie up to {how.off:.1f} px off: near things, or wind.")
    return notes


def told_of_movers(moved: Ghosts, names: Sequence[str]) -> list[str]:
    """From which frames things that moved are taken."""
    if moved.share <= 0.0005:
        return []
    shares = [(float((moved.source == k).mean()), plain_text(name)) for k, name in enumerate(names)]
    said = [(share, name) for share, name in sorted(shares, reverse=True) if share > 0.0005]
    if len(said) == 1:
        return [f"Movement in {moved.share:.1%} of the picture, taken from {said[0][1]}."]
    parts = ", ".join(f"{share:.1%} from {name}" for share, name in said)
    return [f"Movement in {moved.share:.1%} of the picture: {parts}."]


def told_of_single(single: Single, names: Sequence[str]) -> str:
    """Whether one frame would have done."""
    name = plain_text(names[single.index])
    lacks = [
        f"{stops:.1f} stops of the {what}"
        for stops, what in ((single.lights, "lights"), (single.shadows, "shadows"))
        if stops >= 0.3
    ]
    return f"{name} alone would do." if not lacks else f"{name} alone would lack {' and '.join(lacks)}."
