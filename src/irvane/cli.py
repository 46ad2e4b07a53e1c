"""The command line: the same work without a window. Its words are stable; scripts depend on them."""

from __future__ import annotations

import argparse
import dataclasses
import io
import json
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from irvane import __version__, judging, queueing
from irvane.commands import (
    DONE,
    SOME_FAILED,
    USAGE,
    UsageError,
    expand,
    guarded,
    read_settings,
    say,
    settings_options,
)
from irvane.core.errors import FileError, IrvaneError
from irvane.core.settings import Settings, bare


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="irvane",
        description="Develop raw photographs and judge the result. Without a command: open the window.",
    )
    parser.add_argument("--version", action="version", version=f"irvane {__version__}")
    commands = parser.add_subparsers(dest="command")

    develop = commands.add_parser("develop", help="develop frames into finished pictures")
    develop.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    develop.add_argument("--out", type=Path, metavar="FILE_OR_DIR", default=None)
    queueing.to_options(develop)
    develop.add_argument("--overwrite", action="store_true", help="replace existing files")
    settings_options(develop)
    develop.add_argument("--suggest", action="store_true", help="suggested exposure, shadows and highlights")
    develop.add_argument("--flat", action="store_true", help="the plain scene-linear rendition for measuring")
    develop.add_argument("--space", choices=("srgb", "p3", "adobe-rgb", "prophoto", "rec2020"), default=None)
    develop.add_argument("--linear", action="store_true", help="linear light, no base curve")
    develop.add_argument("--depth", type=int, choices=(8, 16, 32), default=16)

    merge = commands.add_parser("merge", help="merge a bracket")
    merge.add_argument("kind", choices=("hdr", "fusion"))
    merge.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    merge.add_argument("--out", required=True, type=Path, metavar="FILE")
    merge.add_argument("--overwrite", action="store_true")
    settings_options(merge)

    info = commands.add_parser("info", help="exposure data, noise model, sets")
    info.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    info.add_argument(
        "--measure", action="store_true", help="noise, range and diagnosis too: the picture is decoded"
    )
    info.add_argument("--json", action="store_true")

    judging.add_parsers(commands)
    queueing.add_parsers(commands)

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


def _develop(args: argparse.Namespace) -> int:
    from irvane.core.finish import job
    from irvane.core.line.bands import Output
    from irvane.core.line.context import suggested_light
    from irvane.core.line.realise import realise
    from irvane.core.line.source import FileSource

    base = bare() if args.flat else Settings()
    settings = read_settings(args, base)
    if args.flat and args.denoise is None and not any(s.startswith("noise.amount") for s in args.sets):
        settings = settings.with_value("noise.amount", 0)
    if args.space is not None:
        settings = settings.with_value("finish.space", args.space)
    output = Output(settings.finish.space, args.linear, args.flat)
    if args.out is None:
        if args.to is None:
            raise UsageError("develop needs --out FILE_OR_DIR or --to NAME")
        return _develop_to(args, settings)
    folders = any(path.is_dir() for path in args.inputs)
    into_folder = args.out.is_dir() or len(args.inputs) > 1 or folders or not args.out.suffix
    if into_folder and not args.out.is_dir():
        if args.out.exists():
            raise UsageError(f"{args.out}: several inputs need a folder")
        try:
            args.out.mkdir(parents=True)
        except OSError as error:
            from irvane.core.errors import WriteError

            say(WriteError(args.out, f"the folder cannot be made ({error.strerror})"))
            return SOME_FAILED
    inputs, failed = expand(args.inputs)
    made: set[Path] = set()
    for path in inputs:
        target = args.out / f"{path.stem}.tif" if into_folder else args.out

        def one(path: Path = path, target: Path = target) -> None:
            from irvane.core.errors import WriteError

            if target in made and not args.overwrite:
                raise WriteError(
                    target, f"another input of this run has the same name; {path.name} was not written"
                )
            source = FileSource(path)
            how = job.how_for(target, settings.finish, args.depth)
            job_target = job.Target(target, output, args.depth, args.overwrite, tuple(inputs), how)
            own, ready = settings, None
            if args.suggest:
                job.check_target(target, args.overwrite, job_target.originals)
                ready = realise(source, settings)
                found = suggested_light(*ready)
                own = own.with_values(found.values())
                print(f"{path}: {found.words}")
            written = job.run(source, own, job_target, ready=ready)
            made.add(target)
            for note in written.notes:
                print(f"{path}: {note}")
            print(f"{path} -> {target}")

        failed |= not guarded(path, one)
    return SOME_FAILED if failed else DONE


def _develop_to(args: argparse.Namespace, settings: Settings) -> int:
    """Develop frames to a named destination, without the queue."""
    from irvane.core.finish import job
    from irvane.core.finish.queue import target_of
    from irvane.core.line.source import FileSource

    how = queueing.destination_of(args)
    inputs, failed = expand(args.inputs)
    for number, path in enumerate(inputs, 1):

        def one(path: Path = path, number: int = number) -> None:
            source = FileSource(path)
            target = target_of(source, how, "", number)
            if target is None:
                print(f"{path}: a file of that name exists; nothing was written")
                return
            replaced = how.existing == "replace"
            written = job.run(
                source, settings, job.Target(target, overwrite=replaced, originals=tuple(inputs), how=how)
            )
            for note in written.notes:
                print(f"{path}: {note}")
            print(f"{path} -> {target}")

        failed |= not guarded(path, one)
    return SOME_FAILED if failed else DONE


def _merge(args: argparse.Namespace) -> int:
    from irvane.core.files.writers import quantise, write_jpeg, write_tiff
    from irvane.core.finish import job
    from irvane.core.line.merging import MergeSource, fuse_files

    settings = read_settings(args, Settings())
    if len(args.inputs) < 2:
        raise UsageError("a merge needs at least two inputs")

    def work() -> None:
        kind = job.format_of(args.out)
        job.check_target(args.out, args.overwrite, tuple(args.inputs))
        if args.kind == "hdr":
            written = job.run(
                MergeSource(args.inputs), settings, job.Target(args.out, overwrite=args.overwrite)
            )
            for note in written.notes:
                print(note)
        else:
            fused = fuse_files(args.inputs)
            common = {"space": "srgb", "source": args.inputs[0], "overwrite": args.overwrite}
            text = f"Exposure fusion of {len(args.inputs)} frames"
            if kind == "tiff":
                write_tiff(args.out, quantise(fused, 16), description=text, **common)
            elif kind == "jpeg":
                write_jpeg(args.out, quantise(fused, 8), quality=92, description=text, **common)
            else:
                raise FileError(args.out, "a fusion is a finished picture; write it as .tif or .jpg")
        print(f"-> {args.out}")

    return DONE if guarded(args.out, work) else SOME_FAILED


def _info(args: argparse.Namespace) -> int:
    from irvane.core.files.header import header_facts

    def facts_of(path: Path) -> dict[str, Any]:
        if not args.measure:
            return header_facts(path)
        from irvane.core.judge.facts import frame_facts

        return frame_facts(path)

    inputs, failed = expand(args.inputs)
    facts: list[dict[str, Any]] = []
    for path in inputs:
        failed |= not guarded(path, lambda path=path: facts.append(facts_of(path)))
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
            print(
                f"bracket: {', '.join(found['frames'])} ({', '.join(f'{o:+g} EV' for o in found['offsets'])})"
            )
    return SOME_FAILED if failed else DONE


def _check(args: argparse.Namespace) -> int:
    from irvane.core.judge.check import Finding, check_file

    inputs, failed = expand(args.inputs)
    found: list[Finding] = []
    for path in inputs:
        failed |= not guarded(path, lambda path=path: found.append(check_file(path)))
        if found and found[-1].path == path and not args.json:
            last = found[-1]
            words = "; ".join(last.problems) or f"well, {last.kind}, {last.size[0]} × {last.size[1]}"
            notes = f" ({' '.join(last.notes)})" if last.notes else ""
            print(f"{path}: {words}{notes}", flush=True)
    if args.json:
        as_dicts = [{**dataclasses.asdict(f), "path": str(f.path)} for f in found]
        print(json.dumps(as_dicts, indent=1, ensure_ascii=False))
    return SOME_FAILED if failed or any(f.problems for f in found) else DONE


def _demo(args: argparse.Namespace) -> int:
    from irvane.core.simulate.demo import demo_folder, make_demo

    folder = Path(args.data_only) if args.data_only else demo_folder()

    def progress(done: float, what: str) -> bool:
        print(f"\r  demo pictures {done:4.0%}  {what:<40}", end="", file=sys.stderr, flush=True)
        return True

    ok = guarded(folder, lambda: make_demo(folder, seed=args.seed, small=args.small, progress=progress))
    print(file=sys.stderr)
    if not ok:
        return SOME_FAILED
    if args.data_only is not None:
        print(folder)
        return DONE
    return _window([folder])


def _window(paths: Sequence[Path]) -> int:
    from irvane.desktop.second_start import hand_over

    if hand_over(list(paths)):
        print("opened in the window that is there already")
        return DONE
    from irvane.desktop.app import run

    return run(list(paths))


def _edit(args: argparse.Namespace) -> int:
    from irvane.core.finish import job

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
        print(f"\r  preparing the computing kernels {done:4.0%}", end="", file=sys.stderr, flush=True)
        return True

    warm(progress)
    print("\r  the computing kernels are prepared   ", file=sys.stderr)
    return DONE


def _completion(args: argparse.Namespace) -> int:
    import shtab

    parser = _parser()
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


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; returns the exit code: 0 done, 1 some inputs failed, 2 usage."""
    arguments = list(sys.argv[1:] if argv is None else argv)
    commands = {
        "develop": _develop, "merge": _merge, "info": _info, "check": _check, "demo": _demo, "warm": _warm,
        "open": lambda args: _window(args.inputs), "edit": _edit, "completion": _completion,
        "install-desktop": lambda _: _installed(True), "uninstall-desktop": lambda _: _installed(False), **judging.COMMANDS, **queueing.COMMANDS,
    }  # fmt: skip
    if not arguments or (arguments[0] not in commands and not arguments[0].startswith("-")):
        return _window([Path(a) for a in arguments])
    args = _parser().parse_args(arguments)
    try:
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
    return main()


if __name__ == "__main__":
    sys.exit(entry())
