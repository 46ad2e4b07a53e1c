"""The command ``uninstall-desktop``: take that back."""

from __future__ import annotations

import argparse
from typing import Any

from irvane.commands._inputs import DONE


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    commands.add_parser("uninstall-desktop", help="take that back")


def run(_args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane import installing

    for path in installing.uninstall():
        print(f"removed: {path}")
    return DONE
