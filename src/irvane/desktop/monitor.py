"""Finding the profile of a screen: from colord, or from the property of the X server that the open standard
names.

``_ICC_PROFILE``, and ``_ICC_PROFILE_1`` … for further screens: "ICC Profiles in X", version 0.4
(freedesktop.org).
"""

from __future__ import annotations

import re
import shutil
import subprocess
from pathlib import Path

from PySide6.QtDBus import QDBusConnection, QDBusInterface, QDBusMessage
from PySide6.QtGui import QGuiApplication, QScreen

_SERVICE, _ROOT = "org.freedesktop.ColorManager", "/org/freedesktop/ColorManager"
#: Milliseconds that a service may take to answer, seconds likewise.
_PATIENCE, _SECONDS = 300, 2
_LIST = re.compile(r"=\s*([\d,\s]+)$")


def _property(path: str, interface: str, name: str) -> object:
    properties = QDBusInterface(
        _SERVICE, path, "org.freedesktop.DBus.Properties", QDBusConnection.systemBus()
    )
    properties.setTimeout(_PATIENCE)
    answer = properties.call("Get", f"{_SERVICE}.{interface}", name)
    if answer.type() != QDBusMessage.MessageType.ReplyMessage or not answer.arguments():
        return None
    value = answer.arguments()[0]
    return value.variant() if hasattr(value, "variant") else value


def _from_colord(screen: QScreen) -> Path | None:
    """The file of the profile that colord keeps for a screen."""
    bus = QDBusConnection.systemBus()
    if not bus.isConnected():
        return None
    manager = QDBusInterface(_SERVICE, _ROOT, _SERVICE, bus)
    if not manager.isValid():
        return None
    manager.setTimeout(_PATIENCE)
    answer = manager.call("FindDeviceByProperty", "XRANDR_name", screen.name())
    if answer.type() != QDBusMessage.MessageType.ReplyMessage or not answer.arguments():
        return None
    device = answer.arguments()[0]
    profiles = _property(device.path() if hasattr(device, "path") else str(device), "Device", "Profiles")
    for one in profiles if isinstance(profiles, list) else []:
        name = _property(one.path() if hasattr(one, "path") else str(one), "Profile", "Filename")
        if isinstance(name, str) and Path(name).is_file():
            return Path(name)
    return None


def parsed(printed: str) -> bytes:
    """The bytes of a property as ``xprop`` prints it; nothing when there is none."""
    found = _LIST.search(printed.strip())
    values = [int(word) for word in found.group(1).split(",")] if found else []
    return bytes(values) if all(0 <= value < 256 for value in values) else b""


def _from_x(number: int) -> bytes:
    """The profile that the X server has for its screen of a number."""
    program = shutil.which("xprop")
    if program is None or QGuiApplication.platformName() != "xcb":
        return b""
    name = f"_ICC_PROFILE_{number}" if number else "_ICC_PROFILE"
    try:
        told = subprocess.run(
            [program, "-root", "-len", "16000000", name],
            capture_output=True,
            text=True,
            timeout=_SECONDS,
            check=False,
        )
    except (OSError, subprocess.TimeoutExpired):
        return b""
    return parsed(told.stdout)


def profile_of(screen: QScreen) -> bytes | Path | None:
    """The profile of a screen, as its file or its bytes; None when nobody knows one."""
    found = _from_colord(screen)
    if found is not None:
        return found
    screens = QGuiApplication.screens()
    return _from_x(screens.index(screen) if screen in screens else 0) or None
