"""The command ``edit``: one file for another program."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    SOME_FAILED,
    guarded,
)
from irvane.core.errors import FileError


def add_parser(commands: Any) -> None:
    """Add its options to the commands of a parser."""
    edit = commands.add_parser(
        "edit",
        help="open one file for another program, and return once the result is written (or not: code 1)",
    )
    edit.add_argument("input", metavar="IN", type=Path)
    edit.add_argument("--out", required=True, type=Path, metavar="FILE")
    edit.add_argument("--overwrite", action="store_true")


def run(args: argparse.Namespace) -> int:
    """Do it; returns the exit code."""
    from irvane.core.finish import job
    from irvane.core.settings import Settings

    def checked() -> None:
        job.to_file(args.out, Settings().finish)
        job.check_target(args.out, args.overwrite, (args.input,))
        if not args.input.is_file():
            raise FileError(args.input, "there is no such file")

    if not guarded(args.out, checked):
        return SOME_FAILED
    from irvane.desktop import app

    return app.run([args.input], args.out.absolute(), args.overwrite)
