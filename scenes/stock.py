"""What a workshop keeps on its shelves: vessels, cartons, tins, ledgers; crates on the floor. Centimetres."""

from __future__ import annotations

import numpy as np

from materials import bumped, coated, dull
from shapes import box, grid, joined, moved, shape, turned
from textures import glazed, kraft, noise, printed, wood
from things import Scene

#: Glazes of the vessels; a few are as strong as glass can be.
_GLAZES = (
    (0.05, 0.09, 0.19), (0.22, 0.10, 0.035), (0.07, 0.13, 0.10), (0.30, 0.26, 0.18), (0.16, 0.035, 0.03), (0.035, 0.04, 0.05),
    (0.42, 0.40, 0.34), (0.24, 0.17, 0.06), (0.02, 0.16, 0.17), (0.30, 0.05, 0.09), (0.13, 0.16, 0.22), (0.20, 0.20, 0.10),
)  # fmt: skip
_CARDS = (
    (0.30, 0.215, 0.13),
    (0.27, 0.20, 0.13),
    (0.33, 0.25, 0.165),
    (0.20, 0.20, 0.19),
    (0.13, 0.16, 0.19),
    (0.36, 0.33, 0.27),
)
_CLOTHS = (
    (0.10, 0.025, 0.02),
    (0.03, 0.05, 0.035),
    (0.035, 0.04, 0.07),
    (0.12, 0.09, 0.06),
    (0.05, 0.045, 0.04),
)
_KINDS = (
    "beads",
    "feet",
    "lids",
    "rims",
    "stems",
    "tubes",
    "corks",
    "wire",
    "rings",
    "seals",
    "cane",
    "frit",
)
_PROFILES = (
    ((0.01, 0.02), (0.62, 0.02), (1.0, 0.36), (0.86, 0.62), (0.36, 0.80), (0.34, 0.92), (0.48, 1.0), (0.42, 1.0), (0.26, 0.9), (0.01, 0.5)),
    ((0.01, 0.02), (0.70, 0.02), (0.74, 0.30), (0.86, 0.72), (0.98, 1.0), (0.90, 1.0), (0.70, 0.4), (0.01, 0.2)),
    ((0.01, 0.02), (0.52, 0.02), (0.56, 0.10), (0.98, 0.50), (1.0, 0.70), (0.62, 0.92), (0.66, 1.0), (0.58, 1.0), (0.50, 0.9), (0.01, 0.5)),
    ((0.01, 0.02), (0.50, 0.02), (0.46, 0.45), (0.30, 0.72), (0.28, 0.90), (0.44, 1.0), (0.38, 1.0), (0.22, 0.9), (0.01, 0.6)),
)  # fmt: skip


def _one(rng: np.random.Generator, choices: tuple) -> tuple:
    return choices[int(rng.integers(len(choices)))]


def _vessel(rng: np.random.Generator, at: tuple[float, float, float], r: float, h: float) -> Scene:
    profile = [(a * r * (1 + 0.03 * float(rng.normal())), b * h) for a, b in _one(rng, _PROFILES)]
    tone = tuple(float(v) for v in np.asarray(_one(rng, _GLAZES)) * rng.uniform(0.8, 1.25))
    skin = glazed((300, 300), rng, tone)
    rough = np.clip(0.16 + 0.10 * noise((200, 200), rng, 1.4) + float(rng.uniform(0, 0.2)), 0.04, 0.7)
    mesh = moved(turned(profile, 96, 2, 2), at, float(rng.uniform(0, 360)), (0.6 * float(rng.normal()), 0))
    return {"": shape(*mesh, coated(skin, rough, 0.6))}


def _label(rng: np.random.Generator, size: tuple[float, float], lines: list[str], bent: float = 0.0) -> tuple:
    """Printed paper of `size` in the x–z plane, bent about a tin's radius; mesh and surface."""
    text = [(0.07, 0.09 + 0.17 * k, 0.14 if k == 0 else 0.10, line, k == 0) for k, line in enumerate(lines)]
    pixels = (360, max(120, round(360 * size[1] / size[0])))
    paper = printed(pixels, text, rng, (0.62, 0.57, 0.46), 0.05)
    x, z = np.meshgrid(np.linspace(-size[0] / 2, size[0] / 2, 24), np.linspace(size[1] / 2, -size[1] / 2, 6))
    if bent:
        points = np.stack([bent * np.sin(x / bent), -bent * np.cos(x / bent), z], -1)
    else:
        points = np.stack([x, -0.06 - 0.12 * np.clip(np.abs(x) / size[0] * 2 - 0.75, 0, 1), z], -1)
    return grid(points), coated(paper, 0.6, 0.2)


def _carton(
    rng: np.random.Generator, at: tuple[float, float, float], w: float, h: float, turn: float
) -> Scene:
    """A box with a lid that does not fit well, a label, and rubbed corners."""
    x, y, z = at
    deep = float(rng.uniform(9, 14))
    card = coated(kraft((300, 300), rng, _one(rng, _CARDS)), 0.75, 0.15)
    lid = min(0.3 * h, 4.0)
    body = moved(box((w - 0.5, deep - 0.5, h - 0.4), 0.25), (x, y, z + h / 2 - 0.2), turn)
    lean = (0.5 * float(rng.normal()), 0.7 * float(rng.normal()))
    cover = moved(box((w, deep, lid), 0.2), (x, y, z + h - lid / 2 + 0.15), turn + float(rng.normal()), lean)
    made = {"": shape(*body, card), "lid": shape(*cover, card)}
    lines = [f"Lot {int(rng.integers(2, 60))}", str(_one(rng, _KINDS)), f"{int(rng.integers(4, 90))} pcs"]
    paper, surface = _label(rng, (min(5.0, 0.62 * w), min(3.0, 0.36 * h)), lines)
    front = moved(
        paper,
        (float(rng.uniform(-0.1, 0.1)) * w, -deep / 2 + 0.2, -0.12 * h),
        0,
        (0, 2 * float(rng.normal())),
    )
    made["label"] = shape(*moved(front, (x, y, z + h / 2), turn), surface)
    return made


def _tin(rng: np.random.Generator, at: tuple[float, float, float], r: float, h: float) -> Scene:
    """A tin of pigment: ribbed, dented, with a paper band and some rust."""
    profile = [(0.01, 0), (r, 0), (1.03 * r, 0.02 * h), (r, 0.05 * h), (r, 0.9 * h), (1.03 * r, 0.94 * h), (1.03 * r, 0.98 * h), (0.96 * r, h), (0.01, 0.98 * h)]  # fmt: skip
    rust = np.clip(noise((260, 260), rng, 1.6) - 0.9, 0, 1)[..., None]
    tin = np.array([0.30, 0.29, 0.27], np.float32) * (1 + 0.1 * noise((260, 260), rng, 1.0))[..., None]
    skin = np.clip(tin * (1 - rust) + np.array([0.16, 0.06, 0.02], np.float32) * rust, 0.01, 0.9)
    made = {"": shape(*moved(turned(profile, 80, 2), at), coated(skin, 0.32, 0.9))}
    lines = [str(_one(rng, _KINDS)).upper(), f"No. {int(rng.integers(100, 999))}", "dry, closed"]
    paper, surface = _label(rng, (2.4 * r, 0.55 * h), lines, 1.012 * r)
    made["label"] = shape(
        *moved(paper, (at[0], at[1], at[2] + 0.48 * h), float(rng.uniform(-30, 30))), surface
    )
    return made


def _ledgers(rng: np.random.Generator, at: tuple[float, float, float], room: float) -> tuple[Scene, float]:
    """Books of accounts, the last one leaning; returns how far they reach too."""
    x, y, z = at
    spines, pages, used = [], [], 0.0
    while used < room:
        thick, high, deep = (float(v) for v in rng.uniform((1.6, 15, 10), (3.4, 21, 12)))
        last = used + thick + 2 > room
        lean = (0.0, 11.0) if last else (0.0, 0.6 * float(rng.normal()))
        middle = (x + used + thick / 2 + (1.6 if last else 0), y, z + high / 2)
        spines.append((moved(box((thick, deep, high), 0.3), middle, 0, lean), _one(rng, _CLOTHS)))
        pages.append(moved(box((thick - 0.6, deep - 0.6, high + 0.05), 0.05), middle, 0, lean))
        used += thick + 0.1
    made = {}
    for k, (mesh, tone) in enumerate(spines):
        cloth = (
            np.asarray(tone, np.float32) * np.clip(1 + 0.25 * noise((240, 240), rng, 1.2), 0.3, 2)[..., None]
        )
        made[f"spine{k}"] = shape(*mesh, coated(np.clip(cloth, 0.005, 0.9), 0.7, 0.2))
    made["pages"] = shape(*joined(pages), dull((0.46, 0.42, 0.33)))
    return made, used + 3


def stock(rng: np.random.Generator, between: tuple[float, float], at: tuple[float, float], key: str) -> Scene:
    """Things that stand on a board from x to x (`between`), at y and z (`at`)."""
    made: Scene = {}
    (x, end), (y, z), k = between, at, 0
    while x < end - 7:
        r, h = float(rng.uniform(3, 6)), float(rng.uniform(9, 23))
        kind, place = float(rng.random()), y + float(rng.uniform(-2, 2))
        if kind < 0.50:
            part, wide = _vessel(rng, (x + r, place, z), r, h), 2 * r
        elif kind < 0.76:
            wide = float(rng.uniform(8, min(16, end - x)))
            part = _carton(
                rng, (x + wide / 2, place, z), wide, float(rng.uniform(6, 16)), 4 * float(rng.normal())
            )
        elif kind < 0.90 or x > end - 16:
            part, wide = _tin(rng, (x + r, place, z), 0.85 * r, float(rng.uniform(7, 13))), 2 * r
        else:
            part, wide = _ledgers(rng, (x, place, z), float(rng.uniform(7, 12)))
        made |= {f"{key}_{k}{name}": one for name, one in part.items()}
        x += wide + float(rng.uniform(0.5, 3.5))
        k += 1
    return made


def crate(
    rng: np.random.Generator, at: tuple[float, float, float], turn: float, marks: tuple[str, str], key: str
) -> Scene:
    """A crate of planks (50 × 38 × 34) with marks burnt into the front, half filled."""
    planks = []
    for row in range(3):
        z = 5.7 + 11.4 * row
        for side in (-1, 1):
            off = float(rng.uniform(-0.3, 0.3))
            planks.append(((50 + off, 1.6, 10.6), (off, side * 18.2, z), row))
            planks.append(((1.6, 34.6, 10.6), (side * 24, 0, z), 3))
    posts = [((3.2, 3.2, 33.0), (a * 22.4, b * 16.6, 17), 3) for a in (-1, 1) for b in (-1, 1)]
    made: Scene = {}
    for k, (size, place, row) in enumerate(
        [*planks, *posts, ((47, 34, 1.6), (0, 0, 1.2), 3), ((46, 33.5, 9), (0, 0, 24), 4)]
    ):
        boards, grain = wood((240, 900), rng, (0.36, 0.25, 0.14), (0.20, 0.125, 0.06), 1)
        boards, grain = boards.swapaxes(0, 1) * float(rng.uniform(0.75, 1.15)), grain.T
        surface = bumped(coated(np.clip(boards, 0.01, 0.9), 0.6, 0.3), grain, 0.15)
        if row == 4:  # broken glass seen from the side
            surface = coated(kraft((300, 300), rng, (0.16, 0.17, 0.15)), 0.2, 0.8)
        lean = (0.4 * float(rng.normal()), 0.4 * float(rng.normal()))
        made[f"{key}_{k}"] = shape(*moved(moved(box(size, 0.25), place, 0, lean), at, turn), surface)
    face = printed(
        (800, 300),
        [(0.05, 0.04, 0.13, marks[0], True), (0.05, 0.21, 0.09, marks[1], False)],
        rng,
        (0.30, 0.21, 0.12),
        0.03,
    )
    x, z = np.meshgrid(np.linspace(-15, 15, 8), np.linspace(4.9, -4.9, 6))
    made[f"{key}_marks"] = shape(
        *moved(moved(grid(np.stack([x, 0 * x - 19.3, z], -1)), (0, 0, 17.1)), at, turn), dull(face)
    )
    return made
