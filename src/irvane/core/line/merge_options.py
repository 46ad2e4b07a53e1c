"""How frames are merged: what the user chooses, as it is kept in journals and sidecars."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import asdict, dataclass
from typing import Any

from irvane.core.errors import SettingError
from irvane.core.line.steps import DENOISED, read_by
from irvane.core.merge.kinds import HDR, KINDS
from irvane.core.merge.layout import PROJECTIONS
from irvane.core.merge.panorama import CROPS
from irvane.core.settings import Settings, default, newest_methods

#: Settings that a fresh merge starts from: lamp, room and sky all readable, and black where it was.
MERGE_START = {"light.tone_map": "local", "light.black": 0.5}

#: The same place in two positions: name of a file, x, y (shares of width and height), and again.
Pair = tuple[str, float, float, str, float, float]


@dataclass(frozen=True)
class MergeOptions:
    """How frames are merged.

    Attributes
    ----------
    kind : of KINDS. ghosts : strength of the search for movement, 0…100.
    reference : name of the file whose geometry and moving things are kept; empty: the middle exposure.
    aligns : False: the frames are taken for standing still.
    projection, crop : of a panorama, see :mod:`irvane.core.merge.panorama`.
    places : chosen by hand: x, y (shares of width and height), radius (share of the width), and the name of
        the file that each is taken from.
    own : by names of files, settings of the stations Sensor and Noise that frames are made with before they
        are merged.
    points : pairs of places of a panorama that were set by hand: name, x, y (shares of width and height), and
        again.
    """

    kind: str = HDR
    ghosts: float = 50.0
    reference: str = ""
    aligns: bool = True
    projection: str = "auto"
    crop: str = "fill"
    places: tuple[tuple[float, float, float, str], ...] = ()
    own: tuple[tuple[str, tuple[tuple[str, Any], ...]], ...] = ()
    points: tuple[Pair, ...] = ()

    def as_dict(self) -> dict[str, Any]:
        """For journals and sidecars."""
        return {
            key: value
            for key, value in asdict(self).items()
            if key not in ("places", "own", "points") or value
        }

    def settings_of(self, name: str) -> Settings:
        """What a frame is made with before it is merged."""
        return Settings().with_values(dict(dict(self.own).get(name, ())))

    @staticmethod
    def from_dict(data: Any) -> MergeOptions:
        """From what :meth:`as_dict` made; what does not fit counts as not said."""
        found = data if isinstance(data, dict) else {}
        plain = MergeOptions()
        kind, ghosts = found.get("kind"), found.get("ghosts")
        good = isinstance(ghosts, int | float) and not isinstance(ghosts, bool) and 0 <= ghosts <= 100
        return MergeOptions(
            kind if kind in KINDS else plain.kind,
            float(ghosts) if good else plain.ghosts,  # type: ignore[arg-type]
            str(found.get("reference") or ""),
            found.get("aligns") is not False,
            found["projection"] if found.get("projection") in PROJECTIONS else plain.projection,
            found["crop"] if found.get("crop") in CROPS else plain.crop,
            _places(found.get("places")),
            _own(found.get("own")),
            _pairs(found.get("points")),
        )


def _places(data: Any) -> tuple[tuple[float, float, float, str], ...]:
    """Places of a dictionary; what is none is passed over."""
    made = []
    for one in data if isinstance(data, list | tuple) else ():
        if isinstance(one, list | tuple) and len(one) == 4 and isinstance(one[3], str):
            numbers = [
                v for v in one[:3] if isinstance(v, int | float) and not isinstance(v, bool) and 0 <= v <= 1
            ]
            if len(numbers) == 3:
                made.append((float(numbers[0]), float(numbers[1]), float(numbers[2]), one[3]))
    return tuple(made)


def _share(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value <= 1:
        raise ValueError
    return float(value)


def _pairs(data: Any) -> tuple[Pair, ...]:
    """Pairs of places of a dictionary; what is none is passed over."""
    made: list[Pair] = []
    for one in data if isinstance(data, list | tuple) else ():
        with suppress(TypeError, ValueError):
            a, ax, ay, b, bx, by = one
            made.append((str(a), _share(ax), _share(ay), str(b), _share(bx), _share(by)))
    return tuple(made)


def _own(data: Any) -> tuple[tuple[str, tuple[tuple[str, Any], ...]], ...]:
    """Settings of frames of a dictionary; what is none is passed over."""
    made = []
    for one in data if isinstance(data, list | tuple) else ():
        with suppress(SettingError, TypeError, ValueError):
            name, values = one
            made.append((str(name), before_merging(Settings().with_values({str(k): v for k, v in values}))))
    return tuple(made)


def before_merging(settings: Settings) -> tuple[tuple[str, Any], ...]:
    """Of a frame's settings, those that act before it is merged and are not as in a new frame."""
    methods = newest_methods()
    return tuple(
        (path, settings.get(path))
        for path in read_by(DENOISED)
        if settings.get(path) != methods.get(path, default(path))
    )
