"""Line charts as SVG for reports: axes, named lines, a legend; nothing but text."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

import numpy as np

COLOURS = ("#1f7a6b", "#b5563c", "#3f62a8", "#8a6d1f", "#7a4a86", "#555555")
_LEFT, _RIGHT, _TOP, _BOTTOM = 52, 14, 14, 40


@dataclass(frozen=True)
class Line:
    """A named line of a chart."""

    name: str
    x: Sequence[float]
    y: Sequence[float]


def _ticks(low: float, high: float) -> np.ndarray:
    span = max(high - low, 1e-9)
    step = 10.0 ** np.floor(np.log10(span / 4))
    step *= next(m for m in (1, 2, 5, 10) if span / (step * m) <= 6)
    return np.arange(np.ceil(low / step - 1e-9), np.floor(high / step + 1e-9) + 1) * step


def svg_chart(
    lines: Sequence[Line],
    across: str,
    up: str,
    size: tuple[int, int] = (560, 300),
    level: float | None = None,
) -> str:
    """A chart of lines.

    Parameters
    ----------
    across, up : what the axes show, with their units.
    size : width and height in pixels.
    level : a level to be marked by a broken line.
    """
    w, h = size
    xs = np.concatenate([np.asarray(line.x, float) for line in lines])
    ys = np.concatenate([np.asarray(line.y, float) for line in lines])
    ys = ys[np.isfinite(ys)]
    if xs.size == 0 or ys.size == 0:
        return ""
    extra = [] if level is None else [level]
    x0, x1 = float(xs.min()), float(xs.max())
    y0, y1 = min([float(ys.min()), *extra]), max([float(ys.max()), *extra])
    x1, y1 = max(x1, x0 + 1e-6), max(y1, y0 + 1e-6)

    def place(x: float, y: float) -> tuple[float, float]:
        return (
            _LEFT + (x - x0) / (x1 - x0) * (w - _LEFT - _RIGHT),
            h - _BOTTOM - (y - y0) / (y1 - y0) * (h - _TOP - _BOTTOM),
        )

    parts = [f'<svg xmlns="http://www.w3.org/2000/svg" width="{w}" height="{h}" viewBox="0 0 {w} {h}" '
             'font-family="sans-serif" font-size="11">',
             f'<rect width="{w}" height="{h}" fill="#ffffff"/>']  # fmt: skip
    for tick in _ticks(x0, x1):
        x, _ = place(tick, y0)
        parts.append(f'<line x1="{x:.1f}" y1="{_TOP}" x2="{x:.1f}" y2="{h - _BOTTOM}" stroke="#e2e2e2"/>')
        parts.append(f'<text x="{x:.1f}" y="{h - _BOTTOM + 14}" text-anchor="middle">{_number(tick)}</text>')
    for tick in _ticks(y0, y1):
        _, y = place(x0, tick)
        parts.append(f'<line x1="{_LEFT}" y1="{y:.1f}" x2="{w - _RIGHT}" y2="{y:.1f}" stroke="#e2e2e2"/>')
        parts.append(f'<text x="{_LEFT - 6}" y="{y + 4:.1f}" text-anchor="end">{_number(tick)}</text>')
    if level is not None:
        _, y = place(x0, level)
        parts.append(
            f'<line x1="{_LEFT}" y1="{y:.1f}" x2="{w - _RIGHT}" y2="{y:.1f}" stroke="#888" '
            f'stroke-dasharray="5 4"/>'
        )
    for k, line in enumerate(lines):
        colour = COLOURS[k % len(COLOURS)]
        points = [place(a, b) for a, b in zip(line.x, line.y, strict=True) if np.isfinite(b)]
        dots = " ".join(f"{x:.1f},{y:.1f}" for x, y in points)
        parts.append(f'<polyline points="{dots}" fill="none" stroke="{colour}" stroke-width="1.8"/>')
        parts += [f'<circle cx="{x:.1f}" cy="{y:.1f}" r="2.2" fill="{colour}"/>' for x, y in points]
        y = _TOP + 14 * k + 6
        parts.append(
            f'<line x1="{w - 150}" y1="{y}" x2="{w - 132}" y2="{y}" stroke="{colour}" stroke-width="2"/>'
        )
        parts.append(f'<text x="{w - 127}" y="{y + 4}">{escape(line.name)}</text>')
    parts.append(f'<text x="{(w + _LEFT) / 2:.0f}" y="{h - 6}" text-anchor="middle">{escape(across)}</text>')
    parts.append(
        f'<text transform="translate(13 {(h - _BOTTOM + _TOP) / 2:.0f}) rotate(-90)" '
        f'text-anchor="middle">{escape(up)}</text>'
    )
    return "".join([*parts, "</svg>"])


def _number(value: float) -> str:
    return f"{value:g}".replace("-", "−") if abs(value) > 1e-12 else "0"
