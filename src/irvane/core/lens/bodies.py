"""Which mounts a camera can carry, and the lenses of the database that fit it."""

from __future__ import annotations

import re
from dataclasses import replace
from functools import lru_cache
from typing import Any

from irvane.core.lens.identify import Named, maker_of, parsed

#: Mounts that the makers' own adapters add to those that the database counts as fitting (common practice).
_ADAPTED = {"Sony E": ("Sony Alpha", "Minolta AF"), "Micro 4/3 System": ("4/3 System",)}
#: Mounts of lenses that tell no camera who they are.
_SILENT = frozenset(("M42", "M39/1", "DKL", "T2", "Generic", "Tamron Adaptall"))


@lru_cache(maxsize=1)
def database() -> Any:
    """The lens database."""
    import lensfunpy  # 0.1 s: only where a lens is looked for

    return lensfunpy.Database()


def full_name(lens: Any) -> str:
    """Name of a lens of the database with its maker's."""
    maker, model = str(lens.maker), str(lens.model)
    return model if _plain(model).startswith(_plain(maker)) else f"{maker} {model}"


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", " ", text.lower()).strip()


@lru_cache(maxsize=1)
def by_name() -> dict[str, list[Any]]:
    """Measurements of each lens, by its full name."""
    found: dict[str, list[Any]] = {}
    for lens in database().lenses:
        found.setdefault(full_name(lens), []).append(lens)
    return found


def _model(make: str, model: str) -> str:
    """A model without its maker's name."""
    plain, first = _plain(model), _plain(make).partition(" ")[0]
    return plain.removeprefix(f"{first} ").replace(" ", "")


@lru_cache(maxsize=1)
def _cameras() -> dict[tuple[str, str], Any]:
    found: dict[tuple[str, str], Any] = {}
    for camera in database().cameras:
        make = str(camera.maker)
        found.setdefault((_plain(make).partition(" ")[0], _model(make, str(camera.model))), camera)
    return found


@lru_cache(maxsize=64)
def camera(make: str, model: str) -> Any:
    """A camera of the database; None when it does not know it."""
    if not make and not model:
        return None
    return _cameras().get((_plain(make).partition(" ")[0], _model(make, model)))


@lru_cache(maxsize=64)
def mounts(make: str, model: str) -> frozenset[str]:
    """Mounts of the lenses that a body can carry; of a body that is not known, those of its maker's; none
    where nothing is known.

    Of a camera whose lens cannot be changed it is one of its own, in lower case.
    """
    known = camera(make, model)
    if known is not None:
        own = {str(known.mount)}
    else:
        first = _plain(make).partition(" ")[0]
        own = {str(c.mount) for (maker, _), c in _cameras().items() if maker == first and first}
        own = {mount for mount in own if not mount[:1].islower()}
    fits = {mount.name: set(mount.compat) for mount in database().mounts}
    found = set(own)
    for mount in own:
        found |= fits.get(mount, set()) | set(_ADAPTED.get(mount, ()))
    return frozenset(found - _SILENT)


@lru_cache(maxsize=1)
def _named() -> dict[str, tuple[Named, frozenset[str]]]:
    """Every lens of the database taken apart, and the mounts it is made for."""
    found = {}
    for name, lenses in by_name().items():
        one, lens = parsed(name), lenses[0]
        mounted = frozenset(str(mount) for each in lenses for mount in each.mounts)
        focals = one.focals or (float(lens.min_focal), float(lens.max_focal))
        wide = float(lens.min_aperture) if lens.min_aperture else None
        apertures = one.apertures or (None if wide is None else (wide, wide))
        maker = one.maker or maker_of(str(lens.maker))
        words = one.words - {maker}
        found[name] = replace(one, maker=maker, focals=focals, apertures=apertures, words=words), mounted
    return found


def fitting(make: str, model: str, focal: float | None) -> list[tuple[str, Named]]:
    """Lenses that a body can carry and that have a focal length: full names, and the names taken apart."""
    carried = mounts(make, model)
    found = []
    for name, (one, mounted) in _named().items():
        if carried and not mounted & carried:
            continue
        low, high = one.focals or (0.0, 1e9)
        if (
            focal is None
            or low * 0.97 <= focal <= high * 1.03
            or low * 0.97 <= focal / one.converter <= high * 1.03
        ):
            found.append((name, one))
    return found
