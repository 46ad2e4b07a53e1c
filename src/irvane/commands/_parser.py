"""The parser of the command line: of some commands, or of all."""

from __future__ import annotations

import argparse
from collections.abc import Iterable

from irvane import __version__
from irvane.commands import command, words


def parser_of(some: Iterable[str]) -> argparse.ArgumentParser:
    """The parser with some commands: only their modules are loaded."""
    parser = argparse.ArgumentParser(
        prog="irvane",
        description="Develop raw photographs and judge the result. Without a command: open the window.",
    )
    parser.add_argument("--version", action="version", version=f"irvane {__version__}")
    commands = parser.add_subparsers(dest="command")
    for word in some:
        command(word).add_parser(commands)
    return parser


def whole_parser() -> argparse.ArgumentParser:
    """The parser with all commands."""
    return parser_of(words())
