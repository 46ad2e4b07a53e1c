"""The command ``install-desktop``: show the program among this user's."""

from __future__ import annotations

import argparse
from typing import Any

from irvane.commands._inputs import DONE


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    commands.add_parser(
        "install-desktop", help="show Irvane among this user's programs; no default is changed"
    )


def run(_args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane import installing

    for path in installing.install():
        print(f"written: {path}")
    return DONE
