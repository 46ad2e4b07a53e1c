"""What stood on the bench, to come back to it: which pictures, which proofs of them, how they were looked at.

Settings are not in it: proofs are kept beside their frames, and a bench that is opened again shows them as
they are by then.
"""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any

import platformdirs

from irvane.core.errors import ReadError, WriteError, plain_text
from irvane.core.files.boundary import reading
from irvane.core.store.atomic import atomic_file, make_folder, safe_name, write_reason
from irvane.core.store.small import read_small

FORMAT, VERSION = "irvane-bench", 1
ENDING = ".bench.json"
#: Bytes at most: some hundred thousand open frames.
_LARGEST = 64_000_000


@dataclass(frozen=True)
class Picture:
    """A frame, or a merge of several.

    Attributes
    ----------
    paths : its files. merge : how several are merged, as :class:`irvane.core.line.merge_options.MergeOptions`
        has it; None for a frame.
    """

    paths: tuple[str, ...]
    merge: dict[str, Any] | None = None

    @property
    def key(self) -> str:
        """The same for the same files, merged in the same way."""
        return json.dumps([self.paths, self.merge], sort_keys=True)


@dataclass(frozen=True)
class Pane:
    """What a pane shows.

    Attributes
    ----------
    picture : None where the pane is empty. proof : the identity of its proof. bare : the bare frame instead.
        without : a station that is left out.
    """

    picture: Picture | None = None
    proof: str = ""
    bare: bool = False
    without: str = ""


@dataclass(frozen=True)
class KeptBench:
    """A bench.

    Attributes
    ----------
    name : empty for the one that stood there when the window was closed.
    panes : from left to right. open : all that was open, in the order of the rail. chosen : number of the
        chosen pane.
    arrangement, look, matched, aligning, station : as the window names them.
    zoom : None: fit. centre, probe : shares of width and height; probe None: nobody placed it.
    """

    panes: tuple[Pane, ...]
    open: tuple[Picture, ...]
    name: str = ""
    chosen: int = 0
    arrangement: str = "beside"
    look: str = ""
    zoom: float | None = None
    centre: tuple[float, float] = (0.5, 0.5)
    probe: tuple[float, float] | None = None
    matched: tuple[str, ...] = ()
    aligning: bool = True
    station: str = ""

    def save(self, path: Path) -> None:
        """Write it; raises WriteError."""
        data = {"format": FORMAT, "version": VERSION, **asdict(self)}
        try:
            make_folder(path.parent)
            with atomic_file(path) as temporary:
                # names that are no text are escaped, too
                temporary.write_text(json.dumps(data, indent=1), "ascii")
        except OSError as error:
            raise WriteError(path, write_reason(error)) from error


def last_path() -> Path:
    """Where the bench is kept that stood there when the window was closed."""
    return platformdirs.user_state_path("irvane") / f"last{ENDING}"


def benches_folder() -> Path:
    """Where comparisons are that were given a name."""
    return platformdirs.user_data_path("irvane") / "comparisons"


def path_for(name: str, folder: Path) -> Path:
    """The file of a comparison of a name."""
    return folder / f"{safe_name(name) or 'comparison'}{ENDING}"


def list_benches(folder: Path) -> list[tuple[str, Path]]:
    """Names and files of what is kept, by name; one that cannot be read has its file's name, and says why
    when it is opened."""
    found = []
    for path in folder.glob(f"*{ENDING}"):
        name = path.name.removesuffix(ENDING)
        with suppress(ReadError):
            name = read_bench(path).name or name
        found.append((name, path))
    return sorted(found)


def read_bench(path: Path) -> KeptBench:
    """Read a bench.

    Raises
    ------
    ReadError
        When it is missing, none, or of a newer form.
    """
    text = read_small(path, _LARGEST, "a comparison")
    if text is None:
        raise ReadError(path, "the file is not there")
    with reading(path, "it is not a comparison that was kept"):
        data = json.loads(text.decode("utf-8"))
        if not isinstance(data, dict) or data.get("format") != FORMAT:
            raise ReadError(path, "it is not a comparison that was kept")
        if not isinstance(data.get("version"), int) or data["version"] > VERSION:
            raise ReadError(path, "it was made by a newer version of the program")
        return _bench(data)


def _bench(data: dict[str, Any]) -> KeptBench:
    known = {field.name for field in fields(KeptBench)}
    told = {name: value for name, value in data.items() if name in known}
    probe, zoom = told.get("probe"), told.get("zoom")
    return KeptBench(
        **told
        | {
            "panes": tuple(_pane(one) for one in data["panes"]),
            "open": tuple(_picture(one) for one in data["open"]),
            "name": plain_text(str(told.get("name", "")), 80),
            "chosen": int(told.get("chosen", 0)),
            "zoom": None if zoom is None else min(max(float(zoom), 0.01), 8.0),
            "centre": _place(told.get("centre", (0.5, 0.5))),
            "probe": None if probe is None else _place(probe),
            "matched": tuple(str(kind) for kind in told.get("matched", ())),
        }
    )


def _place(data: Any) -> tuple[float, float]:
    x, y = (min(max(float(v), 0.0), 1.0) for v in data)
    return x, y


def _picture(data: Any) -> Picture:
    merge, paths = data.get("merge"), tuple(str(path) for path in data["paths"])
    if not paths:
        raise ValueError("a picture without files")
    return Picture(paths, merge if isinstance(merge, dict) else None)


def _pane(data: Any) -> Pane:
    picture = data.get("picture")
    return Pane(
        None if picture is None else _picture(picture), str(data.get("proof", "")), bool(data.get("bare")),
        str(data.get("without", "")),
    )  # fmt: skip
