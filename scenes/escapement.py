"""An escapement laid out on black velvet, close up: small hot lamp, polished steel, caustics. Centimetres."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import shapes
import textures
from shapely import affinity
from shapely.geometry import Point, box
from shapely.ops import unary_union
from stage import BRASS, STEEL, Stage, T, film, glaze, integrator, lie, matte, metal, shine


def build(folder: Path, *, size: tuple[int, int], features: bool) -> dict:
    """Return the scene, to be rendered for light or for its feature channels (albedo, normal, depth)."""
    case = Stage(folder)
    _velvet(case)
    _escape_wheel(case)
    _anchor(case)
    _balance(case)
    _cock(case)
    _small_parts(case)
    _light(case)
    case.scene["integrator"] = integrator(features=features, depth=9)
    case.scene["sensor"] = {
        "type": "thinlens",
        "fov": 31.0,
        "fov_axis": "x",
        "aperture_radius": 0.16,
        "focus_distance": 18.6,
        "to_world": T().look_at(origin=[1.6, -14.6, 12.2], target=[0.35, 0.55, 0.2], up=[0.02, 0, 1]),
        "film": film(size),
        "sampler": {"type": "ldsampler"},
    }
    return case.scene


def _velvet(case):
    """Black pile that lies in folds, with dust on it."""
    fold = shapes.sheet(
        44,
        44,
        lambda x, y: (
            0.16 * np.sin(9 * x + 4 * y) * np.clip(1.5 * y - 0.4, 0, 1) + 0.5 * np.clip(y - 0.62, 0, 1) ** 2 * 9
        ),
        columns=160,
        rows=160,
    )
    pile = textures.felt(seed=35)
    grey = pile.mean(axis=-1, keepdims=True) * np.array([0.42, 0.40, 0.46])
    case.mesh(
        "velvet", fold, matte(grey.astype(np.float32)), T().translate([0, 4, 0]).rotate([0, 0, 1], 8), smooth=True
    )
    rng = np.random.default_rng(3)
    lines = []
    for _ in range(9000):
        at = np.array([rng.uniform(-9, 9), rng.uniform(-8, 9), 0.0])
        way = np.array([rng.normal(0.3, 0.5), rng.normal(0, 0.5), 1.0])
        for step in range(5):
            point = at + step * 0.018 * way
            lines.append(f"{point[0]:.4f} {point[1]:.4f} {point[2]:.4f} {0.0045:.4f}")
            way = way + rng.normal(0, 0.35, 3) * (1, 1, 0.2)
        lines.append("")
    path = case.folder / "pile.txt"
    path.write_text("\n".join(lines))
    case.scene["pile"] = {"type": "bsplinecurve", "filename": str(path), "surface": matte((0.022, 0.021, 0.025))}


def _escape_wheel(case):
    brass = metal(BRASS, 0.55 * textures.turned(seed=45))
    wheel = shapes.bevelled(shapes.escape_wheel(30, 2.75), 0.16, 0.035)
    place = lie(-2.0, -0.5, 0.62, turn=9, tilt=9.0, roll=-6.0)
    case.mesh("escape", wheel, brass, place, extent=6.0)
    collet = shapes.bevelled(Point(0, 0).buffer(0.46, 64).difference(Point(0, 0).buffer(0.10, 32)), 0.34, 0.06)
    case.mesh("collet", collet, metal(BRASS, 0.10), place @ T().translate([0, 0, 0.02]))
    steel = metal(STEEL, 0.06)
    ends = [[float(v) for v in place @ np.array([0, 0, z], float)] for z in (-0.5, 2.5)]
    case.rod("arbor", *ends, 0.095, steel)
    pinion = shapes.bevelled(shapes.gear(8, 0.30, spokes=0, hole=0.2), 0.85, 0.04)
    case.mesh("pinion", pinion, steel, place @ T().translate([0, 0, 0.62]))


def _anchor(case):
    steel = metal(STEEL, 0.07)
    place = lie(0.55, -2.25, 0.60, turn=-64, tilt=-4.0, roll=7.0)
    case.mesh("anchor", shapes.bevelled(shapes.anchor(1.9), 0.20, 0.045), steel, place)
    ruby = {"type": "roughplastic", "diffuse_reflectance": {"type": "rgb", "value": (0.30, 0.012, 0.03)}, "alpha": 0.04}
    for side in (-1, 1):
        jewel = shapes.bevelled(box(-0.06, -0.2, 0.06, 0.2), 0.12, 0.02)
        at = place @ T().translate([side * 0.93, -0.62, 0.05]).rotate([0, 0, 1], side * 14.0)
        case.mesh(f"jewel{side}", jewel, {"type": "twosided", "bsdf": ruby}, at)
    case.scene["hole"] = {
        "type": "sphere",
        "center": [float(v) for v in place @ np.array([0, 0.08, 0.16], float)],
        "radius": 0.13,
        "surface": {"type": "twosided", "bsdf": ruby},
    }


def _balance(case):
    """The balance: a rim cut in two, its arm, timing screws around it and the blued spring."""
    gold = metal(BRASS, 0.5 * textures.turned(seed=48))
    rim = Point(0, 0).buffer(2.05, 160).difference(Point(0, 0).buffer(1.76, 160))
    arm = unary_union([box(-1.8, -0.16, 1.8, 0.16), Point(0, 0).buffer(0.34, 48)])
    outline = unary_union([rim, arm]).difference(Point(0, 0).buffer(0.06, 24))
    outline = outline.difference(affinity.rotate(box(1.5, -0.03, 2.3, 0.03), 24, origin=(0, 0)))
    place = lie(3.1, 2.6, 0.85, turn=33, tilt=6.0, roll=11.0)
    case.mesh("balance", shapes.bevelled(outline, 0.20, 0.04), gold, place, extent=4.6)
    steel = metal(STEEL, 0.09)
    for number in range(16):
        if number in (3, 11):
            continue
        head = shapes.bevelled(shapes.screw_head(0.13), 0.17, 0.025)
        at = place @ T().rotate([0, 0, 1], 22.5 * number).translate([2.04, 0, 0.10]).rotate([0, 1, 0], 90)
        case.mesh(f"timing{number}", head, gold if number % 4 else steel, at)
    turns = np.linspace(0, 2 * np.pi * 11, 800)
    radius = 0.22 + 0.095 * turns / (2 * np.pi)
    flat = np.c_[radius * np.cos(turns), radius * np.sin(turns), 0.36 + 0.012 * turns / 11]
    points = [place @ p for p in flat]
    path = case.folder / "spring.txt"
    path.write_text("\n".join(f"{x:.4f} {y:.4f} {z:.4f} 0.0130" for x, y, z in points))
    blued = {
        "type": "roughconductor",
        "alpha": 0.08,
        "specular_reflectance": {"type": "rgb", "value": (0.10, 0.20, 0.62)},
    }
    case.scene["spring"] = {
        "type": "bsplinecurve",
        "filename": str(path),
        "surface": {"type": "twosided", "bsdf": blued},
    }
    ends = [[float(v) for v in place @ np.array([0, 0, z], float)] for z in (-0.7, 1.5)]
    case.rod("staff", *ends, 0.07, steel)


def _cock(case):
    """An engraved cock behind, out of focus, with its jewel and screw."""
    plate = unary_union([affinity.scale(Point(0, 0).buffer(1, 96), 1.6, 1.25), box(-0.7, 0.4, 0.7, 3.0)])
    plate = plate.buffer(0.3).buffer(-0.3).difference(Point(0, 0).buffer(0.30, 48))
    place = lie(-2.9, 5.4, 0.35, turn=-38, tilt=5.0)
    case.mesh("cock", shapes.bevelled(plate, 0.42, 0.08), metal(BRASS, textures.turned(512, seed=47)), place, extent=7)
    case.mesh(
        "chaton",
        shapes.bevelled(Point(0, 0).buffer(0.36, 64).difference(Point(0, 0).buffer(0.16, 48)), 0.16, 0.04),
        metal(BRASS, 0.08),
        place @ T().translate([0, 0, 0.36]),
    )
    _screw(case, "cockscrew", place @ T().translate([0, 2.4, 0.44]), 0.34)


def _screw(case, name, place, radius, *, shank=0.0):
    steel = metal(STEEL, 0.05)
    case.mesh(f"{name}head", shapes.bevelled(shapes.screw_head(radius), 0.5 * radius, 0.12 * radius), steel, place)
    floor = shapes.bevelled(Point(0, 0).buffer(0.96 * radius, 48), 0.25 * radius, 0.05 * radius)
    case.mesh(f"{name}floor", floor, steel, place @ T().translate([0, 0, -0.02]))
    if shank:
        thread = shapes.bevelled(Point(0, 0).buffer(0.45 * radius, 32), shank, 0.02)
        case.mesh(f"{name}shank", thread, steel, place @ T().translate([0, 0, -shank]))


def _small_parts(case):
    rng = np.random.default_rng(17)
    for number, (x, y) in enumerate(((-3.4, -4.2), (-2.2, -4.7), (2.9, -3.6), (3.8, -2.5), (-5.2, 1.9))):
        place = lie(x, y, 0.30, turn=rng.uniform(0, 360), tilt=rng.uniform(70, 105))
        _screw(case, f"screw{number}", place, 0.24, shank=0.8)
    pin = metal(STEEL, 0.05)
    case.rod("pin", [1.5, -4.6, 0.10], [3.3, -4.35, 0.13], 0.055, pin)
    wheel = shapes.bevelled(shapes.gear(52, 1.35, spokes=5), 0.14, 0.03)
    case.mesh(
        "fourth",
        wheel,
        metal(BRASS, 0.5 * textures.turned(512, seed=50)),
        lie(4.9, -1.0, 0.30, turn=50, tilt=16, roll=-18),
        extent=3,
    )
    for number, (x, y) in enumerate(((1.25, 0.95), (-0.2, 3.4))):
        case.mesh(
            f"bush{number}",
            shapes.bevelled(Point(0, 0).buffer(0.30, 48).difference(Point(0, 0).buffer(0.12, 32)), 0.42, 0.06),
            metal(BRASS, 0.09),
            lie(x, y, 0.1, tilt=8.0 * number),
        )
    glass = glaze((0.30, 0.012, 0.03), 0.04)
    for number, (x, y) in enumerate(((-0.35, -3.35), (0.15, -3.75))):
        case.mesh(
            f"stone{number}", shapes.bevelled(Point(0, 0).buffer(0.20, 48), 0.16, 0.05), glass, lie(x, y, 0.12, tilt=6)
        )


def _light(case):
    case.scene["lamp"] = {
        "type": "sphere",
        "center": [-8.5, -4.5, 11.5],
        "radius": 0.40,
        "emitter": shine((1.0, 0.74, 0.47), 2200.0),
    }
    case.scene["spot"] = {
        "type": "sphere",
        "center": [7.5, 7.5, 6.0],
        "radius": 0.22,
        "emitter": shine((1.0, 0.80, 0.58), 1500.0),
    }
    case.scene["window"] = {
        "type": "rectangle",
        "to_world": T().look_at(origin=[16, 2, 16], target=[0, 0, 0], up=[0, 0, 1]).scale([4, 6, 1]),
        "emitter": shine((0.45, 0.62, 1.0), 7.0),
    }
    case.scene["air"] = {"type": "constant", "radiance": {"type": "rgb", "value": (0.035, 0.034, 0.04)}}
