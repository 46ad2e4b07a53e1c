"""What commands share: settings from options, sentences, inputs that fail one by one."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irvane.core.errors import FileError, IrvaneError, SettingError

if TYPE_CHECKING:
    from irvane.core.files.presets import Preset
    from irvane.core.settings import Settings

DONE, SOME_FAILED, USAGE = 0, 1, 2


def settings_options(parser: argparse.ArgumentParser) -> None:
    """Add the options that settings come from."""
    parser.add_argument("--settings", type=Path, metavar="S.json", help="settings of a proof")
    parser.add_argument("--preset", metavar="NAME|FILE", help="a preset, by name or as a file")
    parser.add_argument("--set", action="append", default=[], metavar="STATION.NAME=VALUE", dest="sets")
    parser.add_argument(
        "--renewed", action="store_true", help="with the newest methods, not those that the settings name"
    )
    parser.add_argument(
        "--toned",
        action="store_true",
        help="float files (.exr, .hdr, TIFF of 32 bits) with tone instead of plain light",
    )
    parser.add_argument("--denoise", default=None, metavar="off|auto|0-200")
    parser.add_argument("--denoise-method", default=None, choices=("best", "fast"))


class UsageError(Exception):
    """The command was called wrongly; its sentence says how."""


def read_settings(args: argparse.Namespace, base: Settings) -> Settings:
    """Settings from the options, on top of others; raises UsageError."""
    from irvane.core.files.settings_file import read_settings_file
    from irvane.core.settings import damaged_regions, renewed

    settings = base
    try:
        if args.settings is not None:
            settings = read_settings_file(args.settings)
        if args.preset is not None:
            settings = _preset(args.preset).applied(settings)
        for text in args.sets:
            path, equals, value = text.partition("=")
            if not equals:
                raise SettingError(f"“{text}” is not of the form STATION.NAME=VALUE.")
            settings = settings.with_value(path.strip(), value.strip())
        if args.toned:
            settings = settings.with_value("finish.tone", "toned")
        if args.denoise is not None:
            word = {"off": "0"}.get(args.denoise, args.denoise)
            settings = settings.with_value("noise.amount", word)
        if args.denoise_method is not None:
            settings = settings.with_value("noise.method", args.denoise_method)
        if args.renewed:
            settings = renewed(settings)
        _check_profile(settings.lens.profile)
        for sentence in damaged_regions(settings):
            print(f"irvane: {sentence}", file=sys.stderr)
    except (SettingError, FileError) as error:
        raise UsageError(str(error)) from error
    return settings


def _check_profile(name: str) -> None:
    """Refuse the name of a lens that the database does not know."""
    if name in ("auto", "off"):
        return
    from difflib import get_close_matches

    from irvane.core.lens.profile import all_profiles

    known = all_profiles()
    if name not in known:
        alike = get_close_matches(name, known, 3, 0.5)
        hint = f"; there are {', '.join(alike)}" if alike else ""
        raise SettingError(f"The lens database has no “{name}”{hint}.")


def _preset(wanted: str) -> Preset:
    from irvane.core.files.presets import list_presets, presets_folder, read_preset

    found, _ = list_presets(presets_folder())
    named = next((preset for preset in found if preset.name.casefold() == wanted.casefold()), None)
    try:
        return named or read_preset(Path(wanted))
    except FileError as error:
        if error.path.exists():
            raise UsageError(str(error)) from error
        names = ", ".join(preset.name for preset in found)
        raise UsageError(f"{error.path}: there is no such preset; there are {names}") from error


def keep_to_threads() -> None:
    """Compute on no more cores than the preferences say, in this process; before anything that computes is
    imported."""
    from irvane.core.files.preferences import preferences

    wished, cores = preferences().threads, sorted(os.sched_getaffinity(0))
    if wished is not None and wished < len(cores):
        os.sched_setaffinity(0, cores[:wished])


def say(error: IrvaneError) -> None:
    """One line on the error stream."""
    _print(_line(error))


def _line(error: IrvaneError) -> str:
    return str(error).replace("\n", " ")


def _print(text: str) -> None:
    print(f"irvane: {text}", file=sys.stderr)


def guarded(path: Path, work: Callable[[], Any], tell: Callable[[str], object] = _print) -> bool:
    """Do one input's work; on failure tell one line with the file's name and return False."""
    try:
        work()
    except IrvaneError as error:
        tell(_line(error if isinstance(error, FileError) else FileError(path, str(error))))
        return False
    except MemoryError:
        tell(_line(FileError(path, "there is not enough memory for this picture")))
        return False
    except Exception as error:  # one damaged file must not stop the others
        tell(_line(FileError(path, f"an unexpected fault ({type(error).__name__}: {error})")))
        return False
    return True


def expand(paths: Sequence[Path]) -> tuple[list[Path], bool]:
    """Folders become their pictures; other paths stay, so that each can fail with its own sentence."""
    from irvane.core.files.collecting import collect

    out: list[Path] = []
    failed = False
    for path in paths:
        if not path.is_dir():
            out.append(path)
            continue
        inside, problems = collect([path])
        out += inside
        for problem in problems:
            print(f"irvane: {problem}", file=sys.stderr)
            failed = True
    return out, failed


def append(found: list[Any], look: Callable[[Path], Any], path: Path) -> None:
    """Put what is found of a file to the rest."""
    found.append(look(path))
