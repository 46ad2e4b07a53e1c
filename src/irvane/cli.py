"""The command line: the same work without a window. Its words are stable; scripts depend on them."""

from __future__ import annotations

import argparse
import dataclasses
import io
import json
import os
import re
import sys
from collections.abc import Callable, Sequence
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import Any

from irvane import __version__
from irvane.commands import (
    DONE,
    SOME_FAILED,
    USAGE,
    UsageError,
    expand,
    guarded,
    keep_to_threads,
    say,
)
from irvane.core.errors import FileError, IrvaneError, plain_text

#: Modules that hold commands, and which: one is loaded when its command is called, all for help.
_MODULES = {
    "developing": ("develop",),
    "merging": ("merge", "panorama", "sets", "plan"),
    "masking": ("mask",),
    "blurring": ("path", "lens-blur"),
    "judging": ("measure", "compare", "ladder", "transfer"),
    "queueing": ("queue", "destinations", "mark", "copy"),
}
_LIBRARY = re.compile(r"\blib[\w.+-]+\.so[\w.]*")


def _modules(word: str) -> list[Any]:
    """The modules that a first word needs: its own; none for a command of this module; all when it is none of both."""
    names = [name for name, words in _MODULES.items() if word in words]
    if not names and word not in _COMMANDS:
        names = list(_MODULES)
    return [import_module(f"irvane.{name}") for name in names]


def _parser(modules: Sequence[Any]) -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="irvane",
        description="Develop raw photographs and judge the result. Without a command: open the window.",
    )
    parser.add_argument("--version", action="version", version=f"irvane {__version__}")
    commands = parser.add_subparsers(dest="command")
    for module in modules:
        module.add_parsers(commands)

    info = commands.add_parser("info", help="exposure data, noise model, sets")
    info.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    info.add_argument(
        "--measure", action="store_true", help="noise, range and diagnosis too: the picture is decoded"
    )
    info.add_argument("--json", action="store_true")

    check = commands.add_parser("check", help="try every file of a folder and list what goes wrong")
    check.add_argument("inputs", nargs="+", metavar="DIR_OR_FILE", type=Path)
    check.add_argument("--json", action="store_true")

    demo = commands.add_parser("demo", help="make the demo pictures and open them")
    demo.add_argument(
        "--data-only", metavar="DIR", nargs="?", const="", default=None, help="make the pictures only"
    )
    demo.add_argument("--small", action="store_true", help="a few small pictures (tests)")
    demo.add_argument("--seed", type=int, default=1)

    commands.add_parser("warm", help="compile the computing kernels ahead of the first use")
    commands.add_parser(
        "install-desktop", help="show Irvane among this user's programs; no default is changed"
    )
    commands.add_parser("uninstall-desktop", help="take that back")
    completion = commands.add_parser("completion", help="print what a shell needs to complete Irvane's words")
    completion.add_argument("shell", choices=("bash", "zsh", "tcsh"))
    open_window = commands.add_parser("open", help="open files or folders in the window")
    open_window.add_argument("inputs", nargs="*", metavar="IN", type=Path)
    edit = commands.add_parser(
        "edit",
        help="open one file for another program, and return once the result is written (or not: code 1)",
    )
    edit.add_argument("input", metavar="IN", type=Path)
    edit.add_argument("--out", required=True, type=Path, metavar="FILE")
    edit.add_argument("--overwrite", action="store_true")
    return parser


def _regions_of(path: Path) -> dict[str, Any]:
    """The regions of the proof that a frame's sidecar has as its current one; nothing where there is none."""
    from irvane.core.files.identity import content_hash
    from irvane.core.files.sidecar import load_sidecar

    try:
        sidecar = load_sidecar(path, content_hash(path))
    except FileError:
        return {}
    regions = () if sidecar is None else sidecar.proofs[sidecar.current].settings.regions
    told = [
        {
            "name": one.name,
            "on": one.on,
            "shapes": [part.kind for part in one.parts],
            "changes": dict(one.changes),
        }
        for one in regions
    ]
    return {"regions": told} if told else {}


def _append(found: list[Any], look: Callable[[Path], Any], path: Path) -> None:
    found.append(look(path))


def _info(args: argparse.Namespace) -> int:
    from irvane.core.files.header import header_facts

    def facts_of(path: Path) -> dict[str, Any]:
        if not args.measure:
            return header_facts(path) | _regions_of(path)
        from irvane.core.judge.facts import frame_facts

        return frame_facts(path) | _regions_of(path)

    inputs, failed = expand(args.inputs)
    facts: list[dict[str, Any]] = []
    for path in inputs:
        failed |= not guarded(path, partial(_append, facts, facts_of, path))
    sets: list[dict[str, Any]] = []
    if len(facts) > 1:
        from irvane.core.judge.facts import sets_of

        sets = sets_of([Path(f["path"]) for f in facts])
    if args.json:
        print(json.dumps({"frames": facts, "sets": sets}, indent=1, ensure_ascii=False))
    else:
        for fact in facts:
            print(fact["path"])
            for name, value in fact.items():
                if name != "path" and value not in (None, "", [], ()):
                    print(f"  {name}: {value}")
        for found in sets:
            steps = ", ".join(f"{offset:+g} EV" for offset in found["offsets"])
            print(f"{found['kind']}: {', '.join(found['frames'])}{f' ({steps})' if steps else ''}")
    return SOME_FAILED if failed else DONE


def _check(args: argparse.Namespace) -> int:
    from irvane.core.judge.check import Finding, check_file

    inputs, failed = expand(args.inputs)
    found: list[Finding] = []
    for path in inputs:
        failed |= not guarded(path, partial(_append, found, check_file, path))
        if found and found[-1].path == path and not args.json:
            last = found[-1]
            words = (
                "; ".join(last.problems).removeprefix(f"{plain_text(str(path))}: ")
                or f"well, {last.kind}, {last.size[0]} × {last.size[1]}"
            )
            notes = f" ({' '.join(last.notes)})" if last.notes else ""
            print(f"{path}: {words}{notes}", flush=True)
    if args.json:
        as_dicts = [{**dataclasses.asdict(f), "path": str(f.path)} for f in found]
        print(json.dumps(as_dicts, indent=1, ensure_ascii=False))
    return SOME_FAILED if failed or any(f.problems for f in found) else DONE


def _demo(args: argparse.Namespace) -> int:
    from irvane.core.simulate.demo import make_demo
    from irvane.core.simulate.folder import demo_folder

    folder = Path(args.data_only) if args.data_only else demo_folder()

    def progress(done: float, what: str) -> bool:
        print(f"\r  demo pictures {done:4.0%}  {what:<40}", end="", file=sys.stderr, flush=True)
        return True

    # a new window opens on the first few and makes the rest itself
    soon = args.data_only is None and not args.small and not _handed_over([])
    ok = guarded(folder, partial(make_demo, folder, args.seed, args.small, progress, soon))
    print(file=sys.stderr)
    if not ok:
        return SOME_FAILED
    if args.data_only is not None:
        print(folder)
        return DONE
    return _window([folder], soon)


def _handed_over(paths: Sequence[Path]) -> bool:
    from irvane.desktop.second_start import hand_over

    return hand_over(list(paths))


def _window(paths: Sequence[Path], demo: bool = False) -> int:
    if _handed_over(paths):
        print("opened in the window that is there already")
        return DONE
    from irvane.desktop.app import run

    return run(list(paths), demo=demo)


def _edit(args: argparse.Namespace) -> int:
    from irvane.core.finish import job
    from irvane.core.settings import Settings

    def checked() -> None:
        job.to_file(args.out, Settings().finish)
        job.check_target(args.out, args.overwrite, (args.input,))
        if not args.input.is_file():
            raise FileError(args.input, "there is no such file")

    if not guarded(args.out, checked):
        return SOME_FAILED
    from irvane.desktop.app import run

    return run([args.input], args.out.absolute(), args.overwrite)


def _warm(_args: argparse.Namespace) -> int:
    from irvane.warm import warm

    def progress(done: float) -> bool:
        print(f"\r  compiling for this machine, once {done:4.0%}", end="", file=sys.stderr, flush=True)
        return True

    warm(progress)
    print("\r  everything is compiled                ", file=sys.stderr)
    return DONE


#: Bytes that a command which computes takes: a frame of 24 megapixels with all that is needed.
_TAKES = 1_500_000_000


def _computes(args: argparse.Namespace) -> bool:
    """Does a command compute pictures, so that it would compile what it needs on the way, on one core?"""
    words = (*_MODULES["developing"], *_MODULES["masking"], *_MODULES["judging"], "merge", "panorama")
    return args.command in words or (args.command == "info" and args.measure)


def _completion(args: argparse.Namespace) -> int:
    import shtab

    parser = _parser(_modules(""))
    parsers = [parser]
    while parsers:
        for action in parsers.pop()._actions:
            if action.type is Path:
                action.complete = shtab.FILE  # type: ignore[attr-defined]
            if isinstance(action, argparse._SubParsersAction):
                parsers += list(action.choices.values())
    print(shtab.complete(parser, args.shell))
    return DONE


def _installed(wanted: bool) -> int:
    from irvane import installing

    for path in installing.install() if wanted else installing.uninstall():
        print(f"{'written' if wanted else 'removed'}: {path}")
    return DONE


_COMMANDS: dict[str, Callable[[argparse.Namespace], int]] = {
    "info": _info,
    "check": _check,
    "demo": _demo,
    "warm": _warm,
    "open": lambda args: _window(args.inputs),
    "edit": _edit,
    "completion": _completion,
    "install-desktop": lambda _: _installed(True),
    "uninstall-desktop": lambda _: _installed(False),
}


def _is_command(word: str) -> bool:
    return word in _COMMANDS or any(word in words for words in _MODULES.values())


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; returns the exit code: 0 done, 1 some inputs failed, 2 usage."""
    arguments = list(sys.argv[1:] if argv is None else argv)
    first = arguments[0] if arguments else ""
    if not first or not (first.startswith("-") or _is_command(first)):
        return _window([Path(a) for a in arguments])
    modules = _modules(first)
    commands = _COMMANDS | {name: work for module in modules for name, work in module.COMMANDS.items()}
    args = _parser(modules).parse_args(arguments)
    try:
        if _computes(args):
            from irvane.warm import is_warm

            if not is_warm():
                _warm(args)
            from irvane.core.machine_share import SHARE

            SHARE.take(_TAKES)  # windows that run leave as much
        return commands[args.command](args)
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
