"""Where commands write to: destinations by name."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import Any

from irvane.commands._inputs import (
    UsageError,
)
from irvane.core.errors import SettingError


def to_options(parser: argparse.ArgumentParser) -> None:
    """Where to, by name, and what of it is meant otherwise this time."""
    parser.add_argument(
        "--to",
        metavar="NAME",
        action="append",
        default=None,
        help="a destination (see `irvane destinations`); several: each frame is written to each",
    )
    parser.add_argument(
        "--into", metavar="DIR", type=Path, default=None, help="this folder instead of the destination's"
    )


def destinations_of(args: argparse.Namespace) -> list[Any]:
    """The destinations that the options name; those chosen last in the window, or the first there is, without
    a name."""
    from irvane.core.finish.destination import chosen, named

    try:
        hows = [named(name) for name in dict.fromkeys(args.to)] if args.to is not None else chosen()
    except SettingError as error:
        raise UsageError(str(error)) from error
    return hows if args.into is None else [replace(how, folder=str(args.into.absolute())) for how in hows]
