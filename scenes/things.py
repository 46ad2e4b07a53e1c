"""Things that stand in the rooms of the workshop: jars, brushes, tools, vessels, leaves, the glassmaker. Centimetres."""

from __future__ import annotations

from typing import Any

import numpy as np

from materials import (
    bumped,
    coated,
    dull,
    glass,
    hair,
    metal,
    shining_ball,
)
from shapes import box, curves, grid, joined, leaf, moved, relief, shape, swept, turned
from textures import bricks, noise, printed, scratched, wood

Scene = dict[str, Any]

POWDERS = {
    "COBALT BLUE": ((0.028, 0.06, 0.33), "No. 7", "grain 1.5–3 mm"),
    "AMBER": ((0.62, 0.27, 0.035), "No. 12", "powder"),
    "COPPER RUBY": ((0.40, 0.018, 0.035), "No. 3", "bars"),
    "SEA GREEN": ((0.02, 0.24, 0.13), "No. 21", "grain 0.5–1 mm"),
    "OPAL WHITE": ((0.70, 0.67, 0.60), "No. 1", "bars"),
}


def start(integrator_depth: int = 11) -> Scene:
    return {"type": "scene", "integrator": {"type": "path", "max_depth": integrator_depth, "rr_depth": 5}}


def brick_wall(
    rng: np.random.Generator, size: tuple[float, float], y: float, rows: int, across: float, **how: Any
) -> dict[str, Any]:
    pixels = (2600, round(2600 * size[0] / size[1]))
    pixels = (min(pixels[0], 3000), min(pixels[1], 4200))
    colour, height = bricks(pixels, rng, rows, across, **how)
    mesh = moved(relief(height, size, 1.1, 1100), (0, y, 0))
    return shape(*mesh, bumped(dull(colour), height, 0.25))


def table(
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


def lettered(name: str, rng: np.random.Generator) -> np.ndarray:
    _, number, kind = POWDERS[name]
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


def jar(name: str, at: tuple[float, float], rng: np.random.Generator, fill: float, turn: float) -> Scene:
    """A jar of glass powder with its label."""
    colour = POWDERS[name][0]
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
        f"{key}_label": shape(*label, coated(lettered(name, rng), 0.55, 0.25)),
    }


def brush(
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


def duster(at: tuple[float, float, float], rng: np.random.Generator) -> Scene:
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


def tongs(at: tuple[float, float, float], key: str, rng: np.random.Generator, long: float) -> Scene:
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


def paddle(at: tuple[float, float, float], key: str, rng: np.random.Generator) -> Scene:
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


def tube(
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


def limb(
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
    legs = [limb(at_(1, s * 9.5, 90), at_(s * 6 + 2, s * 12, 6), 9.5, 6.2, 0.05, rng) for s in (-1, 1)]
    torso = limb(hips, at_(8, 0, 150), 17.5, 15, 0.03, rng)
    shoulders = limb(at_(8, -19, 142), at_(8, 19, 142), 8.5, 8.5, 0.03, rng)
    hands = (at_(34, -4, 112), at_(58, 3, 112))
    arms = []
    for s, hand in zip((-1, 1), hands, strict=True):
        elbow = at_(19 + 6 * s, s * 20, 116)
        arms += [
            limb(at_(8, s * 19, 142), elbow, 7.2, 5.8, 0.05, rng),
            limb(elbow, hand, 5.6, 4.1, 0.05, rng),
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
    apron = limb(at_(3, 0, 138), at_(6, 0, 52), 18.2, 20.5, 0.02, rng)
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


def shelf_things(rng: np.random.Generator, x0: float, x1: float, y: float, z: float, key: str) -> Scene:
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


def mouth(rng: np.random.Generator) -> np.ndarray:
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


def facing(at: tuple[float, float, float], size: tuple[float, float]) -> Any:
    import mitsuba as mi

    turn = mi.ScalarTransform4f().look_at(origin=list(at), target=[at[0], at[1] - 1, at[2]], up=[0, 0, 1])
    return turn @ mi.ScalarTransform4f().scale([size[0] / 2, size[1] / 2, 1])


def foliage(
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


def leafy(name: str, meshes: list, rng: np.random.Generator, tone: tuple[float, float, float]) -> Scene:
    """Leaves in a few tones of green."""
    made: Scene = {}
    order = rng.permutation(len(meshes))
    for k, part in enumerate(np.array_split(order, 4)):
        own = np.asarray(tone) * rng.uniform(0.75, 1.3, 3)
        made[f"{name}{k}"] = shape(*joined([meshes[n] for n in part]), coated(tuple(own), 0.32, 0.5))
    return made


def vase(
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
