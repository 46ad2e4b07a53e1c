"""The command ``completion``: what a shell needs to complete our words."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    DONE,
)
from irvane.commands._parser import whole_parser


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    completion = commands.add_parser("completion", help="print what a shell needs to complete Irvane's words")
    completion.add_argument("shell", choices=("bash", "zsh", "tcsh"))


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    import shtab

    parser = whole_parser()
    parsers = [parser]
    while parsers:
        for action in parsers.pop()._actions:
            if action.type is Path:
                action.complete = shtab.FILE  # type: ignore[attr-defined]
            if isinstance(action, argparse._SubParsersAction):
                parsers += list(action.choices.values())
    print(shtab.complete(parser, args.shell))
    return DONE
