"""The settings of a proof: one frozen record per station, each value with unit, range, neutral value and help.

The declarations drive everything: the command line's ``--set``, the window's controls, the sidecar's JSON.
``None`` means *automatic*: the value follows from what is measured in the frame.
"""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from itertools import pairwise
from typing import Any

from irvane.core.errors import SettingError
from irvane.core.stations import (
    Acutance,
    Choice,
    Colour,
    Curve,
    Finish,
    Lens,
    Light,
    Noise,
    Number,
    Points,
    Sensor,
)

#: Version of the JSON form. Older forms are brought up to date by MIGRATIONS.
VERSION = 1


STATIONS: tuple[str, ...] = ("sensor", "lens", "noise", "light", "colour", "acutance", "finish")


@dataclass(frozen=True)
class Settings:
    """All settings of one proof."""

    sensor: Sensor = Sensor()
    lens: Lens = Lens()
    noise: Noise = Noise()
    light: Light = Light()
    colour: Colour = Colour()
    acutance: Acutance = Acutance()
    finish: Finish = Finish()

    def get(self, path: str) -> Any:
        """Value of a setting by its full name, ``station.name``."""
        station, name = split(path)
        return getattr(getattr(self, station), name)

    def with_value(self, path: str, value: Any) -> Settings:
        """A copy with one setting changed.

        Raises
        ------
        SettingError
            When the name is unknown or the value does not fit.
        """
        station, name = split(path)
        group = getattr(self, station)
        checked = check(path, value)
        return replace(self, **{station: replace(group, **{name: checked})})

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready form: every value, so that later defaults do not change an old proof."""
        return {
            "version": VERSION,
            **{station: dataclasses.asdict(getattr(self, station)) for station in STATIONS},
        }

    @staticmethod
    def from_dict(data: dict[str, Any]) -> Settings:
        """Read the JSON form; unknown names are refused, missing ones take their defaults.

        Raises
        ------
        SettingError
            When the form is newer than this program or a value does not fit.
        """
        if not isinstance(data, dict):
            raise SettingError("The settings are not a JSON object.")
        version = data.get("version", VERSION)
        if not isinstance(version, int) or version > VERSION:
            raise SettingError(f"The settings are of version {version}; this program reads up to {VERSION}.")
        settings = Settings()
        for station, values in data.items():
            if station == "version":
                continue
            if not isinstance(values, dict):
                raise SettingError(f"“{station}” is not a station with settings.")
            for name, value in values.items():
                settings = settings.with_value(f"{station}.{name}", value)
        return settings


def split(path: str) -> tuple[str, str]:
    """Station and name of ``station.name``; raises SettingError when there is no such setting."""
    station, _, name = path.partition(".")
    if name not in _SPECS.get(station, {}):
        raise SettingError(f"There is no setting called “{path}”.")
    return station, name


_SPECS: dict[str, dict[str, Number | Choice | Points]] = {
    station.name: {f.name: f.metadata["spec"] for f in fields(type(station.default))}  # type: ignore[arg-type]
    for station in fields(Settings)
}


def spec(path: str) -> Number | Choice | Points:
    """Declaration of a setting by its full name."""
    station, name = split(path)
    return _SPECS[station][name]


def names(station: str) -> list[str]:
    """Full names of a station's settings in the order they are shown."""
    return [f"{station}.{name}" for name in _SPECS[station]]


def default(path: str) -> Any:
    """The value a new proof has."""
    return Settings().get(path)


def check(path: str, value: Any) -> Any:
    """Check and convert a value (numbers may come as text; ``auto`` means automatic).

    Raises
    ------
    SettingError
        With a sentence that states the allowed values.
    """
    declared = spec(path)
    if isinstance(declared, Choice):
        allowed = [key for key, _ in declared.options]
        if value not in allowed:
            raise SettingError(f"“{path}” takes one of {', '.join(allowed)}, not “{value}”.")
        return value
    if isinstance(declared, Points):
        return _check_points(path, value, declared)
    if value is None or value == "auto":
        if declared.automatic:
            return None
        raise SettingError(f"“{path}” has no automatic value.")
    try:
        number = float(value)
    except (TypeError, ValueError):
        raise SettingError(f"“{path}” takes a number in {declared.unit}, not “{value}”.") from None
    if not math.isfinite(number) or not declared.low <= number <= declared.high:
        raise SettingError(
            f"“{path}” goes from {declared.low:g} to {declared.high:g} {declared.unit}; {value} is outside."
        )
    return number


def _check_points(path: str, value: Any, declared: Points) -> Curve:
    """Points as pairs, or as text: ``-4:-3.5, 0:0.5``; ``none`` is a straight line."""
    wanted = f"“{path}” takes up to {declared.most} points IN:OUT in EV, both rising"
    try:
        if isinstance(value, str):
            parts = [] if value.strip() in ("", "none") else value.split(",")
            value = [part.split(":") for part in parts]
        points = tuple((float(x), float(y)) for x, y in value)
    except (TypeError, ValueError):
        raise SettingError(f"{wanted}, not “{value}”.") from None
    numbers = [number for point in points for number in point]
    if not all(math.isfinite(n) and declared.low <= n <= declared.high for n in numbers):
        raise SettingError(f"{wanted}, from {declared.low:g} to {declared.high:g} {declared.unit}.")
    rising = all(a[0] < b[0] and a[1] <= b[1] for a, b in pairwise(points))
    if not rising or len(points) > declared.most:
        raise SettingError(f"{wanted}.")
    return points


def differences(a: Settings, b: Settings) -> list[str]:
    """Full names of the settings in which two proofs differ."""
    stations = (station for station in STATIONS if getattr(a, station) != getattr(b, station))
    return [path for station in stations for path in names(station) if a.get(path) != b.get(path)]


def handed_on(source: Settings, target: Settings, stations: Sequence[str]) -> Settings:
    """The target's settings with those of some stations taken from the source."""
    return replace(target, **{station: getattr(source, station) for station in stations})


def value_text(path: str, value: Any) -> str:
    """A value as it is shown, with sign and unit: ``+1.70 EV``, ``automatic``, ``4500 K``."""
    declared = spec(path)
    if isinstance(declared, Choice):
        return dict(declared.options)[value]
    if isinstance(declared, Points):
        return "straight" if not value else f"{len(value)} point{'s' if len(value) > 1 else ''}"
    if value is None:
        return "automatic"
    signed = declared.low < 0
    text = f"{value:+.{declared.decimals}f}" if signed and value else f"{value:.{declared.decimals}f}"
    return f"{text} {declared.unit}".replace("-", "−")


#: Groups without which the names of their settings say little.
_TELLING_GROUPS = (
    "Curves",
    "Local contrast",
    "Over brightness",
    "Over scale",
    "Per channel",
    "By hue",
    "Scale",
)


def full_label(path: str) -> str:
    """Name of a setting that can stand alone: ``Exposure``, ``Local contrast: small``."""
    declared = spec(path)
    telling = declared.group in _TELLING_GROUPS
    return f"{declared.group}: {declared.label.lower()}" if telling else declared.label


#: Quick grades of noise removal: values of the settings they stand for.
GRADES: dict[str, dict[str, float | None]] = {
    "gentle": {"noise.amount": None, "noise.luminance": 65.0, "noise.colour": 95.0, "noise.texture": 40.0},
    "even": {"noise.amount": None, "noise.luminance": 100.0, "noise.colour": 100.0, "noise.texture": 0.0},
    "firm": {"noise.amount": 135.0, "noise.luminance": 100.0, "noise.colour": 100.0, "noise.texture": 0.0},
}


def bare() -> Settings:
    """An untouched proof without any automatic."""
    return replace(
        Settings(), sensor=Sensor(defects="off", banding="off", highlights="clip"), noise=Noise(amount=0)
    )
