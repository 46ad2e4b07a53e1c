"""The command line: the same work without a window. Its words are stable; scripts depend on them."""

from __future__ import annotations

import argparse
import dataclasses
import json
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irvane import __version__
from irvane.core.errors import FileError, IrvaneError, SettingError
from irvane.core.settings import Settings, bare

if TYPE_CHECKING:
    from irvane.core.files.presets import Preset

DONE, SOME_FAILED, USAGE = 0, 1, 2


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="irvane",
        description="Develop raw photographs and judge the result. Without a command: open the window.",
    )
    parser.add_argument("--version", action="version", version=f"irvane {__version__}")
    commands = parser.add_subparsers(dest="command")

    develop = commands.add_parser("develop", help="develop frames into finished pictures")
    develop.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    develop.add_argument("--out", required=True, type=Path, metavar="FILE_OR_DIR")
    develop.add_argument("--overwrite", action="store_true", help="replace existing files")
    _settings_options(develop)
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
    _settings_options(merge)

    info = commands.add_parser("info", help="exposure data, noise model, sets")
    info.add_argument("inputs", nargs="+", metavar="IN", type=Path)
    info.add_argument("--json", action="store_true")

    measure = commands.add_parser("measure", help="noise and signal of a rectangle")
    measure.add_argument("input", metavar="IN", type=Path)
    measure.add_argument("--at", required=True, metavar="X,Y,W,H", help="rectangle in output pixels")
    measure.add_argument("--json", action="store_true")
    _settings_options(measure)

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
    open_window = commands.add_parser("open", help="open files or folders in the window")
    open_window.add_argument("inputs", nargs="*", metavar="IN", type=Path)
    return parser


def _settings_options(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--settings", type=Path, metavar="S.json", help="settings of a proof")
    parser.add_argument("--preset", metavar="NAME|FILE", help="a preset, by name or as a file")
    parser.add_argument("--set", action="append", default=[], metavar="STATION.NAME=VALUE", dest="sets")
    parser.add_argument("--denoise", default=None, metavar="off|auto|0-200")
    parser.add_argument("--denoise-method", default=None, choices=("best", "fast"))


class _UsageError(Exception):
    pass


def _read_settings(args: argparse.Namespace, base: Settings) -> Settings:
    settings = base
    try:
        if args.settings is not None:
            settings = _settings_file(args.settings)
        if args.preset is not None:
            settings = _preset(args.preset).applied(settings)
        for text in args.sets:
            path, equals, value = text.partition("=")
            if not equals:
                raise SettingError(f"“{text}” is not of the form STATION.NAME=VALUE.")
            settings = settings.with_value(path.strip(), value.strip())
        if args.denoise is not None:
            word = {"off": "0"}.get(args.denoise, args.denoise)
            settings = settings.with_value("noise.amount", word)
        if args.denoise_method is not None:
            settings = settings.with_value("noise.method", args.denoise_method)
    except SettingError as error:
        raise _UsageError(str(error)) from error
    return settings


def _preset(wanted: str) -> Preset:
    from irvane.core.files.presets import list_presets, presets_folder, read_preset

    found, _ = list_presets(presets_folder())
    named = next((preset for preset in found if preset.name.casefold() == wanted.casefold()), None)
    try:
        return named or read_preset(Path(wanted))
    except FileError as error:
        if error.path.exists():
            raise _UsageError(str(error)) from error
        names = ", ".join(preset.name for preset in found)
        raise _UsageError(f"{error.path}: there is no such preset; there are {names}") from error


def _settings_file(path: Path) -> Settings:
    try:
        data = json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise _UsageError(f"{path}: the settings cannot be read ({error.strerror})") from error
    except ValueError as error:
        raise _UsageError(f"{path}: the settings are not valid JSON") from error
    if isinstance(data, dict) and "proofs" in data:  # a whole sidecar: its current proof
        data = data["proofs"][int(data.get("current", 0))]["settings"]
    return Settings.from_dict(data)


def _say(error: IrvaneError) -> None:
    text = str(error).replace("\n", " ")
    print(f"irvane: {text}", file=sys.stderr)


def _guarded(path: Path, work: Callable[[], Any]) -> bool:
    """Do one input's work; on failure say one line with the file's name and return False."""
    try:
        work()
    except IrvaneError as error:
        _say(error if isinstance(error, FileError) else FileError(path, str(error)))
        return False
    except MemoryError:
        _say(FileError(path, "there is not enough memory for this picture"))
        return False
    except Exception as error:  # one damaged file must not stop the others
        _say(FileError(path, f"an unexpected fault ({type(error).__name__}: {error})"))
        return False
    return True


def _develop(args: argparse.Namespace) -> int:
    from irvane.core.finish import job
    from irvane.core.line.context import suggested_light
    from irvane.core.line.source import FileSource
    from irvane.core.line.view import Output

    base = bare() if args.flat else Settings()
    settings = _read_settings(args, base)
    if args.flat and args.denoise is None and not any(s.startswith("noise.amount") for s in args.sets):
        settings = settings.with_value("noise.amount", 0)
    if args.space is not None:
        settings = settings.with_value("finish.space", args.space)
    output = Output(settings.finish.space, args.linear, args.flat)
    into_folder = args.out.is_dir() or len(args.inputs) > 1 or str(args.out).endswith("/")
    if into_folder and not args.out.is_dir():
        if args.out.exists():
            raise _UsageError(f"{args.out}: several inputs need a folder")
        try:
            args.out.mkdir(parents=True)
        except OSError as error:
            from irvane.core.errors import WriteError

            _say(WriteError(args.out, f"the folder cannot be made ({error.strerror})"))
            return SOME_FAILED
    inputs, failed = _expand(args.inputs)
    made: set[Path] = set()
    for path in inputs:
        target = args.out / f"{path.stem}.tif" if into_folder else args.out

        def one(path: Path = path, target: Path = target) -> None:
            from irvane.core.errors import WriteError

            if target in made and not args.overwrite:
                raise WriteError(
                    target, f"another input of this run has the same name; {path.name} was not written"
                )
            source, job_target = FileSource(path), job.Target(target, output, args.depth, args.overwrite)
            own, ready = settings, None
            if args.suggest:
                job.check_target(target, args.overwrite, source.paths)
                ready = job.make(source, settings)
                found = suggested_light(*ready)
                for name, value in found.values().items():
                    own = own.with_value(name, value)
                print(f"{path}: {found.words}")
            written = job.run(source, own, job_target, ready=ready)
            made.add(target)
            for note in written.notes:
                print(f"{path}: {note}")
            print(f"{path} -> {target}")

        failed |= not _guarded(path, one)
    return SOME_FAILED if failed else DONE


def _expand(paths: Sequence[Path]) -> tuple[list[Path], bool]:
    """Folders become their pictures; other paths stay, so that each can fail with its own sentence."""
    from irvane.core.files.sets import collect

    out: list[Path] = []
    failed = False
    for path in paths:
        if not path.is_dir():
            out.append(path)
            continue
        inside, problems = collect([path])
        out += inside
        for problem in problems:
            print(f"irvane: {problem}", file=sys.stderr)
            failed = True
    return out, failed


def _merge(args: argparse.Namespace) -> int:
    from irvane.core.files.writers import quantise, write_jpeg, write_tiff
    from irvane.core.finish import job
    from irvane.core.line.merging import MergeSource, fuse_files

    settings = _read_settings(args, Settings())
    if len(args.inputs) < 2:
        raise _UsageError("a merge needs at least two inputs")

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

    return DONE if _guarded(args.out, work) else SOME_FAILED


def _info(args: argparse.Namespace) -> int:
    from irvane.core.judge.facts import frame_facts, sets_of

    inputs, failed = _expand(args.inputs)
    facts: list[dict[str, Any]] = []
    for path in inputs:
        failed |= not _guarded(path, lambda path=path: facts.append(frame_facts(path)))
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


def _measure(args: argparse.Namespace) -> int:
    from irvane.core.judge.facts import measure_file

    settings = _read_settings(args, Settings())
    try:
        x, y, w, h = (int(part) for part in args.at.split(","))
    except ValueError as error:
        raise _UsageError("--at takes four whole numbers: X,Y,W,H") from error

    def work() -> None:
        figures = measure_file(args.input, settings, (x, y, w, h))
        if args.json:
            print(json.dumps(figures, indent=1, ensure_ascii=False))
        else:
            for name, value in figures.items():
                print(f"{name}: {value}")

    return DONE if _guarded(args.input, work) else SOME_FAILED


def _check(args: argparse.Namespace) -> int:
    from irvane.core.judge.check import Finding, check_file

    inputs, failed = _expand(args.inputs)
    found: list[Finding] = []
    for path in inputs:
        failed |= not _guarded(path, lambda path=path: found.append(check_file(path)))
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

    ok = _guarded(folder, lambda: make_demo(folder, seed=args.seed, small=args.small, progress=progress))
    print(file=sys.stderr)
    if not ok:
        return SOME_FAILED
    if args.data_only is not None:
        print(folder)
        return DONE
    return _window([folder])


def _window(paths: Sequence[Path]) -> int:
    from irvane.desktop.app import run

    return run(list(paths))


def _warm(_args: argparse.Namespace) -> int:
    from irvane.core.line.warm import warm

    warm()
    return DONE


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; returns the exit code: 0 done, 1 some inputs failed, 2 usage."""
    arguments = list(sys.argv[1:] if argv is None else argv)
    commands = {
        "develop": _develop, "merge": _merge, "info": _info, "measure": _measure, "check": _check, "demo": _demo, "warm": _warm,
        "open": lambda args: _window(args.inputs),
    }  # fmt: skip
    if not arguments or (arguments[0] not in commands and not arguments[0].startswith("-")):
        return _window([Path(a) for a in arguments])
    args = _parser().parse_args(arguments)
    try:
        return commands[args.command](args)
    except _UsageError as error:
        print(f"irvane: {error}", file=sys.stderr)
        return USAGE
    except KeyboardInterrupt:
        print("irvane: cancelled", file=sys.stderr)
        return SOME_FAILED


def entry() -> int:
    """The program as it is started: only our own sentences reach the error stream.

    LibRaw writes remarks of its own about damaged files there, past Python; they are sent nowhere.
    """
    own = os.dup(2)
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 2)
    os.close(nowhere)
    sys.stderr = os.fdopen(own, "w", buffering=1, encoding="utf-8", errors="replace")
    return main()


if __name__ == "__main__":
    sys.exit(entry())
