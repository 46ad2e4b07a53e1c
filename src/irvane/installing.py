"""Irvane among the programs of this user: desktop entry, icon, AppStream file. Never system-wide, never the
default handler."""

from __future__ import annotations

import shutil
import subprocess
import sys
from contextlib import suppress
from importlib import resources
from pathlib import Path

from irvane.core.errors import WriteError
from irvane.core.files.formats import MIME
from irvane.core.store.atomic import atomic_file, make_folder

#: Name of the files, after the rule of the Desktop Entry Specification (a reversed domain that is ours by the
#: program's name).
ID = "irvane"


def data_home() -> Path:
    """The user's data folder (XDG Base Directory Specification)."""
    import os

    told = os.environ.get("XDG_DATA_HOME", "")
    return Path(told) if told.startswith("/") else Path.home() / ".local" / "share"


def program() -> Path:
    """The command that starts this installation."""
    return Path(sys.executable).parent / "irvane"


def quoted(word: str) -> str:
    """A word of an Exec line, quoted as the Desktop Entry Specification asks."""
    for sign in ("\\", '"', "`", "$"):
        word = word.replace(sign, "\\" + sign)
    # the value is a string itself, in which a backslash is written twice
    return '"' + word.replace("%", "%%").replace("\\", "\\\\") + '"'


def desktop_entry(started_by: str) -> str:
    """The desktop entry of a program that is started by this command or path."""
    command = quoted(started_by)
    return f"""[Desktop Entry]
Type=Application
Version=1.5
Name=Irvane
GenericName=Raw developer
Comment=Develop raw photographs and judge noise, detail and range side by side
Exec={command} open %F
TryExec={started_by}
Icon={ID}
Terminal=false
Categories=Graphics;Photography;
MimeType={";".join(MIME)};
StartupWMClass=irvane
Actions=develop;

[Desktop Action develop]
Name=Develop with Irvane
Exec={command} queue add --proofs --run %F
"""


def _appstream() -> str:
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<component type="desktop-application">
  <id>{ID}</id>
  <name>Irvane</name>
  <summary>Develop raw photographs and judge the result</summary>
  <metadata_license>CC0-1.0</metadata_license>
  <project_license>GPL-3.0-or-later</project_license>
  <description>
    <p>Two to six developments stand side by side, at the same zoom and place, each with its measured noise,
    detail and
    range. Denoising, lens corrections, recovery of shadows and highlights, merging of brackets; all on this
    machine.</p>
  </description>
  <launchable type="desktop-id">{ID}.desktop</launchable>
  <content_rating type="oars-1.1"/>
</component>
"""


def _places(home: Path) -> dict[Path, bytes]:
    icon = resources.files("irvane.desktop").joinpath("icons/irvane.svg").read_bytes()
    return {
        home / "applications" / f"{ID}.desktop": desktop_entry(str(program())).encode(),
        home / "icons" / "hicolor" / "scalable" / "apps" / f"{ID}.svg": icon,
        home / "metainfo" / f"{ID}.metainfo.xml": _appstream().encode(),
    }


def install() -> list[Path]:
    """Write the files; returns them.

    Raises
    ------
    WriteError
    """
    written = []
    for path, data in _places(data_home()).items():
        make_folder(path.parent)
        with atomic_file(path) as temporary:
            temporary.write_bytes(data)
        written.append(path)
    _tell_desktop()
    return written


def uninstall() -> list[Path]:
    """Remove the files; returns those that were there.

    Raises
    ------
    WriteError
    """
    gone = []
    for path in _places(data_home()):
        try:
            path.unlink()
        except FileNotFoundError:
            continue
        except OSError as error:
            raise WriteError(path, f"it cannot be removed ({error.strerror})") from error
        gone.append(path)
    _tell_desktop()
    return gone


def _tell_desktop() -> None:
    """Let the desktop read its entries anew, where it has a command for that."""
    command = shutil.which("update-desktop-database")
    if command is not None:
        with suppress(OSError, subprocess.SubprocessError):
            subprocess.run(
                [command, str(data_home() / "applications")], capture_output=True, timeout=20, check=False
            )
