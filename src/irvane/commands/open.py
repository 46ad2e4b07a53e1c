"""The command ``open``: files and folders in the window."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from irvane.commands._window import window


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    open_window = commands.add_parser("open", help="open files or folders in the window")
    open_window.add_argument("inputs", nargs="*", metavar="IN", type=Path)


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    return window(args.inputs)
