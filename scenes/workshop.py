"""The rooms of the workshop: what stands where, and the light. Centimetres; x to the right, y away, z up."""

from __future__ import annotations

from typing import Any

import numpy as np

from materials import (
    bitmap,
    bumped,
    camera,
    coated,
    dull,
    glass,
    hair,
    metal,
    panel,
    rgb,
    shining_ball,
)
from shapes import box, curves, grid, joined, leaf, moved, relief, shape, swept, turned
from textures import bricks, concrete, noise, plaster, printed, scratched, wood

Scene = dict[str, Any]

_POWDERS = {
    "COBALT BLUE": ((0.028, 0.06, 0.33), "No. 7", "grain 1.5–3 mm"),
    "AMBER": ((0.62, 0.27, 0.035), "No. 12", "powder"),
    "COPPER RUBY": ((0.40, 0.018, 0.035), "No. 3", "bars"),
    "SEA GREEN": ((0.02, 0.24, 0.13), "No. 21", "grain 0.5–1 mm"),
    "OPAL WHITE": ((0.70, 0.67, 0.60), "No. 1", "bars"),
}


def _start(integrator_depth: int = 11) -> Scene:
    return {"type": "scene", "integrator": {"type": "path", "max_depth": integrator_depth, "rr_depth": 5}}


def _brick_wall(
    rng: np.random.Generator, size: tuple[float, float], y: float, rows: int, across: float, **how: Any
) -> dict[str, Any]:
    pixels = (2600, round(2600 * size[0] / size[1]))
    pixels = (min(pixels[0], 3000), min(pixels[1], 4200))
    colour, height = bricks(pixels, rng, rows, across, **how)
    mesh = moved(relief(height, size, 1.1, 1100), (0, y, 0))
    return shape(*mesh, bumped(dull(colour), height, 0.25))


def _table(
    rng: np.random.Generator, size: tuple[float, float], y: float, z: float = 0.0, worn: float = 1.0
) -> dict[str, Any]:
    colour, height = wood((2400, 5200), rng)
    rough = np.clip(0.42 + 0.10 * noise(height.shape, rng, 1.2) - 0.08 * height, 0.15, 0.9)
    points = np.stack(
        np.meshgrid(np.linspace(-size[0] / 2, size[0] / 2, 240), np.linspace(size[1] / 2, -size[1] / 2, 120)),
        axis=-1,
    )
    surface = np.concatenate([points, 0.12 * worn * noise((120, 240), rng, 1.9)[..., None]], axis=-1)
    return shape(*moved(grid(surface), (0, y, z)), bumped(coated(colour, rough, 0.4), height, 0.35))


def _lettered(name: str, rng: np.random.Generator) -> np.ndarray:
    _, number, kind = _POWDERS[name]
    return printed(
        (700, 620),
        [
            (0.06, 0.07, 0.105, name, True), (0.06, 0.24, 0.055, f"{number}   {kind}", False),
            (0.06, 0.34, 0.042, "expansion 104 · soft at 525 °C", False),
            (0.06, 0.42, 0.042, "keep dry, keep the lid on", False),
            (0.06, 0.50, 0.036, "wear a mask: the dust is fine and sharp", False),
        ],
        rng, bars=(0.06, 0.60, 0.46, 0.17),
    )  # fmt: skip


def _jar(name: str, at: tuple[float, float], rng: np.random.Generator, fill: float, turn: float) -> Scene:
    """A jar of glass powder with its label."""
    colour = _POWDERS[name][0]
    x, y = at
    r, h = 5.0, 13.0
    outer = [
        (0.01, 0),
        (r - 0.8, 0),
        (r, 0.7),
        (r, h - 3),
        (r - 0.5, h - 1.6),
        (r - 1.3, h - 0.7),
        (r - 1.3, h + 0.8),
    ]
    inner = [
        (r - 1.55, h + 0.8),
        (r - 1.6, h - 0.7),
        (r - 0.8, h - 1.8),
        (r - 0.32, h - 3),
        (r - 0.32, 0.9),
        (r - 1.0, 0.45),
        (0.01, 0.45),
    ]
    body = moved(turned([*outer, *inner], 128), (x, y, 0), turn)
    top = max(fill * (h - 3), 2.0)
    # the powder lies against the glass: what is seen of it is a coloured ground under a clear coat
    heap = [
        (0.01, 0.0),
        (r - 0.7, 0.0),
        (r + 0.08, 0.62),
        (r + 0.08, top),
        (0.55 * r, top + 0.35),
        (0.01, top + 0.6),
    ]
    grain = np.clip(1 + 0.45 * noise((700, 1200), rng, 0.25) + 0.12 * noise((700, 1200), rng, 1.2), 0.2, 2.0)
    powder = np.clip(np.asarray(colour, np.float32) * grain[..., None], 0.002, 0.92)
    content = moved(turned(heap, 128, 2), (x, y, 0), turn)
    lid_r = r - 0.95
    ribs = turned(
        [
            (0.01, h + 1.9),
            (lid_r - 0.3, h + 1.9),
            (lid_r, h + 1.6),
            (lid_r, h - 0.3),
            (lid_r - 0.2, h - 0.35),
        ],
        160,
    )
    wave = 1 + 0.008 * np.sign(np.sin(40 * np.arctan2(ribs[0][:, 1], ribs[0][:, 0])))
    ribs[0][:, :2] *= np.where((ribs[0][:, 2] < h + 1.5)[:, None], wave[:, None], 1)
    lid = moved(ribs, (x, y, 0), turn)
    angle = np.linspace(-0.86, 0.86, 48)
    z = np.linspace(h - 3.7, h - 10.4, 24)
    a, b = np.meshgrid(angle, z)
    curl = 0.14 + 0.10 * np.clip(np.abs(a) - 0.80, 0, 1) * 5 + 0.03 * np.sin(5 * b + a)
    paper = np.stack([(r + curl) * np.sin(a), -(r + curl) * np.cos(a), b], axis=-1)
    label = moved(grid(paper), (x, y, 0), turn)
    key = name.replace(" ", "_")
    return {
        f"{key}_glass": shape(*body, glass((0.985, 0.99, 0.985))),
        f"{key}_powder": shape(*content, coated(powder, 0.06, 0.6, (3, 1.5))),
        f"{key}_lid": shape(*lid, metal(scratched((500, 900), rng, 0.28), (0.50, 0.49, 0.47))),
        f"{key}_label": shape(*label, coated(_lettered(name, rng), 0.55, 0.25)),
    }


def _brush(
    at: tuple[float, float, float],
    turn: float,
    rng: np.random.Generator,
    key: str,
    paint: tuple[float, float, float],
) -> Scene:
    t = np.linspace(0, 1, 30)
    handle = np.stack([-16 + 14 * t, 0 * t, 0.9 + 0.12 * np.sin(5 * t)], axis=1)
    grip = swept(handle, 0.55 + 0.28 * np.sin(np.pi * t) ** 2 - 0.25 * (t < 0.06), 24)
    ferrule = swept(np.stack([np.linspace(-2.4, 1.2, 12), 0 * np.arange(12), 0.9 + 0 * np.arange(12)], axis=1),
                    0.75 + 0.05 * np.sin(np.arange(12) * 2.1), 32)  # fmt: skip
    strands = []
    for _ in range(2600):
        r, a = 0.72 * np.sqrt(rng.random()), rng.uniform(0, 2 * np.pi)
        start = np.array([0.3, r * np.cos(a), 0.9 + 0.75 * r * np.sin(a)])
        spread = rng.normal(0, 0.16, 2) + 1.1 * np.array([r * np.cos(a), 0.7 * r * np.sin(a)])
        long = 5.0 + rng.normal(0, 0.35)
        s = np.linspace(0, 1, 6)[:, None]
        strand = start + s * np.array([long, 0, -0.25]) + s**2 * np.array([0, spread[0], spread[1]])
        strand[:, 2] = np.maximum(strand[:, 2], 0.10 + 0.12 * rng.random())
        strands.append(strand)
    c, s_ = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    rotate = np.array([[c, -s_, 0], [s_, c, 0], [0, 0, 1]])
    strands = [strand @ rotate.T + np.asarray(at) for strand in strands]
    worn = np.clip(noise((300, 600), rng, 1.3) - 1.2, 0, 1)[..., None]
    colour = np.asarray(paint, np.float32) * (1 - worn) + np.array([0.32, 0.19, 0.09], np.float32) * worn
    return {
        f"{key}_handle": shape(*moved(grip, at, turn), coated(colour, 0.25, 0.6)),
        f"{key}_ferrule": shape(
            *moved(ferrule, at, turn), metal(scratched((200, 300), rng, 0.22), (0.60, 0.58, 0.54))
        ),
        f"{key}_hair": curves(strands, 0.018, hair((0.42, 0.29, 0.16))),
    }


def _duster(at: tuple[float, float, float], rng: np.random.Generator) -> Scene:
    """Feathers on a stick that hangs head down."""
    x, y, z = at
    strands = []
    for _ in range(70):
        a, tilt = rng.uniform(0, 2 * np.pi), rng.uniform(0.25, 1.15)
        out = np.array([np.cos(a) * np.sin(tilt), np.sin(a) * np.sin(tilt), -np.cos(tilt)])
        start = np.array([x, y, z - rng.uniform(0, 5)])
        long = rng.uniform(6, 9)
        s = np.linspace(0, 1, 14)[:, None]
        quill = start + s * out * long + s**2 * np.array([0, 0, -2.2])
        strands.append(quill)
        side = np.cross(out, [0, 0, 1.0])
        side /= np.linalg.norm(side)
        flat = np.cross(side, out)
        for k in range(2, 14):
            for sign in (-1, 1):
                for _ in range(7):
                    f = (k + rng.random()) / 14
                    root = start + f * out * long + f**2 * np.array([0, 0, -2.2])
                    width = 1.5 * np.sin(np.pi * min(f * 0.95, 1)) + 0.35
                    t = np.linspace(0, 1, 5)[:, None]
                    tip = sign * side * width + out * width * 0.9 + flat * rng.normal(0, 0.18)
                    strands.append(
                        root + t * tip + t**2 * np.array([0, 0, -0.35]) + t * rng.normal(0, 0.05, 3)
                    )
    stick = swept(np.array([[x, y, z - 4], [x, y, z + 6], [x + 0.1, y, z + 16]]), 0.45, 18)
    return {
        "duster_feathers": curves(strands, 0.016, hair((0.20, 0.165, 0.14), 0.5)),
        "duster_stick": shape(*stick, coated((0.17, 0.085, 0.04), 0.35)),
    }


def _tongs(at: tuple[float, float, float], key: str, rng: np.random.Generator, long: float) -> Scene:
    """Shears that hang from a rail."""
    x, y, z = at
    t = np.linspace(0, 1, 40)
    blades = []
    for sign in (-1, 1):
        px = x + sign * (1.5 * np.sin(np.pi * t**0.8) + 0.18) * (1 - 0.55 * t)
        path = np.stack([px, y + 0.15 * sign + 0 * t, z - long * t], axis=1)
        blades.append(swept(path, 0.28 - 0.16 * t, 14))
    loop = np.linspace(0.2, 2 * np.pi - 0.2, 40)
    ring = np.stack([x + 1.1 * np.sin(loop), y + 0 * loop, z + 1.1 - 1.1 * np.cos(loop)], axis=1)
    blades.append(swept(ring, 0.2, 12))
    pivot = moved(
        turned([(0.01, 0.3), (0.4, 0.3), (0.45, 0.1), (0.45, -0.3)], 40),
        (x, y - 0.3, z - 0.35 * long),
        0,
        (90, 0),
    )
    steel = metal(scratched((300, 700), rng, 0.17), (0.52, 0.51, 0.50), (1, 3))
    return {
        f"{key}_blades": shape(*joined(blades), steel),
        f"{key}_pivot": shape(*pivot, metal(0.3, (0.55, 0.42, 0.22))),
    }


def _paddle(at: tuple[float, float, float], key: str, rng: np.random.Generator) -> Scene:
    x, y, z = at
    t = np.linspace(0, 1, 60)
    radius = np.where(
        t < 0.55,
        0.42 + 0.05 * np.sin(9 * t),
        0.42 + 1.9 * np.sin(np.pi * np.clip((t - 0.55) / 0.45, 0, 1)) ** 0.8,
    )
    path = np.stack([x + 0.15 * np.sin(3 * t), y + 0 * t, z - 22 * t], axis=1)
    mesh = swept(path, radius, 30)
    mesh[0][:, 1] = y + (mesh[0][:, 1] - y) * np.where(mesh[0][:, 2] < z - 12, 0.38, 0.9)
    colour, height = wood((900, 300), rng, (0.42, 0.22, 0.09), (0.22, 0.095, 0.035), 1)
    burnt = np.clip((np.linspace(0, 1, 900)[:, None] - 0.72 + 0.08 * noise((900, 300), rng, 1.6)) * 4, 0, 0.9)
    return {f"{key}": shape(*mesh, bumped(coated(colour * (1 - burnt[..., None]), 0.5, 0.3), height, 0.3))}


def bench(rng: np.random.Generator) -> Scene:
    """The tool bench: jars of glass powder, a brush, a ruler, orders; tools on a rail before the wall."""
    scene = _start()
    scene["sensor"] = camera((4, -104, 42), (0.5, 2, 14.5), 48, 111, 0.36)
    scene["wall"] = _brick_wall(
        rng, (170, 95), 24, 13, 6.6, pale=(0.42, 0.34, 0.26), brick=(0.30, 0.21, 0.15), soot=0.25
    )
    scene["table"] = _table(rng, (190, 78), -14)
    places = ((-31, 6), (-15.5, 8), (-0.5, 5.5), (14.5, 7.5), (29, 5))
    for (name, _), at, fill, turn in zip(
        _POWDERS.items(), places, (0.82, 0.7, 0.9, 0.62, 0.78), (6, -9, 3, -5, 10), strict=True
    ):
        scene |= _jar(name, at, rng, fill, turn)
    scene |= _brush((-14, -19, 0.0), 8, rng, "brush", (0.42, 0.022, 0.03))
    scene |= _brush((-24, -10, 0.0), -24, rng, "brush2", (0.03, 0.06, 0.05))
    scene |= _duster((47, 8, 26), rng)
    rail = swept(
        np.array([[-62, 19.5, 39.5], [-20, 19.5, 39.2], [20, 19.5, 39.2], [62, 19.5, 39.6]]), 0.55, 24
    )
    scene["rail"] = shape(*rail, metal(scratched((200, 1500), rng, 0.3), (0.16, 0.155, 0.15)))
    for k, x in enumerate((-50, -36, -24, 4, 18, 36)):
        scene |= _tongs((x, 18.8, 36.8), f"tongs{k}", rng, float(rng.uniform(13, 19)))
    for k, x in enumerate((-43, -9, 28)):
        scene |= _paddle((x, 18.6, 38.5), f"paddle{k}", rng)
    marks = [(0.012 + 0.96 * k / 30, 0.55 if k % 5 else 0.42, 0.014, "|", False) for k in range(31)]
    marks += [(0.008 + 0.96 * k / 6, 0.10, 0.020, f"{50 * k}", False) for k in range(7)]
    face = printed(
        (2400, 190),
        [(x, y * 190 / 2400, s, text, bold) for x, y, s, text, bold in marks],
        rng,
        (0.62, 0.60, 0.52),
    )
    rule = np.stack(np.meshgrid(np.linspace(-15.5, 15.5, 40), np.linspace(1.25, -1.25, 6)), axis=-1)
    rule = np.concatenate([rule, 0.42 + 0 * rule[..., :1]], axis=-1)
    scene["ruler"] = shape(*moved(grid(rule), (-7, -31, 0), 3), coated(face, 0.35, 0.5))
    scene["ruler_body"] = shape(
        *moved(box((31.4, 2.7, 0.36), 0.08), (-7, -31, 0.2), 3), coated((0.42, 0.40, 0.34), 0.4)
    )
    text = [
        (0.05, 0.05, 0.040, "Orders for the archive week", True),
        *((0.05, 0.15 + 0.085 * k, 0.027, line, False) for k, line in enumerate((
            "Mon   lamp chimneys, 6 pieces, wall 2.2 mm", "Tue   bowls, foot ring ground flat",
            "Wed   repair of the blue carafe (handle)", "Thu   samples: amber over opal, 40 × 40",
            "Fri   annealer 510 °C, hold 90 min, then 35 °C an hour", "mind the shears: the left blade is nicked",
        ))),
    ]  # fmt: skip
    sheet = printed((1500, 1050), text, rng, (0.70, 0.66, 0.56))
    gx, gy = np.meshgrid(np.linspace(-11, 11, 60), np.linspace(7.7, -7.7, 44))
    curl = 0.10 + 0.9 * np.clip((gx + gy * 0.6 - 11) / 9, 0, 2) ** 2 + 0.06 * noise((44, 60), rng, 2)
    scene["orders"] = shape(
        *moved(grid(np.stack([gx, gy, curl], -1)), (26, -22, 0.1), -7), coated(sheet, 0.6, 0.2)
    )
    scene["lamp"] = panel((38, -38, 92), (2, 2, 0), (30, 22), (62, 40, 21))
    scene["day"] = panel((-150, -70, 70), (0, 0, 10), (110, 120), (1.35, 1.7, 2.3))
    scene["room"] = {"type": "constant", "radiance": rgb((0.045, 0.04, 0.035))}
    return scene


def _tube(
    points: list[tuple[float, float, float]], radius: float, steps: int = 24
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A rod through points, rounded at its bends."""
    path = np.asarray(points, float)
    t = np.arange(len(path))
    fine = np.linspace(0, len(path) - 1, steps * (len(path) - 1))
    line = np.stack([np.interp(fine, t, path[:, k]) for k in range(3)], axis=1)
    for _ in range(6):
        line[1:-1] = (line[:-2] + 2 * line[1:-1] + line[2:]) / 4
    return swept(line, radius, 22)


def _limb(
    a: tuple[float, float, float],
    b: tuple[float, float, float],
    ra: float,
    rb: float,
    folds: float,
    rng: np.random.Generator,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A sleeve or a leg of trousers with folds."""
    t = np.linspace(0, 1, 60)[:, None]
    line = np.asarray(a) * (1 - t) + np.asarray(b) * t
    mesh = swept(
        line, (ra + (rb - ra) * t[:, 0]) * np.sqrt(np.clip(1 - (2 * t[:, 0] - 1) ** 12, 0.02, 1)), 48
    )
    wave = noise((60, 49), rng, 1.5, (1.0, 3.0)).ravel()
    middle = np.repeat(line, 49, axis=0)
    out = mesh[0] - middle
    return middle + out * (1 + folds * wave[:, None]), mesh[1], mesh[2]


def figure(rng: np.random.Generator, at: tuple[float, float], reach: tuple[float, float, float]) -> Scene:
    """A glassmaker seen from behind and aside, at the pipe: apron, sleeves, cap; no face. `reach` is where the pipe ends."""
    x, y = at
    cloth = np.clip(1 + 0.10 * noise((500, 500), rng, 0.4) + 0.25 * noise((500, 500), rng, 1.8), 0.2, 2)
    shirt = dull(np.clip(cloth[..., None] * np.array([0.10, 0.13, 0.18], np.float32), 0.005, 0.8), (2, 2))
    trousers = dull(
        np.clip(cloth[..., None] * np.array([0.045, 0.042, 0.045], np.float32), 0.004, 0.8), (2, 2)
    )
    leather = coated(
        np.clip(cloth[..., None] * np.array([0.17, 0.085, 0.038], np.float32), 0.005, 0.8), 0.5, 0.35, (2, 2)
    )
    skin = coated((0.42, 0.235, 0.155), 0.45, 0.4)
    direction = np.array([reach[0] - x, reach[1] - y])
    direction = direction / np.linalg.norm(direction)
    side = np.array([-direction[1], direction[0]])

    def at_(forward: float, aside: float, z: float) -> tuple[float, float, float]:
        p = np.array([x, y]) + forward * direction + aside * side
        return float(p[0]), float(p[1]), z

    hips = at_(0, 0, 92)
    legs = [_limb(at_(1, s * 9.5, 90), at_(s * 6 + 2, s * 12, 6), 9.5, 6.2, 0.05, rng) for s in (-1, 1)]
    torso = _limb(hips, at_(8, 0, 150), 17.5, 15, 0.03, rng)
    shoulders = _limb(at_(8, -19, 142), at_(8, 19, 142), 8.5, 8.5, 0.03, rng)
    hands = (at_(34, -4, 112), at_(58, 3, 112))
    arms = []
    for s, hand in zip((-1, 1), hands, strict=True):
        elbow = at_(19 + 6 * s, s * 20, 116)
        arms += [
            _limb(at_(8, s * 19, 142), elbow, 7.2, 5.8, 0.05, rng),
            _limb(elbow, hand, 5.6, 4.1, 0.05, rng),
        ]
    head = moved(
        turned([(0.01, 12.5), (6.2, 11), (8.8, 5), (9.0, -1), (7.2, -8), (5.2, -13), (5.2, -17)], 64),
        at_(11, 0, 168),
        0,
        (8, 0),
    )
    cap = moved(
        turned([(0.01, 13.6), (6.8, 12.2), (9.6, 6), (9.9, 2.5), (9.6, 2.0)], 64),
        at_(11, 0, 168.4),
        0,
        (10, -4),
    )
    apron = _limb(at_(3, 0, 138), at_(6, 0, 52), 18.2, 20.5, 0.02, rng)
    boots = [
        moved(
            box((26, 10, 9), 3.2),
            at_(s * 6 + 7, s * 12, 4.6),
            float(np.degrees(np.arctan2(direction[1], direction[0]))),
        )
        for s in (-1, 1)
    ]
    start = np.array(at_(20, -1, 112))
    pipe = swept(np.linspace(start, np.asarray(reach), 40), 1.05, 20)
    palms = [
        moved(turned([(0.01, 4.5), (3.0, 3.8), (4.2, 0), (3.4, -4), (0.01, -4.6)], 32), hand, 0, (90, 0))
        for hand in hands
    ]
    return {
        "worker_trousers": shape(*joined([*legs]), trousers),
        "worker_shirt": shape(*joined([torso, shoulders, *arms]), shirt),
        "worker_apron": shape(*apron, leather),
        "worker_head": shape(*joined([head, *palms]), skin),
        "worker_cap": shape(
            *cap,
            dull(np.clip(cloth[..., None] * np.array([0.16, 0.05, 0.04], np.float32), 0.004, 0.8), (2, 2)),
        ),
        "worker_boots": shape(*joined(boots), coated((0.035, 0.028, 0.024), 0.45)),
        "worker_pipe": shape(*pipe, metal(scratched((300, 900), rng, 0.3), (0.34, 0.32, 0.30))),
        "worker_gather": shining_ball(reach, 5.2, (17.0, 5.2, 0.75)),
    }


def _shelf_things(rng: np.random.Generator, x0: float, x1: float, y: float, z: float, key: str) -> Scene:
    """Vessels and boxes that stand on a board."""
    made: Scene = {}
    x, k = x0, 0
    while x < x1 - 6:
        r, h = float(rng.uniform(3, 6)), float(rng.uniform(8, 22))
        tone = tuple(float(v) for v in rng.uniform(0.02, 0.35, 3))
        if rng.random() < 0.62:
            belly = float(rng.uniform(0.75, 1.25))
            profile = [
                (0.01, 0.4),
                (0.7 * r, 0.4),
                (r * belly, 0.4 * h),
                (0.55 * r, 0.8 * h),
                (0.7 * r, h),
                (0.62 * r, h),
                (0.01, 0.55 * h),
            ]
            surface = coated(tone, float(rng.uniform(0.03, 0.3)), 0.7)
            made[f"{key}_{k}"] = shape(
                *moved(turned(profile, 72, 2, 2), (x + r, y + rng.uniform(-2, 2), z)), surface
            )
        else:
            size = (2 * r, float(rng.uniform(8, 14)), 0.7 * h)
            made[f"{key}_{k}"] = shape(*moved(box(size, 0.3), (x + r, y, z + 0.35 * h), float(rng.uniform(-9, 9))),
                                       dull(tuple(v * 0.7 + 0.06 for v in tone)))  # fmt: skip
        x += 2 * r + float(rng.uniform(0.8, 4))
        k += 1
    return made


def _mouth(rng: np.random.Generator) -> np.ndarray:
    """What glows inside the furnace: hottest at the glass below, streaked."""
    h, w = 600, 760
    y = np.linspace(0, 1, h)[:, None]
    heat = (
        0.35
        + 0.9 * np.exp(-(((y - 0.80) / 0.16) ** 2))
        + 0.12 * noise((h, w), rng, 1.7, (1.0, 2.5))
        + 0.05 * noise((h, w), rng, 0.9)
    )
    heat = np.clip(heat, 0.05, 2.0)[..., None]
    # a glowing body from 1,250 to 1,500 kelvin
    return (np.array([15.0, 4.3, 0.55], np.float32) * heat ** np.array([1.6, 2.1, 3.0], np.float32)).astype(
        np.float32
    )


def furnace(rng: np.random.Generator, pose: float | None = 0.0) -> Scene:
    """The furnace mouth in the dark room; `pose` −1…1 moves the glassmaker, None leaves him out."""
    scene = _start(9)
    scene["sensor"] = camera((0, -520, 128), (12, 0, 112), 49, 520, 1.2)
    colour, height = bricks((2400, 3000), rng, 45, 25, soot=0.6)
    # the mouth is a hole in the wall: an arch
    wide, high = 46.0, 58.0
    z, x = np.meshgrid(np.linspace(325, 0, 900), np.linspace(-310, 310, 1125), indexing="ij")
    inside = (
        (np.abs(x - 24) < wide / 2)
        & (z > 78)
        & ((z < 78 + high - wide / 2) | ((x - 24) ** 2 + (z - (78 + high - wide / 2)) ** 2 < (wide / 2) ** 2))
    )
    from scipy.ndimage import binary_dilation, zoom

    relief_ = zoom(height, (900 / height.shape[0], 1125 / height.shape[1]), order=1)
    points = np.stack([x, -1.1 * relief_, z], axis=-1)
    p, f, uv = grid(points)
    hole = inside.ravel()
    f = f[~hole[f].any(axis=1)]
    rim = binary_dilation(zoom(inside.astype(float), (2400 / 900, 3000 / 1125), order=0) > 0.5, iterations=90)
    stone = np.clip(0.20 + 0.03 * noise(height.shape, rng, 0.8), 0.02, 1)[..., None] * np.array(
        [1, 0.80, 0.62], np.float32
    )
    colour = np.where(rim[..., None], stone, colour)
    scene["wall"] = shape(p, f, uv, bumped(dull(colour), height, 0.25))
    arch = []
    angle = np.linspace(0, np.pi, 15)
    top = 78 + high - wide / 2
    for k in range(14):
        a = (angle[k] + angle[k + 1]) / 2
        r = wide / 2 + 5.5
        arch.append(
            moved(
                box((9.2, 14, 10.5), 0.7),
                (24 + r * np.cos(a), -2, top + r * np.sin(a)),
                0,
                (0, float(90 - np.degrees(a))),
            )
        )
    for s in (-1, 1):
        arch += [
            moved(box((10.5, 14, 9.4), 0.7), (24 + s * (wide / 2 + 5.5), -2, 82 + 9.9 * k)) for k in range(4)
        ]
    arch.append(moved(box((wide + 30, 22, 7), 0.8), (24, -6, 74)))
    scene["arch"] = shape(
        *joined(arch),
        dull(
            np.clip(0.25 + 0.07 * noise((500, 500), rng, 1.2), 0.02, 1)[..., None]
            * np.array([1, 0.78, 0.58], np.float32)
        ),
    )
    heat = _mouth(rng)
    scene["fire"] = {
        "type": "rectangle", "bsdf": {"type": "diffuse", "reflectance": rgb((0.1, 0.1, 0.1))},
        "to_world": _facing((24, 30, 106), (wide, 84)), "emitter": {"type": "area", "radiance": bitmap(heat)},
    }  # fmt: skip
    tunnel = [moved(box((1.5, 40, 90), 0.2), (24 + s * (wide / 2 + 2), 12, 106)) for s in (-1, 1)]
    tunnel.append(moved(box((wide + 6, 40, 1.5), 0.2), (24, 12, 77)))
    scene["tunnel"] = shape(*joined(tunnel), dull((0.5, 0.42, 0.34)))
    floor = np.stack(np.meshgrid(np.linspace(-330, 330, 80), np.linspace(40, -480, 70)), axis=-1)
    scene["floor"] = shape(*grid(np.concatenate([floor, 0.5 * noise((70, 80), rng, 1.8)[..., None]], -1)),
                           coated(concrete((1600, 2000), rng), np.clip(0.5 + 0.12 * noise((800, 1000), rng, 1.5), 0.2, 0.9), 0.3))  # fmt: skip
    for k, (z0, a, b) in enumerate(((196, -235, -70), (150, -235, -110), (176, 120, 240))):
        scene[f"board{k}"] = shape(
            *moved(box((b - a, 24, 2.6), 0.4), ((a + b) / 2, -14, z0)), coated(wood((400, 1400), rng)[0], 0.5)
        )
        scene |= _shelf_things(rng, a + 4, b - 4, -13, z0 + 1.3, f"things{k}")
    for k in range(7):
        x = 150 + 11.5 * k + float(rng.uniform(-2, 2))
        rod = _tube(
            [
                (x, -4, 6),
                (x + rng.uniform(-3, 3), -5, 90),
                (x + rng.uniform(-5, 5), -3, 150 + rng.uniform(0, 25)),
            ],
            1.1,
        )
        scene[f"rod{k}"] = shape(*rod, metal(scratched((200, 900), rng, 0.3), (0.36, 0.34, 0.32)))
    scene["marver"] = shape(*joined([moved(box((70, 46, 5), 0.8), (-62, -120, 84)),
                                     *(moved(box((5, 5, 82), 0.5), (-62 + a * 29, -120 + b * 18, 41)) for a in (-1, 1) for b in (-1, 1))]),
                            metal(scratched((700, 900), rng, 0.25), (0.40, 0.39, 0.38)))  # fmt: skip
    frame = []
    for k in range(4):
        frame.append(moved(box((2.2, 5, 62), 0.3), (-214 + 21 * k, -3, 222)))
    for k in range(3):
        frame.append(moved(box((66, 5, 2.2), 0.3), (-182.5, -3, 192 + 30 * k)))
    scene["casement"] = shape(*joined(frame), coated((0.10, 0.11, 0.10), 0.4))
    scene["evening"] = {
        "type": "rectangle", "bsdf": {"type": "diffuse", "reflectance": rgb((0, 0, 0))},
        "to_world": _facing((-182.5, -1.5, 222), (64, 62)),
        "emitter": {"type": "area", "radiance": bitmap(np.clip(0.75 + 0.12 * noise((200, 200), rng, 2.0), 0.2, 2)[..., None] * np.array([0.8, 1.35, 2.2], np.float32))},
    }  # fmt: skip
    scene["bulb"] = shining_ball((262, -120, 235), 4.0, (150, 108, 66))
    scene["room"] = {"type": "constant", "radiance": rgb((0.006, 0.0055, 0.0055))}
    if pose is not None:
        scene |= figure(rng, (-58 + 26 * pose, -95 - 12 * pose), (20 + 6 * pose, -16 + 4 * pose, 104))
    return scene


def _facing(at: tuple[float, float, float], size: tuple[float, float]) -> Any:
    import mitsuba as mi

    turn = mi.ScalarTransform4f().look_at(origin=list(at), target=[at[0], at[1] - 1, at[2]], up=[0, 0, 1])
    return turn @ mi.ScalarTransform4f().scale([size[0] / 2, size[1] / 2, 1])


def _foliage(
    rng: np.random.Generator,
    middle: tuple[float, float, float],
    spread: tuple[float, float, float],
    count: int,
    size: float,
) -> list:
    """Leaves on twigs: one mesh."""
    leaves = [
        leaf(size * a, size * 0.30 * a, b, 0.25)
        for a, b in ((1.0, 0.2), (0.8, 0.35), (1.15, 0.1), (0.9, 0.5))
    ]
    made = []
    twigs = max(8, count // 14)
    for _ in range(twigs):
        root = np.asarray(middle) + rng.normal(0, 0.5, 3) * np.asarray(spread)
        heading = rng.normal(0, 1, 3) + np.array([0, 0, -0.25])
        heading /= np.linalg.norm(heading)
        long = size * rng.uniform(3, 6)
        for k in range(count // twigs):
            t = (k + rng.random()) / (count // twigs)
            at = root + heading * long * t + np.array([0, 0, -0.12 * long * t * t])
            made.append(
                moved(
                    leaves[rng.integers(4)],
                    tuple(at),
                    float(rng.uniform(0, 360)),
                    (float(rng.normal(0, 35)), float(rng.normal(15, 30))),
                )
            )
    return made


def _leafy(name: str, meshes: list, rng: np.random.Generator, tone: tuple[float, float, float]) -> Scene:
    """Leaves in a few tones of green."""
    made: Scene = {}
    order = rng.permutation(len(meshes))
    for k, part in enumerate(np.array_split(order, 4)):
        own = np.asarray(tone) * rng.uniform(0.75, 1.3, 3)
        made[f"{name}{k}"] = shape(*joined([meshes[n] for n in part]), coated(tuple(own), 0.32, 0.5))
    return made


def _vase(
    at: tuple[float, float, float], h: float, kind: int, tint: tuple[float, float, float], key: str
) -> Scene:
    """A vessel of coloured glass with a wall and a heavy foot."""
    outlines = (
        [(0.30, 0), (0.34, 0.05), (0.24, 0.14), (0.40, 0.42), (0.30, 0.70), (0.13, 0.84), (0.22, 1.0)],
        [(0.25, 0), (0.27, 0.04), (0.20, 0.30), (0.17, 0.62), (0.24, 0.86), (0.33, 1.0)],
        [(0.34, 0), (0.44, 0.12), (0.48, 0.34), (0.36, 0.60), (0.15, 0.72), (0.13, 0.92), (0.19, 1.0)],
        [(0.22, 0), (0.22, 0.03), (0.06, 0.12), (0.06, 0.42), (0.26, 0.60), (0.30, 0.82), (0.25, 1.0)],
    )
    outer = [(r * h, z * h) for r, z in outlines[kind]]
    wall = 0.022 * h
    inner = [(max(r - wall, 0.02), z) for r, z in outer[::-1] if z > 0.10 * h]
    profile = [(0.01, 0), *outer, *inner, (0.01, 0.10 * h)]
    return {key: shape(*moved(turned(profile, 144, 2, 3), at), glass(tint))}


def window(rng: np.random.Generator) -> Scene:
    """The window: vessels on the sill before a bright yard with leaves."""
    scene = _start(12)
    scene["sensor"] = camera((0, -150, 118), (1, 30, 126), 40, 176, 0.75)
    colour, height = plaster((1600, 2200), rng, (0.40, 0.37, 0.32), 0.8)
    z, x = np.meshgrid(np.linspace(230, 30, 500), np.linspace(-150, 150, 640), indexing="ij")
    hole = (np.abs(x) < 56) & (z > 96) & (z < 186)
    points = np.stack([x, -0.5 * height[:: 1600 // 500, :: 2200 // 640][:500, :640] * 0.6, z], -1)
    p, f, uv = grid(points)
    f = f[~hole.ravel()[f].any(axis=1)]
    scene["wall"] = shape(p, f, uv, bumped(dull(colour), height, 0.2))
    paint = coated(
        np.clip(
            0.33
            + 0.03 * noise((600, 600), rng, 1.0)
            - 0.2 * np.clip(noise((600, 600), rng, 1.4) - 1.4, 0, 1),
            0.05,
            1,
        )[..., None]
        * np.array([0.95, 1.0, 0.92], np.float32),
        0.35,
    )
    frame = [moved(box((5, 7, 92), 0.5), (s * 56, 8, 141)) for s in (-1, 1)]
    frame += [moved(box((116, 7, 5), 0.5), (0, 8, zz)) for zz in (96, 187)]
    frame += [moved(box((3, 5, 90), 0.4), (xx, 8, 141)) for xx in (-19, 19)]
    frame += [moved(box((112, 5, 3), 0.4), (0, 8, zz)) for zz in (126, 157)]
    scene["frame"] = shape(*joined(frame), paint)
    reveal = [moved(box((3, 26, 96), 0.3), (s * 60, 6, 141)) for s in (-1, 1)] + [
        moved(box((124, 26, 3), 0.3), (0, 6, 191))
    ]
    scene["reveal"] = shape(*joined(reveal), dull((0.42, 0.40, 0.36)))
    boards, grain = wood((600, 2000), rng, (0.40, 0.30, 0.20), (0.22, 0.15, 0.09), 1)
    scene["sill"] = shape(
        *moved(box((140, 34, 4), 0.6), (0, -9, 93)), bumped(coated(boards, 0.35, 0.5), grain, 0.3)
    )
    for k, (x0, h, kind, tint) in enumerate(((-40, 24, 0, (0.30, 0.62, 0.97)), (-26, 19, 2, (0.97, 0.66, 0.20)), (14, 27, 1, (0.90, 0.20, 0.30)),
                                             (31, 20, 3, (0.25, 0.85, 0.60)), (43, 15, 2, (0.92, 0.93, 0.95)))):  # fmt: skip
        scene |= _vase((x0, -10 + float(rng.uniform(-3, 3)), 95), h, kind, tint, f"vase{k}")
    near = _foliage(rng, (-25, 85, 165), (80, 30, 50), 1500, 9.0) + _foliage(
        rng, (50, 110, 140), (60, 40, 60), 1300, 8.0
    )
    far = _foliage(rng, (0, 320, 170), (420, 80, 160), 5200, 16.0)
    scene |= _leafy("near", near, rng, (0.085, 0.21, 0.03)) | _leafy("far", far, rng, (0.07, 0.17, 0.035))
    branches = [_tube([(-120, 130, 60), (-70, 100, 130), (-20, 88, 170), (40, 80, 190), (90, 90, 230)], 2.0),
                _tube([(-70, 100, 130), (-40, 90, 150), (10, 92, 150), (40, 110, 140)], 1.1),
                _tube([(120, 150, 20), (80, 130, 110), (55, 115, 150), (30, 110, 200)], 2.4)]  # fmt: skip
    scene["branches"] = shape(*joined(branches), dull((0.09, 0.065, 0.045)))
    scene["house"] = shape(*moved(grid(np.stack([*np.meshgrid(np.linspace(-700, 700, 4), np.linspace(330, -40, 4))], -1) @ np.array([[1, 0, 0], [0, 0, 1.0]])), (0, 560, 0)),
                           dull(bricks((1400, 2600), rng, 50, 32, brick=(0.36, 0.16, 0.10))[0]))  # fmt: skip
    lawn = np.stack(np.meshgrid(np.linspace(-900, 900, 4), np.linspace(700, 20, 4)), -1)
    scene["yard"] = shape(
        *grid(np.concatenate([lawn, 0 * lawn[..., :1]], -1)), dull(concrete((900, 1200), rng, 0.26))
    )
    around = [moved(box((520, 700, 6), 0.5), (0, -345, 300)), *(moved(box((6, 700, 330), 0.5), (s * 250, -345, 150)) for s in (-1, 1)),
              moved(box((620, 10, 420), 0.5), (-460, 12, 150)), moved(box((620, 10, 420), 0.5), (460, 12, 150)), moved(box((420, 10, 90), 0.5), (0, 12, 275)),
              moved(box((420, 10, 90), 0.5), (0, 14, -14))]  # fmt: skip
    scene["inside"] = shape(*joined(around), dull((0.22, 0.20, 0.18)))
    scene["sky"] = panel((0, 900, 1300), (0, 700, 0), (3000, 2000), (9.5, 11.5, 14.5))
    scene["sun"] = panel((700, -300, 1500), (0, 200, 100), (150, 150), (2100, 1900, 1580))
    scene["inner"] = panel((90, -260, 240), (0, 0, 110), (60, 40), (1.1, 0.9, 0.66))
    scene["room"] = {"type": "constant", "radiance": rgb((0.030, 0.029, 0.027))}
    return scene


def vases(
    rng: np.random.Generator, focus: float = 0.0, shift: tuple[float, float] = (0, 0), roll: float = 0.0
) -> Scene:
    """Vessels on a dark board by a window; `focus` centimetres behind the middle one, the camera moved by `shift`."""
    scene = _start(14)
    at, towards = (
        np.array([8.0 + shift[0], -92, 34 + shift[1]]),
        np.array([1.0 + 0.9 * shift[0], 4, 14 + 0.9 * shift[1]]),
    )
    scene["sensor"] = camera(
        tuple(at), tuple(towards), 38, float(np.linalg.norm(towards - at)) + focus, 1.5, roll=roll
    )
    scene["board"] = _table(rng, (170, 110), 8)
    colour, height = plaster((1400, 2000), rng, (0.24, 0.25, 0.27), 0.6)
    scene["wall"] = shape(
        *moved(relief(height, (230, 140), 0.35, 500), (0, 62, 0)), bumped(dull(colour), height, 0.2)
    )
    for k, (x, y, h, kind, tint) in enumerate((
        (-22, 8, 26, 0, (0.22, 0.50, 0.95)), (-7, -4, 20, 2, (0.97, 0.62, 0.16)), (7, 10, 30, 1, (0.90, 0.15, 0.24)),
        (20, -2, 22, 3, (0.94, 0.95, 0.96)), (31, 16, 25, 2, (0.20, 0.80, 0.52)), (-36, 22, 17, 3, (0.80, 0.55, 0.90)),
    )):  # fmt: skip
        scene |= _vase((x, y, 0.05), h, kind, tint, f"vase{k}")
    tag = printed((600, 380), [(0.07, 0.06, 0.10, "Lot 14", True), (0.07, 0.22, 0.062, "five vessels, blown", False),
                               (0.07, 0.32, 0.062, "lead-free, 2.1 mm wall", False), (0.07, 0.42, 0.062, "hold by the foot", False)], rng)  # fmt: skip
    gx, gy = np.meshgrid(np.linspace(-5.5, 5.5, 20), np.linspace(3.5, -3.5, 14))
    card_ = np.stack([gx, 0.35 * gy, 3.4 + 0.93 * gy], -1)
    scene["tag"] = shape(*moved(grid(card_), (3, -17, 0), -6), coated(tag, 0.6, 0.2))
    scene["day"] = panel((-120, -10, 75), (0, 0, 12), (90, 110), (4.2, 4.9, 5.9))
    scene["lamp"] = panel((70, -60, 100), (0, 5, 5), (26, 20), (20, 14.5, 9))
    scene["room"] = {"type": "constant", "radiance": rgb((0.05, 0.05, 0.052))}
    return scene


def yard(rng: np.random.Generator) -> Scene:
    """The yard wall under the sky: a drainpipe, aerials on the roof's edge, a thin wire."""
    scene = _start(6)
    scene["sensor"] = camera((-40, -900, 160), (10, 0, 330), 47, 930, 0.6)
    colour, height = bricks((3000, 4000), rng, 62, 34, brick=(0.34, 0.135, 0.075), pale=(0.46, 0.27, 0.17))
    points = relief(height, (860, 470), 1.2, 1500)
    scene["wall"] = shape(*points, bumped(dull(colour), height, 0.25))
    coping = [
        moved(
            box((44, 34, 8), 1.0),
            (-410 + 45.2 * k, 4, 474 + float(rng.uniform(-0.5, 0.5))),
            float(rng.uniform(-0.6, 0.6)),
        )
        for k in range(19)
    ]
    scene["coping"] = shape(
        *joined(coping),
        bumped(
            dull(
                np.clip(0.42 + 0.07 * noise((500, 900), rng, 1.3), 0.05, 1)[..., None]
                * np.array([1, 0.96, 0.88], np.float32)
            ),
            noise((500, 900), rng, 0.9),
            0.1,
        ),
    )
    pipe = [_tube([(250, -10, 480), (250, -10, 440), (242, -11, 300), (242, -11, 20)], 5.0)]
    pipe += [
        moved(turned([(5.6, -3), (6.3, -2), (6.3, 2), (5.6, 3)], 48), (242, -11, zz)) for zz in (60, 160, 260)
    ]
    rust = np.clip(noise((1200, 400), rng, 1.5, (3, 1)) - 0.5, 0, 1)[..., None]
    zinc = np.array([0.26, 0.27, 0.27], np.float32) * (1 + 0.06 * noise((1200, 400), rng, 1.0))[..., None]
    scene["pipe"] = shape(
        *joined(pipe),
        coated(
            np.clip(zinc * (1 - rust) + np.array([0.20, 0.085, 0.03], np.float32) * rust, 0.01, 1), 0.4, 0.5
        ),
    )
    rods = [_tube([(-150, 20, 470), (-150, 20, 700)], 1.3), _tube([(120, 26, 470), (121, 26, 655)], 1.1)]
    for k in range(9):
        half = 46 - 3.4 * k
        rods.append(_tube([(-150 - half, 20 - 0 * k, 690 - 0 * k), (-150 + half, 20, 690)], 0.45) if k == 0 else
                    _tube([(-150 + 9 * k - 40, 20 - half / 2, 668), (-150 + 9 * k - 40, 20 + half / 2, 668)], 0.4))  # fmt: skip
    rods += [_tube([(-195, 20, 668), (-105, 20, 668)], 0.8)]
    for k in range(6):
        rods.append(_tube([(98, 26, 640 - 13 * k), (144, 26, 640 - 13 * k)], 0.4))
    scene["aerials"] = shape(*joined(rods), metal(0.35, (0.42, 0.42, 0.43)))
    t = np.linspace(0, 1, 120)
    wires = [swept(np.stack([-520 + 1100 * t, 60 + 0 * t, 640 - 60 * 4 * t * (1 - t) + 40 * t], 1), 0.32, 8),
             swept(np.stack([-520 + 1100 * t, 40 + 0 * t, 585 - 44 * 4 * t * (1 - t) - 20 * t], 1), 0.22, 8)]  # fmt: skip
    scene["wires"] = shape(*joined(wires), dull((0.02, 0.02, 0.02)))
    scene |= _leafy(
        "ivy", _foliage(rng, (-330, -14, 120), (110, 8, 170), 5200, 9.0), rng, (0.055, 0.15, 0.03)
    )
    ground = np.stack(np.meshgrid(np.linspace(-900, 900, 4), np.linspace(30, -1000, 4)), -1)
    scene["ground"] = shape(
        *grid(np.concatenate([ground, 0 * ground[..., :1]], -1)),
        dull(concrete((1400, 2000), rng, 0.2), (2, 2)),
    )
    clouds = np.clip(0.5 + 0.55 * noise((1000, 2000), rng, 1.75), 0, 1) * np.linspace(0.25, 1, 1000)[:, None]
    depth = np.linspace(1.0, 0.35, 1000)[:, None, None]
    blue = np.array([0.55, 0.95, 1.75], np.float32) * depth[::-1] + np.array(
        [0.75, 0.8, 0.85], np.float32
    ) * (1 - depth[::-1])
    sky = blue * (1 - clouds[..., None]) + np.array([2.6, 2.6, 2.65], np.float32) * clouds[..., None]
    scene["sky"] = {
        "type": "rectangle", "bsdf": {"type": "diffuse", "reflectance": rgb((0, 0, 0))},
        "to_world": _facing((0, 2600, 1500), (6400, 4200)), "emitter": {"type": "area", "radiance": bitmap(sky.astype(np.float32))},
    }  # fmt: skip
    scene["dome"] = {"type": "constant", "radiance": rgb((0.55, 0.72, 1.0))}
    scene["sun"] = panel((-1500, -2300, 2600), (0, 0, 300), (190, 190), (420, 385, 330))
    return scene


def night(rng: np.random.Generator) -> Scene:
    """A corner at night: one lamp within the frame, the rest in the dark."""
    scene = _start(10)
    scene["sensor"] = camera((0, -150, 60), (2, 10, 40), 50, 165, 0.8)
    scene["wall"] = _brick_wall(rng, (280, 170), 60, 23, 11, soot=0.4)
    scene["table"] = _table(rng, (260, 150), -10)
    x, y = 34, 22
    stand = [
        _tube([(x, y, 2), (x, y, 20), (x - 5, y - 4, 38), (x - 22, y - 10, 50)], 0.9),
        moved(turned([(0.01, 2.4), (8, 2.0), (9, 0.6), (9, 0)], 64), (x, y, 0)),
    ]
    scene["stand"] = shape(*joined(stand), coated((0.03, 0.03, 0.032), 0.3))
    shade = turned([(2.2, 9), (3.0, 8.6), (9.5, 0.2), (9.3, 0.0), (2.9, 8.2), (2.2, 8.6)], 72)
    scene["shade"] = shape(
        *moved(shade, (x - 22, y - 10, 46), 0, (14, 18)), coated((0.05, 0.16, 0.09), 0.2, 0.7)
    )
    scene["bulb"] = shining_ball((x - 22.4, y - 10.6, 48.5), 2.6, (95, 62, 31))
    for k, name in enumerate(("AMBER", "SEA GREEN")):
        scene |= _jar(name, (-34 + 15 * k, 12 - 3 * k), rng, 0.8, 6.0 - 9 * k)
    scene |= _vase((-2, 8, 0.05), 24, 1, (0.90, 0.25, 0.2), "vase")
    scene |= _brush((-16, -22, 0), 14, rng, "brush", (0.03, 0.09, 0.22))
    scene["shelf"] = shape(
        *moved(box((120, 26, 3), 0.4), (-64, 46, 92)), coated(wood((400, 1400), rng)[0], 0.5)
    )
    scene |= _shelf_things(rng, -120, -10, 46, 93.5, "things")
    text = [(0.06, 0.05, 0.05, "Night list", True), *((0.06, 0.2 + 0.11 * k, 0.034, line, False) for k, line in enumerate(
        ("23:10   furnace 1,140 °C", "01:30   annealer off at 370 °C", "04:00   charge: 12 kg cullet, 3 kg batch", "06:15   wake Ines")))]  # fmt: skip
    gx, gy = np.meshgrid(np.linspace(-9, 9, 40), np.linspace(6.5, -6.5, 30))
    scene["list"] = shape(
        *moved(grid(np.stack([gx, gy, 0.12 + 0.5 * np.clip((gx - 4) / 5, 0, 1) ** 2], -1)), (4, -24, 0), 9),
        coated(printed((1100, 800), text, rng), 0.6),
    )
    scene["moon"] = panel((-200, -160, 190), (0, 0, 30), (70, 90), (0.02, 0.028, 0.045))
    return scene
