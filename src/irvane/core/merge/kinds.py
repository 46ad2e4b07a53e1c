"""The kinds of merges: what they are called, and which frames they take. Read by the window, the commands and
the line."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class MergeKind:
    """A kind of merge.

    Attributes
    ----------
    words : on the button that chooses it. help : what it does. done : what was done, in a merge's name.
    of_light : does it need raw frames?
    """

    words: str
    help: str
    done: str
    of_light: bool


HDR, FUSION, JOIN, MEAN, PANORAMA = "hdr", "fusion", "join", "mean", "panorama"
KINDS = {
    HDR: MergeKind(
        "HDR",
        "Every pixel weighted by its noise: scene-linear light of all stops, toned afterwards. Raw frames.",
        "merged (HDR)",
        True,
    ),
    FUSION: MergeKind(
        "exposure fusion",
        "Each frame gives the detail it has; a finished picture, natural at once.",
        "exposure fusion",
        False,
    ),
    JOIN: MergeKind(
        "join halves",
        "The lights of short exposures and the shadows of long ones, along soft borders.",
        "halves joined",
        False,
    ),
    MEAN: MergeKind(
        "mean of a burst",
        "A burst of equal frames: noise falls with the root of their number.",
        "averaged",
        False,
    ),
    PANORAMA: MergeKind(
        "panorama",
        "Positions that overlap, in rows and columns; brackets among them are merged on the way. Raw frames.",
        "stitched",
        True,
    ),
}
