"""Shapes of the workshop as triangles: turned, swept and raised surfaces, leaves, boxes with worn edges. Centimetres."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from scipy.ndimage import zoom

_FOLDER = Path(tempfile.mkdtemp(prefix="irvane-scenes-"))
_count = 0


def ply(vertices: np.ndarray, faces: np.ndarray, uv: np.ndarray) -> str:
    """Write a mesh to a file that the renderer reads; returns its name."""
    global _count
    _count += 1
    path = _FOLDER / f"{_count:05}.ply"
    kinds = [("x", "<f4"), ("y", "<f4"), ("z", "<f4"), ("u", "<f4"), ("v", "<f4")]
    points = np.empty(len(vertices), kinds)
    for k, name in enumerate("xyz"):
        points[name] = vertices[:, k]
    points["u"], points["v"] = uv[:, 0], uv[:, 1]
    triangles = np.empty(len(faces), [("n", "u1"), ("f", "<i4", 3)])
    triangles["n"], triangles["f"] = 3, faces
    head = (
        f"ply\nformat binary_little_endian 1.0\nelement vertex {len(points)}\n"
        + "".join(f"property float {name}\n" for name, _ in kinds)
        + f"element face {len(faces)}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    path.write_bytes(head.encode() + points.tobytes() + triangles.tobytes())
    return str(path)


def shape(vertices: np.ndarray, faces: np.ndarray, uv: np.ndarray, bsdf: dict, flat: bool = False) -> dict:
    """A mesh with a surface, as the renderer's dictionary."""
    return {"type": "ply", "filename": ply(vertices, faces, uv), "face_normals": flat, "bsdf": bsdf}


def _quads(rows: int, columns: int) -> np.ndarray:
    """Triangles of a grid of vertices, rows × columns."""
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]
    return np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])


def grid(points: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A surface through a grid of points (rows × columns × 3)."""
    rows, columns = points.shape[:2]
    v, u = np.meshgrid(np.linspace(0, 1, rows), np.linspace(0, 1, columns), indexing="ij")
    return points.reshape(-1, 3), _quads(rows, columns), np.stack([u, v], -1).reshape(-1, 2)


def turned(
    profile: Sequence[tuple[float, float]], sides: int = 96, smooth: int = 4, rounded: int = 0
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A profile (radius, height) turned about the z axis, its corners cut so many times (Chaikin 1974); outwards faces outwards
    where the profile runs up on the outside and down on the inside."""
    points = np.asarray(profile, float)
    for _ in range(rounded):
        cut = np.stack(
            [0.75 * points[:-1] + 0.25 * points[1:], 0.25 * points[:-1] + 0.75 * points[1:]], axis=1
        )
        points = np.concatenate([points[:1], cut.reshape(-1, 2), points[-1:]])
    if smooth > 1:  # through the corners, rounded a little
        t = np.arange(len(points))
        fine = np.linspace(0, len(points) - 1, (len(points) - 1) * smooth + 1)
        points = np.stack([np.interp(fine, t, points[:, k]) for k in range(2)], axis=1)
        inner = (points[:-2] + 2 * points[1:-1] + points[2:]) / 4
        points[1:-1] = inner
    angle = np.linspace(0, 2 * np.pi, sides + 1)
    r, z = points[:, 0][:, None], points[:, 1][:, None]
    made = np.stack([r * np.cos(angle), r * np.sin(angle), z + 0 * angle], axis=-1)
    return grid(made)


def swept(
    path: np.ndarray, radius: np.ndarray | float, sides: int = 20
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A round rod along a path (N×3)."""
    path = np.asarray(path, float)
    along = np.gradient(path, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    up = np.array([0.0, 0.0, 1.0]) if abs(along[0, 2]) < 0.9 else np.array([1.0, 0.0, 0.0])
    across = np.cross(along, up)
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    other = np.cross(along, across)
    angle = np.linspace(0, 2 * np.pi, sides + 1)
    r = np.broadcast_to(np.asarray(radius, float), (len(path),))[:, None, None]
    ring = across[:, None] * np.cos(angle)[None, :, None] + other[:, None] * np.sin(angle)[None, :, None]
    return grid(path[:, None] + r * ring)


def relief(
    height: np.ndarray, size: tuple[float, float], depth: float, most: int = 900
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A plane of `size` (x, z) in the x–z plane, raised towards −y by a height map times `depth`; at most so many vertices
    along a side."""
    factor = min(1.0, most / max(height.shape))
    h = zoom(height, factor, order=1) if factor < 1 else height
    z, x = np.meshgrid(
        np.linspace(size[1], 0, h.shape[0]), np.linspace(-size[0] / 2, size[0] / 2, h.shape[1]), indexing="ij"
    )
    return grid(np.stack([x, -depth * h, z], axis=-1))


def box(size: tuple[float, float, float], bevel: float = 0.15) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A box (x, y, z), its middle at the origin, with rounded edges; its texture runs around it."""
    n = 12
    points, faces, uv = [], [], []
    half = np.asarray(size) / 2
    for axis in range(3):
        for sign in (-1, 1):
            a, b = (axis + 1) % 3, (axis + 2) % 3
            t = np.linspace(-1, 1, n)
            ga, gb = np.meshgrid(t, t, indexing="ij")
            p = np.zeros((n, n, 3))
            p[..., axis], p[..., a], p[..., b] = sign * half[axis], ga * half[a], gb * half[b]
            inner = np.clip(p, -(half - bevel), half - bevel)
            out = p - inner
            length = np.linalg.norm(out, axis=-1, keepdims=True)
            p = inner + np.where(length > 1e-9, out / np.maximum(length, 1e-9) * bevel, 0)
            index = len(points) * n * n
            quads = _quads(n, n) + index
            faces.append(quads if sign > 0 else quads[:, ::-1])
            points.append(p.reshape(-1, 3))
            uv.append(np.stack([(ga + 1) / 2, (gb + 1) / 2], -1).reshape(-1, 2))
    return np.concatenate(points), np.concatenate(faces), np.concatenate(uv)


def moved(
    mesh: tuple[np.ndarray, np.ndarray, np.ndarray], to: tuple[float, float, float] = (0, 0, 0), turn: float = 0.0,
    tilt: tuple[float, float] = (0.0, 0.0), scale: float = 1.0,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:  # fmt: skip
    """A mesh tilted about x and y, turned about z (degrees), then moved."""
    points, faces, uv = mesh
    a, b, c = np.radians([tilt[0], tilt[1], turn])
    rx = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    ry = np.array([[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]])
    rz = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
    return points * scale @ (rz @ ry @ rx).T + np.asarray(to, float), faces, uv


def joined(
    meshes: Sequence[tuple[np.ndarray, np.ndarray, np.ndarray]],
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Several meshes as one."""
    points, faces, uv, first = [], [], [], 0
    for p, f, t in meshes:
        points.append(p)
        faces.append(f + first)
        uv.append(t)
        first += len(p)
    return np.concatenate(points), np.concatenate(faces), np.concatenate(uv)


def curves(strands: Sequence[np.ndarray], radius: float, bsdf: dict) -> dict:
    """Hairs: each a path (N×3) of falling radius."""
    global _count
    _count += 1
    path = _FOLDER / f"{_count:05}.txt"
    with path.open("w") as out:
        for strand in strands:
            r = radius * np.linspace(1.0, 0.45, len(strand))
            for (x, y, z), width in zip(strand, r, strict=True):
                out.write(f"{x:.4f} {y:.4f} {z:.4f} {width:.5f}\n")
            out.write("\n")
    return {"type": "bsplinecurve", "filename": str(path), "bsdf": bsdf}


def leaf(length: float, width: float, bend: float, fold: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A leaf from its stalk at the origin along +x."""
    t = np.linspace(0, 1, 9)
    half = width * np.sin(np.pi * t**0.75) * (1 - 0.25 * t)
    s = np.linspace(-1, 1, 5)
    x = np.broadcast_to(length * t[:, None], (9, 5))
    y = half[:, None] * s[None, :]
    z = -bend * length * t[:, None] ** 2 + fold * np.abs(s)[None, :] * half[:, None]
    return grid(np.stack([x, y, np.broadcast_to(z, x.shape)], axis=-1))
