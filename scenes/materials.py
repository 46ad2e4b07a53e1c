"""Surfaces of the workshop, as the renderer's dictionaries. The renderer's three numbers are linear BT.2020 throughout."""

from __future__ import annotations

from typing import Any

import mitsuba as mi
import numpy as np

Colour = tuple[float, float, float]


def rgb(colour: Colour) -> dict[str, Any]:
    return {"type": "rgb", "value": list(map(float, colour))}


def bitmap(pixels: np.ndarray, repeat: tuple[float, float] = (1, 1)) -> dict[str, Any]:
    """A texture of float pixels (H×W or H×W×3)."""
    picture = np.ascontiguousarray(pixels if pixels.ndim == 3 else pixels[..., None], np.float32)
    made: dict[str, Any] = {
        "type": "bitmap",
        "bitmap": mi.Bitmap(picture),
        "raw": True,
        "wrap_mode": "repeat",
    }
    if repeat != (1, 1):
        made["to_uv"] = mi.ScalarTransform3f().scale(list(repeat))
    return made


def _colour(what: np.ndarray | Colour, repeat: tuple[float, float] = (1, 1)) -> dict[str, Any]:
    return bitmap(what, repeat) if isinstance(what, np.ndarray) else rgb(what)


def two_sided(bsdf: dict[str, Any]) -> dict[str, Any]:
    return {"type": "twosided", "bsdf": bsdf}


def bumped(
    bsdf: dict[str, Any], height: np.ndarray, scale: float, repeat: tuple[float, float] = (1, 1)
) -> dict[str, Any]:
    return {"type": "bumpmap", "arbitrary": bitmap(height, repeat), "scale": scale, "bsdf": bsdf}


def dull(colour: np.ndarray | Colour, repeat: tuple[float, float] = (1, 1)) -> dict[str, Any]:
    """Cloth, plaster, brick."""
    return two_sided({"type": "diffuse", "reflectance": _colour(colour, repeat)})


def coated(
    colour: np.ndarray | Colour,
    rough: float | np.ndarray = 0.4,
    shine: float = 0.5,
    repeat: tuple[float, float] = (1, 1),
) -> dict[str, Any]:
    """Wood, paper, paint, glazed things."""
    roughness = bitmap(rough, repeat) if isinstance(rough, np.ndarray) else float(rough)
    return two_sided(
        {
            "type": "principled",
            "base_color": _colour(colour, repeat),
            "roughness": roughness,
            "specular": float(shine),
        }
    )


def metal(
    rough: float | np.ndarray = 0.2, tone: Colour = (0.56, 0.55, 0.53), repeat: tuple[float, float] = (1, 1)
) -> dict[str, Any]:
    """Steel, tin, brass by its tone."""
    roughness = bitmap(rough, repeat) if isinstance(rough, np.ndarray) else float(rough)
    return two_sided({"type": "principled", "base_color": rgb(tone), "metallic": 1.0, "roughness": roughness})


def glass(tint: Colour = (1, 1, 1), rough: float = 0.0) -> dict[str, Any]:
    """Clear glass; a tint acts at each surface."""
    made: dict[str, Any] = {
        "type": "roughdielectric" if rough else "dielectric",
        "int_ior": 1.51,
        "ext_ior": 1.0,
    }
    if rough:
        made |= {"alpha": rough, "distribution": "ggx"}
    made["specular_transmittance"] = rgb(tint)
    return made


def hair(colour: Colour, rough: float = 0.35) -> dict[str, Any]:
    return two_sided({"type": "principled", "base_color": rgb(colour), "roughness": rough, "specular": 0.6})


def panel(
    at: tuple[float, float, float],
    towards: tuple[float, float, float],
    size: tuple[float, float],
    radiance: np.ndarray | Colour,
) -> dict[str, Any]:
    """A shining rectangle."""
    turn = mi.ScalarTransform4f().look_at(origin=list(at), target=list(towards), up=[0, 0.01, 1])
    return {
        "type": "rectangle",
        "to_world": turn @ mi.ScalarTransform4f().scale([size[0] / 2, size[1] / 2, 1]),
        "emitter": {"type": "area", "radiance": _colour(radiance)},
        "bsdf": {"type": "diffuse", "reflectance": rgb((0, 0, 0))},
    }


def shining_ball(at: tuple[float, float, float], radius: float, radiance: Colour) -> dict[str, Any]:
    return {
        "type": "sphere", "center": list(at), "radius": radius,
        "emitter": {"type": "area", "radiance": rgb(radiance)},
    }  # fmt: skip


def camera(
    at: tuple[float, float, float], towards: tuple[float, float, float], angle: float, focus: float, aperture: float,
    size: tuple[int, int] = (3000, 2000), crop: tuple[int, int, int, int] | None = None,
) -> dict[str, Any]:  # fmt: skip
    """A thin lens: horizontal angle in degrees, distance of focus and radius of the opening in centimetres; `crop` is left,
    top, width, height of the part that is rendered."""
    turn = mi.ScalarTransform4f().look_at(
        origin=list(at),
        target=list(towards),
        up=[0, 0, 1],
    )
    film: dict[str, Any] = {
        "type": "hdrfilm", "width": size[0], "height": size[1], "pixel_format": "rgb", "component_format": "float32",
        "rfilter": {"type": "box"},
    }  # fmt: skip
    if crop is not None:
        film |= dict(zip(("crop_offset_x", "crop_offset_y", "crop_width", "crop_height"), crop, strict=True))
    return {
        "type": "thinlens", "to_world": turn, "fov": angle, "fov_axis": "x", "focus_distance": float(focus),
        "aperture_radius": float(max(aperture, 1e-3)), "near_clip": 0.5, "film": film,
    }  # fmt: skip
