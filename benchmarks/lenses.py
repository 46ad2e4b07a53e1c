"""How many lenses are recognised by the names that cameras and exiv2 give them.

Run with ``python benchmarks/lenses.py [--list FILE]``. Every name that exiv2 can print for the lens tags of the makers'
notes (tried value by value; those of makers whose tags cannot be counted through are read out of its library), as on a
body of that mount. What the database holds is told by a rule of its own: the same words and numbers in any order, but for the
makers' names. `--list`: all that are certain, to be looked through.
"""

from __future__ import annotations

import argparse
import re
from collections.abc import Iterator
from pathlib import Path

import exiv2

from irvane.core.lens import bodies
from irvane.core.lens.identify import alternatives, parsed
from irvane.core.lens.optics import Optics
from irvane.core.lens.profile import find_profile

#: A body (make, model) for the lenses of each maker's tag; the first whose mount fits by the name's beginning.
_BODIES = {
    "canon": (("RF", "Canon", "Canon EOS R5"), ("EF-M", "Canon", "Canon EOS M50"), ("", "Canon", "Canon EOS 80D")),
    "nikon": (("NIKKOR Z", "NIKON CORPORATION", "NIKON Z 6"), ("1 NIKKOR", "NIKON CORPORATION", "NIKON 1 V1"),
              ("", "NIKON CORPORATION", "NIKON D7100")),
    "pentax": (("", "PENTAX", "PENTAX K-5"),),
    "sony": (("", "SONY", "SLT-A77V"),),
    "olympus": (("", "OLYMPUS IMAGING CORP.", "E-M1"),),
    "samsung": (("", "SAMSUNG", "NX300"),),
}  # fmt: skip
#: A body of each mount, for the lenses as cameras spell them.
_OF_MOUNT = {
    "Canon EF": ("Canon", "Canon EOS 80D"), "Canon EF-S": ("Canon", "Canon EOS 80D"), "Canon RF": ("Canon", "Canon EOS R5"),
    "Canon EF-M": ("Canon", "Canon EOS M50"), "Nikon F AF": ("NIKON CORPORATION", "NIKON D7100"),
    "Nikon Z": ("NIKON CORPORATION", "NIKON Z 6"), "Sony E": ("SONY", "ILCE-6000"), "Sony Alpha": ("SONY", "SLT-A77V"),
    "Fujifilm X": ("FUJIFILM", "X-T3"), "Micro 4/3 System": ("Panasonic", "DMC-GX8"), "Pentax KAF2": ("PENTAX", "PENTAX K-5"),
    "Samsung NX": ("SAMSUNG", "NX300"), "Leica L": ("Panasonic", "DC-S1"),
}  # fmt: skip


def _printed(key: str, values: Iterator[exiv2.Value]) -> Iterator[str]:
    for value in values:
        data = exiv2.ExifData()
        data.add(exiv2.ExifKey(key), value)
        yield str(data[key].print(data))


def _bytes(*values: int) -> exiv2.Value:
    made = exiv2.Value.create(exiv2.TypeId.unsignedByte)
    made.read(" ".join(map(str, values)))
    return made


def printed() -> dict[str, set[str]]:
    """Every name, by the kind of body."""
    found = {
        "sony": set(_printed("Exif.Minolta.LensID", (exiv2.ULongValue(n) for n in range(65_535)))),
        "samsung": set(_printed("Exif.Samsung2.LensType", (exiv2.UShortValue(n) for n in range(64)))),
        "pentax": set(_printed("Exif.Pentax.LensType", (_bytes(a, b) for a in range(32) for b in range(256)))),
        "olympus": set(_printed("Exif.OlympusEq.LensType", (
            _bytes(maker, 0, model, sub, 0, 0) for maker in range(6) for model in range(80) for sub in range(40)
        ))),
    }  # fmt: skip
    library = next(Path(exiv2.__file__).parent.parent.glob("exiv2*/libexiv2*"), None)
    words = [] if library is None else re.findall(rb"[ -~\xc0-\xff]{9,}", library.read_bytes())
    texts = {word.decode("latin-1") for word in words}
    found["nikon"] = {
        f"Nikon {text}"
        for text in texts
        if "ikkor" in text.lower() and "mm" in text and not text.startswith("Nikon")
    }
    found["canon"] = {
        text
        for text in texts
        if re.match(r"(Canon|Sigma|Tamron|Tokina|Zeiss|Samyang|Voigtlander) .*mm f/", text)
    }
    return found


def spelled() -> Iterator[tuple[str, str, str]]:
    """The lenses of the database as cameras would spell them (without the maker, ``F`` for ``f/``, no space behind the
    series), each with its name and the mount."""
    for name, lenses in bodies.by_name().items():
        mounts = [str(mount) for mount in lenses[0].mounts if str(mount) in _OF_MOUNT]
        model = str(lenses[0].model)
        if mounts and parsed(name).focals and "&" not in name:
            bare = model.removeprefix(str(lenses[0].maker)).strip()
            yield (
                name,
                re.sub(r" (?=[\d.-]+mm)", "", bare, count=1).replace("f/", "F").replace("F/", "F"),
                mounts[0],
            )
            yield name, re.sub(r"mm [fF]/?", "mm 1:", bare), mounts[0]


def _held(name: str, make: str, model: str) -> set[str]:
    """The lenses of the database that have these words and numbers, in any order."""

    def plain(text: str) -> frozenset[str]:
        words = re.findall(r"[a-z]+|\d+(?:\.\d+)?", text.lower().replace(",", "."))
        drop = {
            "nikon",
            "canon",
            "sony",
            "minolta",
            "konica",
            "olympus",
            "pentax",
            "samsung",
            "f",
            "mm",
            "lens",
            "digital",
            "zoom",
            "nikkor",
        }
        return frozenset(str(float(w)) if w[0].isdigit() else w for w in words if w not in drop)

    wanted = plain(name)
    return {full for full, _ in bodies.fitting(make, model, None) if plain(full) == wanted}


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--list", type=Path)
    args = parser.parse_args()
    lines, total = [], [0, 0, 0, 0, 0]
    print(
        "| notes of | names | held by their very words | of those certain | certain of all | another lens |"
    )
    print("|---|---:|---:|---:|---:|---:|")
    for kind, names in printed().items():
        counts = [0, 0, 0, 0, 0]
        for name in sorted(names):
            meant = alternatives(name)
            if not meant or parsed(meant[0]).focals is None:
                continue
            _, make, model = next(body for body in _BODIES[kind] if body[0].lower() in meant[0].lower())
            focals = parsed(meant[0]).focals
            focal = focals[0] * parsed(meant[0]).converter if focals else None
            found = find_profile(Optics(make, model, name, focal, None, None, None))
            certain = found is not None and found.sure == "certain"
            held = _held(meant[0], make, model) if len(meant) == 1 else set()
            counts[0] += 1
            counts[1] += bool(held)
            counts[2] += bool(held) and certain
            counts[3] += certain
            counts[4] += bool(held) and certain and found is not None and found.name not in held
            state = "certain" if certain else "HELD" if held else "likely" if found else "-"
            lines.append(
                f"{kind}\t{state}\t{name}\t{found.name if found else ''}\t{sorted(held)[:1] if held and not certain else ''}"
            )
        total = [a + b for a, b in zip(total, counts, strict=True)]
        print(f"| {kind} | {' | '.join(map(str, counts))} |")
    print(f"| **all** | {' | '.join(map(str, total))} |")
    counts = [0, 0, 0]
    for name, spelling, mount in spelled():
        make, model = _OF_MOUNT[mount]
        one = parsed(name)
        found = find_profile(
            Optics(make, model, spelling, one.focals[0] if one.focals else None, None, None, None)
        )
        same = found is not None and parsed(found.name) == one
        certain = found is not None and found.sure == "certain"
        counts = [counts[0] + 1, counts[1] + (certain and same), counts[2] + (certain and not same)]
        lines.append(
            f"spelled {mount}\t{found.sure if found else '-'}\t{spelling}\t{found.name if found else ''}\t{'' if same else name}"
        )
    print(
        f"\nThe database's own lenses as cameras spell them: {counts[0]} spellings, {counts[1]} certain and right, {counts[2]} another."
    )
    if args.list:
        args.list.write_text("\n".join(lines), "utf-8")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
