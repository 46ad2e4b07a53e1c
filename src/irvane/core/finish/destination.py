"""Destinations: named ways to write. Shipped ones, and one's own, each a small JSON file."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any

import platformdirs

from irvane.core.colour.spaces import SPACES
from irvane.core.errors import ReadError, SettingError
from irvane.core.files import formats
from irvane.core.files.carrying import POLICIES
from irvane.core.files.preferences import preferences
from irvane.core.finish.medium import MEDIA
from irvane.core.finish.size import Size
from irvane.core.store.atomic import atomic_file, make_folder, safe_name
from irvane.core.store.json_text import json_text
from irvane.core.store.small import read_small

FORMAT, VERSION = "irvane-destination", 1
_LARGEST = 1_000_000
#: Formats by their key.
FORMATS = {one.key: one for one in formats.FORMATS if one.offered}
#: What of the source's metadata is kept, and what is done when a file of that name exists.
METADATA = POLICIES
EXISTING = {
    "number": "write beside it with a number",
    "skip": "write nothing",
    "replace": "replace it",
}


@dataclass(frozen=True)
class Destination:
    """A named way to write.

    Attributes
    ----------
    format, depth : of FORMATS.
    compress : deflate for TIFF.
    space : colour space; of OpenEXR its primaries; not used for DNG.
    quality : of JPEG, JPEG XL and AVIF, per cent.
    size : as :meth:`Size.parse` reads it. ppi : pixels per inch that are noted, and that paper sizes count
        with.
    grow : is a picture that is smaller than that enlarged, as its proof says by what means, up to four times?
    medium : of MEDIA, what it is sharpened for.
    noise_done, lens_done : is noise removed from the pixels of a linear DNG, and are lens corrections and
        crop made in them? Otherwise they are left to the program that goes on; the corrections go along.
    toned : do float files (OpenEXR, TIFF of 32 bits) hold what Light, Colour and sharpening made? Otherwise
        plain light.
    metadata : of METADATA. author, rights, credit, email, web : written into the file where they are not
        empty.
    read_back : the written file is read again and compared with what was to be written.
    pattern : of the name, see :mod:`irvane.core.finish.naming`.
    folder : absolute, or below the folder of the frame.
    existing : of EXISTING.
    """

    name: str
    format: str = "tiff"
    depth: int = 16
    compress: bool = False
    space: str = "srgb"
    quality: float = 92
    size: str = "full"
    ppi: int = 300
    medium: str = "none"
    metadata: str = "all"
    noise_done: bool = True
    lens_done: bool = True
    author: str = ""
    rights: str = ""
    credit: str = ""
    email: str = ""
    web: str = ""
    read_back: bool = False
    pattern: str = "{name}"
    folder: str = "developed"
    existing: str = "number"
    grow: bool = False
    toned: bool = False

    @property
    def ending(self) -> str:
        return FORMATS[self.format].endings[0]

    @property
    def holds_light(self) -> bool:
        """Is it a format of light without bounds, which other programs go on from?"""
        return self.format == "exr" or (self.format == "tiff" and self.depth == 32)

    def folder_for(self, frame: Path) -> Path:
        """Where files of a frame go."""
        chosen = Path(self.folder).expanduser()
        return chosen if chosen.is_absolute() else frame.parent / chosen

    def done_words(self) -> str:
        """Of a linear DNG, what is in its pixels: ``with demosaicing, noise removal, lens and crop done``."""
        done = ["demosaicing"]
        done += ["noise removal"] if self.noise_done else []
        done += ["lens and crop"] if self.lens_done else []
        return f"with {', '.join(done)} done"

    def words(self) -> str:
        """In a line: format, space, size, medium."""
        kind = FORMATS[self.format].words
        depth = {17: "half float", 32: "float"}.get(self.depth, f"{self.depth} bit")
        parts = [f"{kind} {depth}" if self.format not in ("jpeg", "dng") else kind]
        if self.format == "jpeg":
            parts[0] += f" {self.quality:.0f} %"
        if self.format != "dng":
            parts.append(SPACES[self.space].name)
        if self.holds_light:
            parts.append("with tone" if self.toned else "plain light")
        if self.size != "full":
            parts.append(f"{self.size}, enlarged to it" if self.grow else self.size)
        if self.format == "dng":
            parts.append(self.done_words())
        if self.medium != "none":
            parts.append(f"for {MEDIA[self.medium][0]}")
        return ", ".join(parts)


SHIPPED = (
    Destination("archive", "tiff", 16, True, "prophoto", pattern="{name}", folder="developed"),
    Destination("print", "tiff", 16, False, "adobe-rgb", ppi=360, medium="coated", folder="print"),
    Destination("web", "jpeg", 8, False, "srgb", 88, "2048", 96, "screen", "no-places", folder="web"),
    Destination("hand-over", "dng", 16, folder="hand-over"),
)


def checked(values: dict[str, Any]) -> Destination:
    """A destination from its values; raises SettingError with a sentence."""
    known = {f.name: f.type for f in fields(Destination)}
    unknown = set(values) - set(known)
    if unknown:
        raise SettingError(f"“{sorted(unknown)[0]}” is nothing that a destination has.")
    try:
        made = Destination(**values)
    except TypeError:
        raise SettingError("A destination needs a name.") from None
    if not isinstance(made.name, str) or not made.name.strip() or len(made.name) > 60:
        raise SettingError("A destination needs a name of at most 60 letters.")
    for name, allowed in (
        ("format", FORMATS),
        ("space", SPACES),
        ("medium", MEDIA),
        ("metadata", METADATA),
        ("existing", EXISTING),
    ):
        if getattr(made, name) not in allowed:
            raise SettingError(f"{name} is one of {', '.join(allowed)}, not “{getattr(made, name)}”.")
    if made.depth not in FORMATS[made.format].depths:
        raise SettingError(
            f"{FORMATS[made.format].words} is written with {FORMATS[made.format].depths} bits, not "
            f"{made.depth}."
        )
    if made.format == "jxl" and made.space != "srgb":
        raise SettingError("JPEG XL is written in sRGB only.")
    for name, low, high in (("quality", 1, 100), ("ppi", 10, 4800)):
        if isinstance(getattr(made, name), bool) or not low <= float(getattr(made, name)) <= high:
            raise SettingError(f"{name} goes from {low} to {high}.")
    Size.parse(made.size)
    return made


def destinations_folder() -> Path:
    """Where one's own are kept."""
    return platformdirs.user_config_path("irvane") / "destinations"


def read_destination(path: Path) -> Destination:
    """One from its file; raises ReadError."""
    try:
        data = json.loads((read_small(path, _LARGEST, "a destination") or b"").decode("utf-8"))
        if not isinstance(data, dict) or data.get("format") != FORMAT or data.get("version", 0) > VERSION:
            raise ReadError(path, "it is no destination of this program")
        return checked(data["values"])
    except ReadError:
        raise
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise ReadError(path, "it is no destination of this program") from error
    except SettingError as error:
        raise ReadError(path, str(error).rstrip(".")) from error


def destinations() -> list[Destination]:
    """One's own by name, then those shipped whose names are not among them."""
    own = []
    folder = destinations_folder()
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else []:
        try:
            own.append(read_destination(path))
        except ReadError:
            continue  # one that cannot be read does not take the others away
    names = {one.name.casefold() for one in own}
    return own + [one for one in SHIPPED if one.name.casefold() not in names]


def named(name: str) -> Destination:
    """One by its name; raises SettingError when there is none."""
    for one in destinations():
        if one.name.casefold() == name.casefold():
            return one
    raise SettingError(
        f"There is no destination “{name}”; there are {', '.join(d.name for d in destinations())}."
    )


def chosen() -> list[Destination]:
    """Those that were chosen last, the first one foremost; the first there is where none was."""
    known, wished = destinations(), preferences()
    found = [one for name in (wished.destination, *wished.also) for one in known if one.name == name]
    return list(dict.fromkeys(found)) or known[:1]


def save_destination(one: Destination) -> Path:
    """Keep one, in place of another of its name; raises WriteError."""
    folder = destinations_folder()
    make_folder(folder)
    path = folder / f"{safe_name(one.name)}.json"
    with atomic_file(path, overwrite=True) as temporary:
        data = {"format": FORMAT, "version": VERSION, "values": asdict(one)}
        temporary.write_text(json_text(data), "utf-8")
    return path


def remove_destination(name: str) -> None:
    """Take one of one's own away; a shipped one of that name is there again."""
    folder = destinations_folder()
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else []:
        try:
            if read_destination(path).name.casefold() == name.casefold():
                path.unlink()
        except (ReadError, OSError):
            continue
