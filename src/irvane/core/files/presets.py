"""Presets: settings of some stations under a name, as JSON files in the user's data folder, and a few that
are shipped."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from irvane.core.errors import ReadError, SettingError, WriteError, plain_text
from irvane.core.files.boundary import reading
from irvane.core.regions.region import as_json as region_json
from irvane.core.settings import PARTS, REGIONS, STATIONS, Settings, as_json, copied_settings, part_names
from irvane.core.store.atomic import atomic_file, make_folder, safe_name, write_reason
from irvane.core.store.json_text import json_text
from irvane.core.store.small import read_small

FORMAT, VERSION = "irvane-preset", 1
_STARTING = "new-frames.txt"
ENDING = ".preset.json"
#: Presets are some kilobytes; painted regions more.
_LARGEST = 16_000_000


@dataclass(frozen=True)
class Preset:
    """Settings of some stations.

    Attributes
    ----------
    stations : of STATIONS, or PARTS of them.
    path : its file; None for those that are shipped.
    """

    name: str
    stations: tuple[str, ...]
    settings: Settings
    path: Path | None = None

    def applied(self, settings: Settings) -> Settings:
        """These settings with those of the preset's stations."""
        return copied_settings(self.settings, settings, self.stations)


def _shipped(name: str, values: dict[str, object]) -> Preset:
    settings = Settings().with_values(values)
    whole = next((part for part, paths in PARTS.items() if set(values) <= set(paths)), None)
    stations = tuple(s for s in STATIONS if any(path.startswith(s + ".") for path in values))
    return Preset(name, stations if whole is None else (whole,), settings)


SHIPPED = (
    _shipped("Night, grain kept", {"noise.texture": 25, "noise.luminance": 85, "noise.clear_black": 60}),
    _shipped("Into the light", {"light.shadows": 2.0, "light.highlights": -1.5, "light.midtones": 0.3}),
    _shipped("Quiet colours", {"colour.saturation": 85, "colour.pale": -20, "light.contrast": -10}),
    _shipped("Vivid", {"colour.saturation": 108, "colour.pale": 35, "light.contrast": 18}),
    _shipped("Flat", {"colour.saturation": 92, "light.contrast": -35, "light.white": 1.5}),
    _shipped("Crisp", {"acutance.fine": 45, "acutance.medium": 20, "acutance.coarse": 20}),
    _shipped(
        "Many stops, restrained", {"light.tone_map": "local", "light.tone_strength": 60, "light.black": 0.8}
    ),
    _shipped(
        "Many stops, like a print",
        {"light.tone_map": "photographic", "light.tone_key": -1.2, "light.local_large": 10},
    ),
    _shipped("Many stops, even", {"light.tone_map": "local", "light.tone_strength": 100, "light.black": 0.5}),
    _shipped(
        "Many stops, bold",
        {
            "light.tone_map": "local",
            "light.local_large": 25,
            "light.local_small": 15,
            "light.contrast": 12,
        },
    ),
    _shipped("Grey", {"colour.saturation": 0, "light.contrast": 10}),
)


def presets_folder() -> Path:
    """Where the user's own presets are."""
    return platformdirs.user_data_path("irvane") / "presets"


def read_preset(path: Path) -> Preset:
    """Read a preset.

    Raises
    ------
    ReadError
        When it is missing, no preset, or of a newer form.
    """
    text = read_small(path, _LARGEST, "a preset")
    if text is None:
        raise ReadError(path, "the file is not there")
    with reading(path, "it is not a preset"):
        data = json.loads(text.decode("utf-8"))
        if not isinstance(data, dict) or data.get("format") != FORMAT:
            raise ReadError(path, "it is not a preset")
        if not isinstance(data.get("version"), int) or data["version"] > VERSION:
            raise ReadError(path, "it was made by a newer version of the program")
        stations = tuple(s for s in (*STATIONS, *PARTS) if s in data.get("stations", ()))
        try:
            settings = Settings.from_dict(data.get("settings", {}))
        except SettingError as error:
            raise ReadError(path, str(error).rstrip(".")) from error
    if not stations:
        raise ReadError(path, "it holds no station")
    return Preset(
        plain_text(str(data.get("name") or path.name.removesuffix(ENDING)), 80), stations, settings, path
    )


def list_presets(folder: Path) -> tuple[list[Preset], list[str]]:
    """Shipped ones first, then those in a folder by name; and sentences about files that cannot be read."""
    own, problems = [], []
    for path in sorted(folder.glob(f"*{ENDING}")):
        try:
            own.append(read_preset(path))
        except ReadError as error:
            problems.append(str(error))
    return [*SHIPPED, *sorted(own, key=lambda p: p.name.casefold())], problems


def save_preset(folder: Path, name: str, settings: Settings, stations: Sequence[str]) -> Preset:
    """Save a preset of that name; nothing is overwritten.

    Raises
    ------
    WriteError
        When the name is empty or taken, or the folder cannot be written.
    """
    safe = safe_name(name)
    path = folder / f"{safe}{ENDING}"
    if not safe:
        raise WriteError(path, "a preset needs a name")
    make_folder(folder)
    kept = as_json({path: settings.get(path) for part in stations for path in part_names(part)})
    if REGIONS in stations:
        kept["regions"] = [region_json(one) for one in settings.regions]
    data = {"format": FORMAT, "version": VERSION, "name": name, "stations": list(stations), "settings": kept}
    with atomic_file(path, overwrite=False) as temporary:
        temporary.write_text(json_text(data) + "\n", "utf-8")
    return read_preset(path)


def starting(folder: Path) -> Preset | None:
    """The preset that frames without proofs start with, if one was chosen and is still there."""
    try:
        name = (read_small(folder / _STARTING, _LARGEST) or b"").decode("utf-8").strip()
    except (ReadError, UnicodeDecodeError):
        return None
    return next((preset for preset in list_presets(folder)[0] if preset.name == name), None)


def set_starting(folder: Path, name: str) -> None:
    """Choose the preset that frames without proofs start with; an empty name chooses none.

    Raises
    ------
    WriteError
        When the folder cannot be written.
    """
    make_folder(folder)
    with atomic_file(folder / _STARTING) as temporary:
        temporary.write_text(name + "\n", "utf-8")


def set_aside(preset: Preset) -> Path:
    """Take a preset of one's own out of the list: its file goes into a folder beside, under a name that is
    free there.

    Raises
    ------
    WriteError
        When it cannot be moved.
    """
    assert preset.path is not None
    folder = preset.path.parent / "removed"
    try:
        folder.mkdir(exist_ok=True)
        stem = preset.path.name.removesuffix(ENDING)
        names = (f"{stem}{f' {k}' if k else ''}{ENDING}" for k in range(10_000))
        target = next(folder / name for name in names if not (folder / name).exists())
        return preset.path.rename(target)
    except OSError as error:
        raise WriteError(preset.path, write_reason(error)) from error
