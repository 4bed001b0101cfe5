"""What every scene is built from: a stage that collects meshes, and the surfaces they are made of."""

from __future__ import annotations

from pathlib import Path

import mitsuba as mi
import numpy as np
import shapes

BRASS = {"eta": (0.44, 0.53, 1.09), "k": (3.70, 2.77, 1.83)}
STEEL = {"eta": (2.76, 2.54, 2.27), "k": (3.53, 3.10, 2.78)}
T = mi.ScalarTransform4f


class Stage:
    """Collects meshes (as PLY files in `folder`) and shapes into one scene dictionary."""

    def __init__(self, folder: Path):
        self.folder = folder
        self.rng = np.random.default_rng(7)
        self.scene: dict = {"type": "scene"}

    def mesh(self, name, geometry, surface, place, *, smooth=False, extent=20.0):
        """Add a mesh; geometry is (vertices, faces) or (vertices, faces, uv)."""
        vertices, faces, *uv = geometry
        path = self.folder / f"{name}.ply"
        shapes.write_ply(path, vertices, faces, uv[0] if uv else shapes.planar_uv(vertices, extent))
        self.scene[name] = {
            "type": "ply",
            "filename": str(path),
            "face_normals": not smooth,
            "to_world": place,
            "surface": surface,
        }

    def rod(self, name, start, end, radius, surface):
        """Add a cylinder with rounded look: body and two small domes."""
        self.scene[name] = {"type": "cylinder", "p0": start, "p1": end, "radius": radius, "surface": surface}
        for tip, at in (("a", start), ("b", end)):
            self.scene[name + tip] = {"type": "sphere", "center": at, "radius": radius, "surface": surface}


def bitmap(array, *, raw=True):
    """A texture from an array; rows run upward in texture space."""
    flipped = np.ascontiguousarray(np.flip(np.asarray(array, np.float32), 0))
    return {
        "type": "bitmap",
        "bitmap": mi.Bitmap(flipped),
        "raw": raw,
        "filter_type": "bilinear",
        "wrap_mode": "mirror",
    }


def metal(kind, alpha):
    """A rough conductor; alpha is a number or an array of roughness."""
    rough = bitmap(alpha) if isinstance(alpha, np.ndarray) else alpha
    surface = {
        "type": "roughconductor",
        "alpha": rough,
        "distribution": "ggx",
        "eta": {"type": "rgb", "value": kind["eta"]},
        "k": {"type": "rgb", "value": kind["k"]},
    }
    return {"type": "twosided", "bsdf": surface}


def matte(colour):
    """A diffuse surface from a colour or an array."""
    value = bitmap(colour) if isinstance(colour, np.ndarray) else {"type": "rgb", "value": colour}
    return {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": value}}


def glaze(colour, alpha):
    """A diffuse body under a rough clear coat: enamel, varnish, lacquer."""
    value = bitmap(colour) if isinstance(colour, np.ndarray) else {"type": "rgb", "value": colour}
    return {
        "type": "twosided",
        "bsdf": {"type": "roughplastic", "diffuse_reflectance": value, "alpha": alpha, "nonlinear": True},
    }


def lie(x, y, z, *, turn=0.0, tilt=0.0, roll=0.0):
    """A thing lying on the bench: turned about the upright, then tipped a little."""
    return T().translate([x, y, z]).rotate([0, 0, 1], turn).rotate([1, 0, 0], tilt).rotate([0, 1, 0], roll)


def film(size: tuple[int, int]) -> dict:
    """The film of a camera, with a filter as soft as a good lens."""
    return {
        "type": "hdrfilm",
        "width": size[0],
        "height": size[1],
        "pixel_format": "rgb",
        "component_format": "float32",
        "rfilter": {"type": "gaussian", "stddev": 0.55},
    }


def integrator(*, features: bool, depth: int) -> dict:
    """Light by paths of that many bounces, or the feature channels albedo, normal and depth.

    The albedo channel makes every sample four times as dear, so features have passes of their own.
    """
    if features:
        return {"type": "aov", "aovs": "albedo:albedo,normal:sh_normal,depth:depth"}
    return {"type": "path", "max_depth": depth}


def shine(colour, power):
    """An area light."""
    return {"type": "area", "radiance": {"type": "rgb", "value": tuple(power * c for c in colour)}}
