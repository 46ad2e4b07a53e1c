"""The settings of a proof: one frozen record per station, each value with unit, range, neutral value and
help.

The declarations drive everything: the command line's ``--set``, the window's controls, the sidecar's JSON.
``None`` means *automatic*: the value follows from what is measured in the frame. Beside its settings a
station names the methods that its steps run (``sensor.banding_by``): a proof keeps those that it was made
with, whatever comes after them.

In JSON, settings are values by their full names, as many or as few as are meant; those of a whole proof name
all.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

from irvane.core.acutance_station import Acutance
from irvane.core.checking import check_crop, check_path, check_points
from irvane.core.declaring import Choice, Cropping, Method, Name, Number, Points, Trail
from irvane.core.errors import NewerSettingError, SettingError
from irvane.core.regions.region import ALLOWED, MOST, LocalRegion, changed
from irvane.core.regions.region import as_json as region_json
from irvane.core.regions.region import from_json as region_from_json
from irvane.core.stations import Colour, Finish, Lens, Light, Noise, Sensor

#: Version of the JSON form. Older forms are brought up to date by MIGRATIONS.
VERSION = 3
Spec = Number | Choice | Points | Method | Name | Cropping | Trail


#: Longest name.
_LONGEST_NAME = 200


STATIONS: tuple[str, ...] = ("sensor", "lens", "noise", "light", "colour", "acutance", "finish")


@dataclass(frozen=True)
class Settings:
    """All settings of one proof: its stations, and regions with changes of their own, in order."""

    sensor: Sensor = Sensor()
    lens: Lens = Lens()
    noise: Noise = Noise()
    light: Light = Light()
    colour: Colour = Colour()
    acutance: Acutance = Acutance()
    finish: Finish = Finish()
    regions: tuple[LocalRegion, ...] = ()

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

    def with_values(self, values: Mapping[str, Any]) -> Settings:
        """A copy with some settings changed, by their full names; raises SettingError as :meth:`with_value`
        does."""
        settings = self
        for path, value in values.items():
            settings = settings.with_value(path, value)
        return settings

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready form: every value and method, so that later defaults do not change an old proof."""
        made = as_json({path: self.get(path) for station in STATIONS for path in _SPECS_OF[station]})
        return made | ({"regions": [region_json(one) for one in self.regions]} if self.regions else {})

    @staticmethod
    def from_dict(data: dict[str, Any]) -> Settings:
        """Read the JSON form; unknown names are refused, missing ones take their defaults.

        Raises
        ------
        SettingError
            When the form is newer than this program or a value does not fit.
        """
        return Settings().with_values(values_of(data)).with_regions(regions_of(data))

    def with_regions(self, regions: Sequence[LocalRegion]) -> Settings:
        """A copy with other regions."""
        return replace(self, regions=tuple(regions))

    def in_region(self, region: LocalRegion) -> Settings:
        """The frame's settings as a region has them, without regions; automatic numbers must be there."""
        values = {}
        for path, change in region.changes:
            now = self.get(path)
            declared = spec(path)
            assert isinstance(declared, Choice | Number)
            base = declared.neutral if now is None and isinstance(declared, Number) else now
            values[path] = changed(base, change, declared)
        return replace(self.with_values(values), regions=())


def regions_of(data: Any) -> tuple[LocalRegion, ...]:
    """The regions of the JSON form of settings; one that is damaged is kept and does nothing."""
    found = data.get("regions", []) if isinstance(data, dict) else []
    found = found if isinstance(found, list) else [found]
    declared = {path: spec(path) for path in ALLOWED}
    return tuple(region_from_json(one, declared)[0] for one in found[:MOST])


def damaged_regions(settings: Settings) -> list[str]:
    """A sentence for each region of a proof that is damaged."""
    declared = {path: spec(path) for path in ALLOWED}
    return [region_from_json(json.loads(one.damaged), declared)[1] for one in settings.regions if one.damaged]


def as_json(values: Mapping[str, Any]) -> dict[str, Any]:
    """JSON-ready form of some settings by their full names."""
    return {"version": VERSION, "values": dict(values)}


def values_of(data: Any) -> dict[str, Any]:
    """Settings by their full names from JSON of this form or of an older one.

    Without a version, as written by hand, values may also stand in groups by station.

    Raises
    ------
    SettingError
        When it is no such form, or newer than this program.
    """
    if not isinstance(data, dict):
        raise SettingError("The settings are not a JSON object.")
    version = data.get("version", 0)
    if isinstance(version, bool) or not isinstance(version, int) or not 0 <= version <= VERSION:
        raise NewerSettingError(f"The settings are of version {version}; this program reads up to {VERSION}.")
    while version < VERSION:
        data = MIGRATIONS[version](data)
        version = max(version + 1, data["version"])
    values = data.get("values", {})
    if not isinstance(values, dict):
        raise SettingError("The settings are not values by their names.")
    return values


def _by_full_names(data: dict[str, Any]) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for station, group in data.items():
        if station == "version":
            continue
        if not isinstance(group, dict):
            raise SettingError(f"“{station}” is not a station with settings.")
        values |= {f"{station}.{name}": value for name, value in group.items()}
    return {"version": 2, "values": values}


def _handwritten(data: dict[str, Any]) -> dict[str, Any]:
    """No version: the present form, or groups by station; the methods are the newest."""
    if "values" in data:
        return {**data, "version": VERSION}
    made = _by_full_names(data)
    return {"version": VERSION, "values": {**newest_methods(), **made["values"]}}


def _from_groups(data: dict[str, Any]) -> dict[str, Any]:
    """Version 1: groups by station; the methods were the first that were released."""
    made = _by_full_names(data)
    first = {path: declared.names[0] for path, declared in _methods().items()}
    return {**made, "values": {**first, **made["values"]}}


def _without_profiles(data: dict[str, Any]) -> dict[str, Any]:
    """Version 2: a whole proof (it names its methods) was made without profile and measured aberration, and
    stays so."""
    values = data.get("values")
    if data.get("version") != 2 or not isinstance(values, dict) or "sensor.banding_by" not in values:
        return {**data, "version": 3}
    return {"version": 3, "values": {"lens.profile": "off", "lens.aberration": "off", **values}}


#: By a version: what makes of it the form of the next one (0: written by hand).
MIGRATIONS = (_handwritten, _from_groups, _without_profiles)


def split(path: str) -> tuple[str, str]:
    """Station and name of ``station.name``; raises SettingError when there is no such setting."""
    station, _, name = path.partition(".")
    if name not in _SPECS.get(station, {}):
        raise NewerSettingError(f"There is no setting called “{path}”.")
    return station, name


_SPECS: dict[str, dict[str, Spec]] = {
    station.name: {f.name: f.metadata["spec"] for f in fields(type(station.default))}  # type: ignore[arg-type]
    for station in fields(Settings)
    if station.name in STATIONS
}
_SPECS_OF = {station: [f"{station}.{name}" for name in declared] for station, declared in _SPECS.items()}


def spec(path: str) -> Spec:
    """Declaration of a setting by its full name."""
    station, name = split(path)
    return _SPECS[station][name]


def names(station: str) -> list[str]:
    """Full names of a station's settings in the order they are shown; its methods are none."""
    return [path for path in _SPECS_OF[station] if not isinstance(spec(path), Method)]


def _methods() -> dict[str, Method]:
    found = {path: spec(path) for station in STATIONS for path in _SPECS_OF[station]}
    return {path: declared for path, declared in found.items() if isinstance(declared, Method)}


def newest_methods() -> dict[str, str]:
    """The methods of new proofs by their full names."""
    return {path: declared.names[-1] for path, declared in _methods().items()}


def older_methods(settings: Settings) -> list[str]:
    """Full names of the methods of a proof that newer ones have followed."""
    return [path for path, newest in newest_methods().items() if settings.get(path) != newest]


def renewed(settings: Settings) -> Settings:
    """The same settings made with the newest methods."""
    return settings.with_values(newest_methods())


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
        return check_points(path, value, declared)
    if isinstance(declared, Name):
        if (
            not isinstance(value, str)
            or not value.strip()
            or len(value) > _LONGEST_NAME
            or not value.isprintable()
        ):
            raise SettingError(f"“{path}” takes {', '.join(key for key, _ in declared.words)} or a name.")
        return value
    if isinstance(declared, Cropping):
        return check_crop(path, value)
    if isinstance(declared, Trail):
        return check_path(path, value, declared)
    if isinstance(declared, Method):
        if value not in declared.names:
            raise NewerSettingError(
                f"“{path}” is one of {', '.join(declared.names)}; “{value}” is not known here."
            )
        return value
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


def differences(a: Settings, b: Settings) -> list[str]:
    """Full names of the settings, and of the methods, in which two proofs differ."""
    stations = (station for station in STATIONS if getattr(a, station) != getattr(b, station))
    return [path for station in stations for path in _SPECS_OF[station] if a.get(path) != b.get(path)]


REGIONS = "regions"
#: Parts that can be copied by themselves: what of the picture is shown, how its range is fitted into it,
#: and the regions, in their places; those that are found anew (tones, hues, focus, subject) find the other
#: frame's own.
PARTS: dict[str, tuple[str, ...]] = {
    REGIONS: (),
    "crop": (
        "lens.straighten",
        "lens.vertical",
        "lens.horizontal",
        "lens.turn",
        "lens.mirror",
        "lens.crop",
        "lens.edges",
    ),
    "range": (
        "light.tone_map",
        "light.tone_strength",
        "light.tone_key",
        "light.local_large",
        "light.local_small",
        "light.contrast",
        "light.black",
    ),
}


def part_names(part: str) -> tuple[str, ...]:
    """Full names of the settings of a station, or of one of the PARTS."""
    return PARTS[part] if part in PARTS else tuple(names(part))


def copied_settings(source: Settings, target: Settings, parts: Sequence[str]) -> Settings:
    """The target's settings with those of some stations (or PARTS of them) taken from the source; the target
    keeps its methods."""
    paths = [path for part in parts for path in part_names(part)]
    made = target.with_values({path: source.get(path) for path in paths})
    return made.with_regions(source.regions) if REGIONS in parts else made


def value_text(path: str, value: Any) -> str:
    """A value as it is shown, with sign and unit: ``+1.70 EV``, ``automatic``, ``4500 K``."""
    declared = spec(path)
    if isinstance(declared, Choice):
        return dict(declared.options)[value]
    if isinstance(declared, Method):
        return str(value)
    if isinstance(declared, Name):
        return dict(declared.words).get(value, value)
    if isinstance(declared, Cropping):
        return "largest" if not value else "{2:.1f} × {3:.1f} % at {0:.1f}, {1:.1f}".format(*value)
    if isinstance(declared, Points):
        return "straight" if not value else f"{len(value)} point{'s' if len(value) > 1 else ''}"
    if isinstance(declared, Trail):
        return "straight line" if not value else f"{len(value)} points"
    if value is None:
        return "automatic"
    signed = declared.low < 0
    text = f"{value:+.{declared.decimals}f}" if signed and value else f"{value:.{declared.decimals}f}"
    return f"{text} {declared.unit}".replace("-", "−")


def full_label(path: str) -> str:
    """Name of a setting that can stand alone: ``Exposure``, ``Local contrast: small``."""
    declared = spec(path)
    if isinstance(declared, Method):
        return f"{declared.label}: method"
    group = declared.group
    return f"{group.label}: {declared.label.lower()}" if group.telling else declared.label


#: Quick grades of noise removal: values of the settings they stand for.
GRADES: dict[str, dict[str, float | None]] = {
    "gentle": {"noise.amount": None, "noise.luminance": 65.0, "noise.colour": 95.0, "noise.texture": 40.0},
    "even": {"noise.amount": None, "noise.luminance": 100.0, "noise.colour": 100.0, "noise.texture": 0.0},
    "firm": {"noise.amount": 135.0, "noise.luminance": 100.0, "noise.colour": 100.0, "noise.texture": 0.0},
}


def bare() -> Settings:
    """An untouched proof without any automatic."""
    return replace(
        Settings(),
        sensor=Sensor(defects="off", banding="off", highlights="clip"),
        lens=Lens(profile="off", aberration="off"),
        noise=Noise(amount=0),
        acutance=Acutance(automatic="off"),
    )
