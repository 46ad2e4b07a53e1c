"""Which lens of the database is it that a camera names?

Names differ between cameras, metadata libraries and the database by spaces, ``f/``, commas and the maker's
name. They are brought to one form: maker, focal lengths, apertures, converter and the words that are left. A
lens is certain when one alone of those that the body can carry agrees in all of them.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

#: Makers, by a word of their names or of their lines of lenses (common practice).
_MAKERS = {
    "canon": "canon", "nikon": "nikon", "nikkor": "nikon", "sigma": "sigma", "tamron": "tamron",
    "tokina": "tokina", "samyang": "samyang", "rokinon": "rokinon", "zeiss": "zeiss", "distagon": "zeiss",
    "planar": "zeiss", "batis": "zeiss", "loxia": "zeiss", "touit": "zeiss", "voigtlander": "voigtlander",
    "sony": "sony", "minolta": "minolta", "konica": "minolta", "pentax": "pentax", "olympus": "olympus",
    "zuiko": "olympus", "mzuiko": "olympus", "panasonic": "panasonic", "lumix": "panasonic", "leica": "leica",
    "fujifilm": "fujifilm", "fuji": "fujifilm", "fujinon": "fujifilm", "samsung": "samsung",
    "schneider": "samsung", "viltrox": "viltrox", "meike": "meike", "laowa": "laowa", "venus": "laowa",
    "irix": "irix", "yongnuo": "yongnuo", "vivitar": "vivitar", "cosina": "cosina", "ricoh": "ricoh",
    "soligor": "soligor", "mitakon": "mitakon",
}  # fmt: skip
#: Makers whose lenses carry another maker's name as well.
_SHARED = {"zeiss": {"sony"}, "leica": {"panasonic"}, "minolta": {"sony"}}
#: Words that say nothing about which lens it is.
_EMPTY = frozenset(
    [
        "lens",
        "zoom",
        "digital",
        "and",
        "the",
        "for",
        "with",
        "carl",
        "konica",
        "km",
        "vario",
        "power",
        "professional",
        "not",
        "unused",
        "used",
        "f",
    ]
)
#: Words of the build of a lens that one name has and another leaves out.
_OFTEN_LEFT_OUT = frozenset(["if", "ed", "ld", "al", "asph", "sld", "smc", "af"])
#: The same of some makers.
_ALSO_LEFT_OUT = {
    "olympus": frozenset(["pro", "msc", "is"]), "panasonic": frozenset(["power", "mega", "ois", "x"]),
    "leica": frozenset(["power", "mega", "ois"]), "samsung": frozenset(("ois", "i")),
    "zeiss": frozenset(["ze", "zf", "zk", "2"]),
}  # fmt: skip
#: Lines that a maker gives its lenses, by one letter: often left out, but never one for another.
_LINES = {"sigma": frozenset("acs")}
#: Series that are written in several ways.
_JOINED = (
    (r"\b(ef|rf|af|d|e)-(s|m|p|i|fa)\b", r"\1\2"), (r"\bm\.\s*zuiko\b", "m zuiko"), (r"\bd\s+fa\b", "dfa"),
    (r"\bfa\s+j\b", "faj"), (r"[*★]", " star "), (r"\bzoom-nikkor\b", "nikkor"), (r"\bt\s+star\b", " "),
    (r"\bat-x\b", "atx"), (r"\bart\b", "a"), (r"\bcontemporary\b", "c"), (r"\bsports?\b", "s"),
    (r"\basph\.", "asph"), (r"\bm\.(?=\d)", "m "), (r"\baspherical\b", "asph"),
    (r"\bmark\s+(?=i)", ""), (r"\bmk\s*(?=i)", ""),
)  # fmt: skip
_NUMBER = r"\d+(?:\.\d+)?"
_FOCAL = re.compile(rf"(?<![\d./])({_NUMBER})(?:\s*-\s*({_NUMBER}))?\s*mm")
_APERTURE = re.compile(
    rf"(?:\bf\s*/?\s*|\b1\s*:\s*|(?<=\s)/)({_NUMBER})(?:\s*-\s*(?:f\s*/?\s*)?({_NUMBER}))?"
)
_SHORT = re.compile(rf"(?<![\d.])({_NUMBER})(?:-({_NUMBER}))?/({_NUMBER})(?:-({_NUMBER}))?")
#: As some write it, aperture first: ``1.4/50``, ``1:2.8/24-70``.
_BACKWARDS = re.compile(r"(?<![\d.])(?:1:)?(\d(?:\.\d+)?)(?:-(\d(?:\.\d+)?))?/(\d{2,})(?:-(\d+))?(?![\d.])")
#: Makers' numbers of a lens: ``A005``, ``SAL16105``, ``018``; a line's letter stands before a year.
_CODE = re.compile(r"(?:(?<=[acs])|\b)0\d\d\b|\b[abf]\d{3}[a-z]?\b|\bs[ae]l\d\w*(?:-\d)?\b")
_CONVERTER = re.compile(rf"\+\s*(?:[a-z\s-]*?)({_NUMBER})\s*x(?:\s+(?:extender|converter)\s*(i*))?")
#: What exiv2 and cameras write where they know of no lens.
_NO_NAME = re.compile(r"|-+|n/a|none|unknown.*|man\w+ lens.*|\(?\d+\)?|.*\bno lens\b.*|other lens", re.I)


@dataclass(frozen=True)
class Named:
    """A lens's name, taken apart.

    Attributes
    ----------
    maker : one of the known ones; empty where none is said.
    focals : shortest and longest focal length in millimetres; None where they are not said.
    apertures : largest at the short and at the long end; None likewise.
    converter : factor of a teleconverter; 1.0 without one.
    words : what else it says, in lower case. code : its maker's number.
    """

    maker: str = ""
    focals: tuple[float, float] | None = None
    apertures: tuple[float, float] | None = None
    converter: float = 1.0
    words: frozenset[str] = field(default_factory=frozenset)
    code: str = ""

    @property
    def bare(self) -> bool:
        """Does it state numbers alone?"""
        return not self.maker and not self.words


def alternatives(name: str) -> tuple[str, ...]:
    """The lenses that a name may mean: ``A *OR* B`` and ``A | B`` of exiv2, ``A or B``; ``35mm F1.4 | A`` is
    one lens. Empty for what is no name."""
    parts: list[str] = []
    for part in re.split(r"\s+\*OR\*\s+|\s+or\s+|\s\|\s", name.strip()):
        if parts and not re.search(r"\d\s*mm|\d/\d", part):
            parts[-1] += f" | {part}"
        else:
            parts.append(part)
    return tuple(part.strip() for part in parts if not _NO_NAME.fullmatch(part.strip()))


def parsed(name: str) -> Named:
    """Take a name apart."""
    text = unicodedata.normalize("NFKD", name.replace("ø", "o")).lower()
    text = "".join(c for c in text if not unicodedata.combining(c))
    text = re.sub(r"(?<=\d),(?=\d)", ".", text)
    text = re.sub(r"[\[\]()|®™]", " ", text)
    text = re.sub(r"(?<=[a-z])(?=\d+(?:\.\d+)?(?:-\d+(?:\.\d+)?)?\s*mm)", " ", text)  # ef50mm
    text = re.sub(r"(?<=\dmm)(?=[a-z])", " ", text)
    for pattern, instead in _JOINED:
        text = re.sub(pattern, instead, text)
    code = _CODE.search(text)
    text = re.sub(r"(?<=[a-z\d]\s)\d{2,3}$", " ", _CODE.sub(" ", text).rstrip())  # a number of the database
    converter = _CONVERTER.search(text)
    if converter:
        text = text[: converter.start()] + " " + text[converter.end() :]
    focals = apertures = None
    if found := _FOCAL.search(text):
        focals = float(found[1]), float(found[2] or found[1])
        text = text[: found.start()] + " " + text[found.end() :]
    elif found := _BACKWARDS.search(text):
        apertures = float(found[1]), float(found[2] or found[1])
        focals = float(found[3]), float(found[4] or found[3])
        text = text[: found.start()] + " " + text[found.end() :]
    elif found := _SHORT.search(text):
        focals = float(found[1]), float(found[2] or found[1])
        apertures = float(found[3]), float(found[4] or found[3])
        text = text[: found.start()] + " " + text[found.end() :]
    if apertures is None and (found := _APERTURE.search(text)):
        apertures = float(found[1]), float(found[2] or found[1])
        text = text[: found.start()] + " " + text[found.end() :]
    words = re.findall(rf"[a-z]+|{_NUMBER}", text)
    makers = [_MAKERS[word] for word in words if word in _MAKERS]
    if apertures is not None:
        words = re.findall(
            rf"[a-z]+|{_NUMBER}", re.sub(r"\b1:[12]\b", " ", text)
        )  # how large a macro shows it
    numbers = {float(n) for pair in (focals, apertures) for n in pair or ()}
    left = frozenset(
        w for w in words
        if w not in _MAKERS and w not in _EMPTY and w != "f" and not (w[0].isdigit() and float(w) in numbers)
    )  # fmt: skip
    return Named(
        makers[0] if makers else "", focals, apertures, float(converter[1]) if converter else 1.0, left,
        code[0] if code else "",
    )  # fmt: skip


def _near(a: tuple[float, float] | None, b: tuple[float, float] | None, share: float) -> bool:
    """Are two ranges the same, or one not known?"""
    return a is None or b is None or all(abs(x - y) <= share * y for x, y in zip(a, b, strict=True))


def maker_of(text: str) -> str:
    """The maker that a text names first; its first word where it is none of the known ones."""
    words = re.findall("[a-z]+", text.lower())
    return next((_MAKERS[w] for w in words if w in _MAKERS), words[0] if words else "")


def _of_maker(wanted: Named, lens: Named, body: str) -> bool:
    """Is a lens of the maker that a name says, or of the body's where it says none?"""
    if not wanted.maker:
        return lens.maker == body
    made = lens.maker or body
    return (
        wanted.maker == made or made in _SHARED.get(wanted.maker, ()) or wanted.maker in _SHARED.get(made, ())
    )


def _alike(wanted: Named, lens: Named) -> bool:
    """Do the numbers agree, and nothing speak against it?"""
    if wanted.code and lens.code and wanted.code != lens.code:
        return False
    line = _LINES.get(lens.maker, frozenset())
    lines = wanted.words & line, lens.words & line
    numbers = _near(wanted.focals, lens.focals, 0.02) and _near(wanted.apertures, lens.apertures, 0.03)
    return (
        numbers and abs(wanted.converter - lens.converter) < 0.01 and (not all(lines) or lines[0] == lines[1])
    )


def _apart(wanted: Named, lens: Named) -> frozenset[str]:
    """The words that only one of them has."""
    return (wanted.words - {lens.maker}) ^ lens.words


def _the_one(wanted: Named, alike: Sequence[tuple[str, Named]], body: str) -> str:
    """The lens that a name means without a doubt; empty where there is none, or more than one."""
    own = [(full, lens) for full, lens in alike if _of_maker(wanted, lens, body)]
    maker = wanted.maker or body
    line = _LINES.get(maker, frozenset())
    steps: list[tuple[Sequence[tuple[str, Named]], frozenset[str]]] = [
        (own, frozenset()),
        (own, line),
        (own, line | _OFTEN_LEFT_OUT | _ALSO_LEFT_OUT.get(maker, frozenset())),
    ]
    if not wanted.maker:
        # bodies of open mounts name the lenses of other makers without them: such words must agree to the
        # letter
        if not wanted.words - _OFTEN_LEFT_OUT:
            return ""
        steps = [(alike, frozenset()), *steps[1:]]
    for among, left_out in steps:
        found = [(full, lens) for full, lens in among if _apart(wanted, lens) <= left_out]
        same_code = [one for one in found if one[1].code == wanted.code]
        if found:
            found = same_code or found
            return found[0][0] if len({(lens.maker, lens.words) for _, lens in found}) == 1 else ""
    return ""


def chosen(names: Sequence[str], lenses: Iterable[tuple[str, Named]], body: str) -> tuple[list[str], bool]:
    """Lenses that names may mean, and whether it is certain.

    Parameters
    ----------
    names : all say the same lens, the most trusted first (each may hold alternatives).
    lenses : names and parts of those that the body can carry and that fit the frame's focal length.
    body : maker of the body.

    Returns
    -------
    candidates : names out of `lenses`, the nearest first; one alone when it is certain.
    """
    known = list(lenses)
    offered: dict[str, tuple[bool, int]] = {}
    certain: list[str] = []
    possible = 0
    for name in names:
        for one in alternatives(name):
            wanted = parsed(one)
            alike = [(full, lens) for full, lens in known if _alike(wanted, lens)]
            if wanted.focals is None:  # words alone: to the letter
                alike = [(full, lens) for full, lens in alike if wanted.words and not _apart(wanted, lens)]
            for full, lens in alike:
                own = _of_maker(wanted, lens, body)
                if not own and (wanted.maker or not (wanted.bare or wanted.words & lens.words)):
                    continue  # another maker's that has nothing but the numbers in common
                rank = not own, len(_apart(wanted, lens))
                offered[full] = min(offered.get(full, (True, 99)), rank)
            possible += not wanted.bare
            if not wanted.bare and (found := _the_one(wanted, alike, body)):
                certain.append(found)
        if possible:
            break  # what is less trusted is not asked where a name was given
    if len(certain) == 1 and possible == 1:
        return certain, True
    ranked = sorted(offered, key=lambda full: (offered[full], full))
    return list(dict.fromkeys([*certain, *ranked])), False
