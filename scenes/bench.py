"""The clockmaker's bench: what stands on it, how it is lit and seen. Lengths in centimetres."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import shapes
import textures
from shapely.geometry import Point, box
from stage import BRASS, STEEL, Stage, T, film, glaze, integrator, lie, matte, metal, shine


def build(folder: Path, *, size: tuple[int, int], features: bool) -> dict:
    """Return the scene, to be rendered for light or for its feature channels (albedo, normal, depth)."""
    bench = Stage(folder)
    _room(bench)
    _cloth_and_paper(bench)
    _dial(bench)
    _wheels(bench)
    _tools(bench)
    _light(bench)
    bench.scene["integrator"] = integrator(features=features, depth=7)
    bench.scene["sensor"] = {
        "type": "thinlens",
        "fov": 43.0,
        "fov_axis": "x",
        "aperture_radius": 0.25,
        "focus_distance": 38.2,
        "to_world": T().look_at(origin=[1.2, -36, 19], target=[0.2, 0.5, 5.6], up=[0.012, 0, 1]),
        "film": film(size),
        "sampler": {"type": "ldsampler"},
    }
    return bench.scene


def _room(bench):
    planks = textures.wood()
    bench.scene["top"] = {
        "type": "rectangle",
        "to_world": T().translate([2, 8, 0]).rotate([0, 0, 1], 2.0).scale([36, 36, 1]),
        "surface": glaze(planks, 0.17),
    }
    plaster = 0.20 + 0.018 * textures.rough_field((512, 512), slope=1.2, seed=3)
    wall = np.clip(plaster[..., None] * np.array([1.05, 0.92, 0.78]), 0.02, 0.9)
    bench.scene["wall"] = {
        "type": "rectangle",
        "to_world": T().translate([0, 78, 30]).rotate([1, 0, 0], 90).scale([110, 80, 1]),
        "surface": matte(wall),
    }
    board = shapes.bevelled(box(-60, -6, 60, 6), 1.4, 0.15)
    for level, height in enumerate((2.0, 19.0)):
        bench.mesh(f"shelf{level}", board, glaze((0.16, 0.085, 0.045), 0.2), lie(-6, 66, height, turn=1.0))
    colours = [
        (0.30, 0.07, 0.05),
        (0.06, 0.13, 0.17),
        (0.36, 0.26, 0.10),
        (0.10, 0.16, 0.08),
        (0.42, 0.36, 0.28),
        (0.05, 0.05, 0.06),
    ]
    at = -50.0
    for index in range(17):
        wide, tall = bench.rng.uniform(2.2, 5.0), bench.rng.uniform(5, 13)
        colour = colours[index % len(colours)]
        surface = glaze(colour, 0.12)
        foot = 3.4 if index % 3 else 20.4
        if index % 2:
            bench.scene[f"jar{index}"] = {
                "type": "cylinder",
                "p0": [at, 65, foot],
                "p1": [at, 65, foot + tall],
                "radius": wide / 2,
                "surface": surface,
            }
            bench.scene[f"lid{index}"] = {
                "type": "sphere",
                "center": [at, 65, foot + tall],
                "radius": wide / 2,
                "surface": metal(BRASS, 0.25),
            }
        else:
            bench.mesh(
                f"case{index}",
                shapes.bevelled(box(-wide / 2, -2, wide / 2, 2), tall, 0.15),
                surface,
                lie(at, 65, foot, turn=bench.rng.uniform(-9, 9)),
            )
        at += wide + bench.rng.uniform(0.6, 3.4)
    bench.scene["bulb"] = {
        "type": "sphere",
        "center": [-22.5, 59, 9.5],
        "radius": 1.25,
        "emitter": {"type": "area", "radiance": {"type": "rgb", "value": (16.0, 10.5, 5.6)}},
    }


def _cloth_and_paper(bench):
    mat = shapes.bevelled(box(-10.5, -5.6, 9.5, 6.4).buffer(0.4), 0.26, 0.1)
    bench.mesh("felt", mat, matte(textures.felt()), lie(-6.2, -4.6, 0.0, turn=5.5), extent=23.0)
    _lint(bench)
    note = shapes.sheet(
        7.6,
        9.6,
        lambda x, y: (
            0.12
            + 0.75 * np.clip(x - 0.72, 0, 1) ** 2 * 4
            + 0.10 * np.sin(3 * y)
            + 0.18 * np.exp(-(((y - 0.52) / 0.03) ** 2))
        ),
    )
    bench.mesh("note", note, matte(textures.paper()), lie(9.2, -6.6, 0.02, turn=-11), smooth=True)


def _lint(bench):
    """Loose fibres that stand up from the felt, as thin curves."""
    rng = np.random.default_rng(99)
    lines = []
    for _ in range(5200):
        at = np.array([rng.uniform(-16.4, 3.2), rng.uniform(-10.2, 1.4), 0.262])
        way = rng.normal(0, 1, 3) * (1, 1, 0.25)
        for _ in range(6):
            lines.append(f"{at[0]:.4f} {at[1]:.4f} {at[2]:.4f} {0.0042:.4f}")
            way += rng.normal(0, 0.8, 3) * (1, 1, 0.4)
            at = at + 0.055 * way
            at[2] = np.clip(at[2], 0.258, 0.40)
        lines.append("")
    path = bench.folder / "lint.txt"
    path.write_text("\n".join(lines))
    bench.scene["lint"] = {"type": "bsplinecurve", "filename": str(path), "surface": matte((0.055, 0.12, 0.08))}


def _dial(bench):
    place = lie(6.3, 2.3, 9.0, turn=-9.0).rotate([1, 0, 0], 77.0).rotate([0, 0, 1], -2.5)
    bench.mesh("dial", shapes.disc(8.1, dome=0.42), glaze(textures.dial(), 0.09), place, smooth=True)
    rim = Point(0, 0).buffer(9.0, 160).difference(Point(0, 0).buffer(8.05, 160))
    bench.mesh(
        "bezel",
        shapes.bevelled(rim, 1.1, 0.42),
        metal(BRASS, textures.turned(seed=44)),
        place @ T().translate([0, 0, -0.35]),
        extent=18,
    )
    blue = {
        "type": "twosided",
        "bsdf": {
            "type": "roughplastic",
            "diffuse_reflectance": {"type": "rgb", "value": (0.006, 0.009, 0.022)},
            "alpha": 0.08,
        },
    }
    for name, length, width, turn, lift in (("hour", 4.3, 0.20, -304.0, 0.62), ("minute", 6.9, 0.15, -52.0, 0.86)):
        blade = shapes.bevelled(shapes.hand(length, width), 0.10, 0.035)
        bench.mesh(name, blade, blue, place @ T().translate([0, 0, lift]).rotate([0, 0, 1], turn))
    boss = shapes.bevelled(Point(0, 0).buffer(0.42, 40), 0.55, 0.12)
    bench.mesh("boss", boss, metal(BRASS, 0.16), place @ T().translate([0, 0, 0.7]))
    crate = shapes.bevelled(box(-7.5, -4.5, 7.5, 4.5), 13.5, 0.12)
    bench.mesh("crate", crate, glaze(textures.wood(1024, seed=8), 0.22), lie(9.2, 10.6, 0.0, turn=-6.0), extent=17)


def _wheels(bench):
    brass = metal(BRASS, textures.turned())
    dull = metal(BRASS, textures.turned(seed=77) + 0.06)
    steel = metal(STEEL, 0.16)
    great = shapes.bevelled(shapes.gear(78, 4.7, spokes=6), 0.34, 0.07)
    bench.mesh("great", great, brass, lie(-7.6, -3.2, 0.62, turn=7, tilt=3.5, roll=-4.0), extent=10)
    second = shapes.bevelled(shapes.gear(60, 3.1, spokes=5), 0.28, 0.06)
    bench.mesh("second", second, dull, lie(-0.9, -6.0, 0.50, turn=31, tilt=-3.0, roll=5.0), extent=7)
    third = shapes.bevelled(shapes.gear(48, 2.2, spokes=4, arm=0.10), 0.24, 0.05)
    bench.mesh("third", third, brass, lie(-3.4, 1.2, 2.05, turn=3, tilt=48.0, roll=14.0), extent=5)
    bench.rod("arbor", [-7.62, -3.22, 0.35], [-7.25, -3.46, 5.4], 0.20, steel)
    pinion = shapes.bevelled(shapes.gear(10, 0.72, spokes=0, hole=0.2), 1.5, 0.08)
    bench.mesh("pinion", pinion, steel, lie(-7.5, -3.3, 1.75, turn=12, tilt=2.6, roll=4.0))
    bench.mesh("loose", pinion, steel, lie(-3.9, -8.3, 0.95, turn=65, tilt=90.0))
    bench.rod("loosearbor", [-5.2, -8.9, 0.93], [-2.1, -7.5, 0.90], 0.16, steel)
    spring = _hair_spring()
    path = bench.folder / "spring.txt"
    path.write_text("\n".join(spring))
    bench.scene["spring"] = {"type": "bsplinecurve", "filename": str(path), "surface": metal(STEEL, 0.12)}
    for index in range(9):
        x, y = bench.rng.uniform(-14.5, 2.0), bench.rng.uniform(-9.3, -7.0)
        head = shapes.bevelled(shapes.screw_head(0.27), 0.20, 0.05)
        place = lie(x, y, 0.46, turn=bench.rng.uniform(0, 180), tilt=bench.rng.uniform(-25, 25))
        bench.mesh(f"screw{index}", head, dull if index % 3 else steel, place)
        bench.mesh(
            f"floor{index}",
            shapes.bevelled(Point(0, 0).buffer(0.26, 32), 0.09, 0.02),
            steel,
            place @ T().translate([0, 0, -0.02]),
        )
        bench.mesh(
            f"shank{index}",
            shapes.bevelled(Point(0, 0).buffer(0.11, 24), 0.5, 0.02),
            steel,
            place @ T().translate([0, 0, -0.5]),
        )


def _hair_spring():
    turns = np.linspace(0, 2 * np.pi * 9, 620)
    radius = 0.10 + 0.118 * turns / (2 * np.pi)
    x, y = -12.9 + radius * np.cos(turns), -6.0 + radius * np.sin(turns)
    z = 0.36 + 0.02 * turns / 9
    return [f"{a:.4f} {b:.4f} {c:.4f} 0.0150" for a, b, c in zip(x, y, z, strict=True)]


def _tools(bench):
    steel = metal(STEEL, 0.13)
    rule = shapes.sheet(13.0, 1.3, lambda x, y: 0.05 + 0.05 * x)
    bench.mesh("rule", rule, glaze(textures.ruler(), 0.14), lie(4.6, -9.9, 0.10, turn=7.5), smooth=True)
    for side in (1, -1):
        leg = shapes.bent_strip(9.5, 0.85, 0.09, 0.42 * side)
        bench.mesh(
            f"tweezer{side}", leg, steel, lie(14.0, -3.2, 0.66, turn=205, tilt=84.0 if side > 0 else 80.0), smooth=False
        )
    tube = {
        "type": "twosided",
        "bsdf": {
            "type": "roughplastic",
            "diffuse_reflectance": {"type": "rgb", "value": (0.012, 0.011, 0.010)},
            "alpha": 0.12,
        },
    }
    bench.scene["loupe"] = {
        "type": "cylinder",
        "p0": [-14.2, 2.6, 1.45],
        "p1": [-11.7, 1.2, 1.45],
        "radius": 1.42,
        "surface": tube,
    }
    ring = Point(0, 0).buffer(1.52, 64).difference(Point(0, 0).buffer(1.30, 64))
    turn = np.degrees(np.arctan2(-1.4, 2.5))
    face = T().translate([-11.7, 1.2, 1.45]).rotate([0, 0, 1], float(turn)).rotate([0, 1, 0], 90)
    bench.mesh("loupering", shapes.bevelled(ring, 0.35, 0.1), metal(BRASS, 0.14), face)
    glass = {
        "type": "roughplastic",
        "diffuse_reflectance": {"type": "rgb", "value": (0.02, 0.022, 0.03)},
        "alpha": 0.05,
    }
    bench.mesh("loupeglass", shapes.disc(1.32, dome=0.25), {"type": "twosided", "bsdf": glass}, face, smooth=True)
    for name, at, wide, tall, colour in (
        ("oil", (-13.6, 11.5), 1.9, 5.2, (0.22, 0.085, 0.02)),
        ("pins", (-8.6, 9.4), 1.5, 2.1, (0.30, 0.27, 0.20)),
    ):
        body = shapes.bevelled(Point(0, 0).buffer(wide, 96), tall, 0.22)
        bench.mesh(name, body, glaze(colour, 0.07), lie(*at, 0.0))
        lid = shapes.bevelled(Point(0, 0).buffer(wide * 0.86, 96), 0.9, 0.14)
        bench.mesh(f"{name}lid", lid, metal(BRASS, textures.turned(512, seed=60)), lie(*at, tall), extent=4)
    handle = glaze((0.28, 0.06, 0.035), 0.12)
    bench.rod("driver", [-1.2, 3.4, 0.75], [2.2, -1.5, 0.70], 0.55, handle)
    bench.rod("blade", [2.2, -1.5, 0.70], [4.2, -4.4, 0.42], 0.13, steel)


def _light(bench):
    bench.scene["lamp"] = {
        "type": "sphere",
        "center": [-15, -9, 29],
        "radius": 4.2,
        "emitter": shine((1.0, 0.68, 0.40), 80.0),
    }
    bench.scene["window"] = {
        "type": "rectangle",
        "to_world": T().look_at(origin=[68, 18, 44], target=[2, 2, 4], up=[0, 0, 1]).scale([20, 27, 1]),
        "emitter": shine((0.42, 0.60, 1.0), 14.0),
    }
