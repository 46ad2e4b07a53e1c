"""The command line: the same work without a window. Its words are stable; scripts depend on them."""

from __future__ import annotations

import argparse
import io
import os
import re
import sys
from collections.abc import Sequence
from pathlib import Path

from irvane.commands import command, words
from irvane.commands._inputs import (
    DONE,
    SOME_FAILED,
    USAGE,
    UsageError,
    keep_to_threads,
    say,
)
from irvane.commands._parser import parser_of, whole_parser
from irvane.commands._window import window
from irvane.core.errors import IrvaneError

_LIBRARY = re.compile(r"\blib[\w.+-]+\.so[\w.]*")


#: Bytes that a command which computes takes: a frame of 24 megapixels with all that is needed.
_TAKES = 1_500_000_000


def _prepare(args: argparse.Namespace) -> None:
    """Before pictures are computed: compile on all cores what would be compiled on the way on one, and take
    memory."""
    from irvane.core.machine_share import SHARE
    from irvane.warm import is_warm

    if not is_warm():
        command("warm").run(args)
    SHARE.take(_TAKES)  # windows that run leave as much


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; returns the exit code: 0 done, 1 some inputs failed, 2 usage."""
    arguments = list(sys.argv[1:] if argv is None else argv)
    first = arguments[0] if arguments else ""
    if not first or not (first.startswith("-") or first in words()):
        return window([Path(a) for a in arguments])
    parser = whole_parser() if first.startswith("-") else parser_of([first])
    args = parser.parse_args(arguments)
    try:
        asked = command(args.command)
        if getattr(asked, "COMPUTES", False) or (args.command == "info" and args.measure):
            _prepare(args)
        return int(asked.run(args))
    except UsageError as error:
        print(f"irvane: {error}", file=sys.stderr)
        return USAGE
    except IrvaneError as error:
        say(error)
        return SOME_FAILED
    except KeyboardInterrupt:
        print("irvane: cancelled", file=sys.stderr)
        return SOME_FAILED
    except ImportError as error:  # a library of the system, not one of Python's
        library = _LIBRARY.search(str(error))
        if library is None:
            raise
        print(
            f"irvane: the system's library {library.group()} is missing; install the package that brings it",
            file=sys.stderr,
        )
        return SOME_FAILED
    except BrokenPipeError:  # who reads what is printed has read enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        return DONE


def entry() -> int:
    """The program as it is started: only our own sentences reach the error stream.

    LibRaw writes remarks of its own about damaged files there, past Python; they are sent nowhere.
    """
    own = os.dup(2)
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 2)
    os.close(nowhere)
    sys.stderr = os.fdopen(own, "w", buffering=1, encoding="utf-8", errors="replace")
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(errors="surrogateescape")  # names of files that are no text
    from irvane.logs import start_log

    start_log()
    keep_to_threads()
    return main()


if __name__ == "__main__":
    sys.exit(entry())
