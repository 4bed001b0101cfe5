"""Inside the belfry, looking up through beams and ropes into a louvred window full of daylight. Lengths in metres."""

from __future__ import annotations

from pathlib import Path

import masonry
import numpy as np
import shapes
import textures
import trimesh
from shapely.geometry import Point, box
from shapely.ops import unary_union
from stage import BRASS, Stage, T, film, glaze, integrator, matte, metal, shine

WIDE, DEEP, TALL = 4.4, 5.6, 8.4  # of the room
IRON = (0.03, 0.03, 0.032)


def build(folder: Path, *, size: tuple[int, int], features: bool) -> dict:
    """Return the scene, to be rendered for light or for its feature channels (albedo, normal, depth)."""
    belfry = Stage(folder)
    _walls(belfry)
    _window(belfry)
    _frame(belfry)
    _bell(belfry)
    _ropes(belfry)
    _light(belfry)
    belfry.scene["integrator"] = integrator(features=features, depth=6)
    belfry.scene["sensor"] = {
        "type": "thinlens",
        "fov": 62.0,
        "fov_axis": "x",
        "aperture_radius": 0.006,
        "focus_distance": 5.0,
        "to_world": T().look_at(origin=[-0.75, -4.7, 0.9], target=[0.22, 0.0, 4.35], up=[0.03, 0, 1]),
        "film": film(size),
        "sampler": {"type": "ldsampler"},
    }
    return belfry.scene


def _arch(wide, foot, spring):
    """An opening with a round head: `wide`, from `foot` to where the arch springs."""
    return unary_union([box(-wide / 2, foot, wide / 2, spring), Point(0, spring).buffer(wide / 2, 48)])


def _walls(belfry):
    """The far wall with its window, the two at the sides, and the boards overhead."""
    stone = matte(masonry.ashlar(WIDE + 1, TALL + 1, seed=161) * 0.9)
    wall = box(-WIDE / 2 - 0.5, -1, WIDE / 2 + 0.5, TALL).difference(_arch(1.5, 3.4, 5.3))
    geometry = shapes.bevelled(wall, 0.6, 0.04)
    uv = geometry[0][:, :2] / (WIDE + 1, TALL + 1) + (0.5, 0.1)
    belfry.mesh("far", (*geometry, uv), stone, T().translate([0, 0.6, 0]).rotate([1, 0, 0], 90))
    for number, (side, seed) in enumerate(((-1, 162), (1, 163))):
        surface = matte(masonry.ashlar(DEEP, TALL + 1, seed=seed) * 0.85)
        place = T().translate([side * WIDE / 2, -DEEP / 2, TALL / 2 - 0.5]).rotate([0, 0, 1], -90.0 * side)
        belfry.scene[f"side{number}"] = {
            "type": "rectangle",
            "to_world": place.rotate([1, 0, 0], 90).scale([DEEP / 2, TALL / 2 + 0.5, 1]),
            "surface": surface,
        }
    board = shapes.bevelled(box(-0.14, -DEEP, 0.14, 0.3), 0.05, 0.012)
    for number, x in enumerate(np.arange(-WIDE / 2 + 0.1, WIDE / 2, 0.3)):
        tone = 0.75 + 0.5 * belfry.rng.random()
        old = matte(np.clip(_weathered(170 + number) * tone, 0, 1))
        belfry.mesh(f"overhead{number}", board, old, T().translate([float(x), 0, TALL - 0.4]), extent=3.0)


def _weathered(seed):
    """Oak gone grey: grain without its varnish."""
    grain = textures.wood(768, seed=seed)
    grey = grain.mean(axis=-1, keepdims=True)
    return (0.45 * grain + 0.55 * grey * np.array([0.95, 0.87, 0.76])) * 1.5


def _window(belfry):
    """Sloping boards in the opening, one of them broken, in a frame with a post."""
    board = shapes.bevelled(box(-0.78, -0.16, 0.78, 0.16), 0.028, 0.008)
    short = shapes.bevelled(box(-0.78, -0.16, 0.2, 0.16), 0.028, 0.008)
    for row in range(11):
        grey = matte(np.clip(_weathered(190 + row) * (0.7 + 0.35 * belfry.rng.random()), 0, 1))
        tip = 7.0 + 6.0 * belfry.rng.random()
        place = T().translate([0, 0.34, 3.62 + 0.225 * row]).rotate([1, 0, 0], tip)
        if row == 7:
            place = place.rotate([0, 1, 0], 5.0)
        belfry.mesh(f"louvre{row}", short if row == 7 else board, grey, place, extent=1.7)
    post = shapes.bevelled(box(-0.05, 3.3, 0.05, 6.1), 0.12, 0.015)
    frame = _arch(1.62, 3.34, 5.3).difference(_arch(1.4, 3.46, 5.3))
    oak = matte(_weathered(188))
    belfry.mesh("post", post, oak, T().translate([0, 0.2, 0]).rotate([1, 0, 0], 90), extent=3)
    belfry.mesh("casing", shapes.bevelled(frame, 0.1, 0.02), oak, T().translate([0, 0.12, 0]).rotate([1, 0, 0], 90))


def _beam(belfry, name, start, end, thick, seed):
    """A squared timber between two points, with chamfered edges."""
    start, end = np.array(start, float), np.array(end, float)
    length = float(np.linalg.norm(end - start))
    half = thick / 2
    section = box(-half, -half, half, half).buffer(-0.02).buffer(0.02, join_style="bevel")
    geometry = shapes.bevelled(section, length, 0.01)
    vertices = geometry[0]
    around = np.arctan2(vertices[:, 1], vertices[:, 0]) / (2 * np.pi) + 0.5
    uv = np.c_[vertices[:, 2] / 3.0, around]
    up = [0, 0, 1] if abs(end - start)[2] < 0.9 * length else [0, 1, 0]
    place = T().look_at(origin=start.tolist(), target=end.tolist(), up=up)
    belfry.mesh(name, (*geometry, uv), matte(np.clip(_weathered(seed), 0, 1)), place)


def _frame(belfry):
    """The bell frame: two tiers of beams across the room, posts, braces, and iron straps."""
    across = WIDE / 2
    _beam(belfry, "low", (-across, -1.5, 3.0), (across, -1.5, 3.08), 0.27, 201)
    _beam(belfry, "high", (-across, -2.3, 5.9), (across, -2.3, 5.85), 0.30, 202)
    _beam(belfry, "back", (-across, -0.5, 6.7), (across, -0.5, 6.7), 0.26, 203)
    _beam(belfry, "along", (-1.35, -DEEP, 6.25), (-1.35, 0.2, 6.25), 0.24, 204)
    _beam(belfry, "along2", (1.25, -DEEP, 6.3), (1.25, 0.2, 6.3), 0.24, 205)
    _beam(belfry, "post1", (-1.62, -1.5, -0.5), (-1.62, -1.5, 6.3), 0.24, 206)
    _beam(belfry, "brace", (-1.58, -1.42, 4.35), (-0.35, -1.42, 5.95), 0.17, 207)
    _beam(belfry, "brace2", (1.3, -2.2, 4.7), (0.35, -2.2, 5.8), 0.17, 208)
    strap = glaze(IRON, 0.3)
    for number, x in enumerate((-1.62, 0.9)):
        middle = 3.04 + 0.018 * x
        band = shapes.bevelled(box(-0.05, -0.146, 0.05, 0.146), 0.292, 0.006)
        belfry.mesh(f"strap{number}", band, strap, T().translate([x, -1.5, middle - 0.146]))
        for nail, z in enumerate((middle - 0.07, middle + 0.07)):
            belfry.scene[f"nail{number}{nail}"] = {
                "type": "sphere",
                "center": [x, -1.65, z],
                "radius": 0.016,
                "surface": strap,
            }


def _bell(belfry):
    """A bell's rim at the right: a turned profile with its mouldings, and the clapper below."""
    height = [0, 0.02, 0.06, 0.10, 0.11, 0.13, 0.14, 0.22, 0.34, 0.50, 0.52, 0.54, 0.70, 0.86, 0.96, 1.02]
    radius = [0.72, 0.74, 0.735, 0.70, 0.705, 0.69, 0.67, 0.60, 0.53, 0.47, 0.48, 0.465, 0.43, 0.40, 0.34, 0.1]
    inner = np.c_[np.linspace(0.30, 0.66, 8), np.linspace(0.9, 0.0, 8)]
    profile = np.r_[inner, np.c_[radius, height]]
    turned = trimesh.creation.revolve(profile, sections=160)
    geometry = np.asarray(turned.vertices, np.float32), np.asarray(turned.faces, np.int32)
    patina = 0.16 + 0.05 * textures.rough_field((512, 512), slope=1.1, seed=221)
    bronze = metal(BRASS, np.clip(patina, 0.08, 0.4).astype(np.float32))
    place = T().translate([1.3, -2.05, 3.3]).rotate([0, 1, 0], -7.0)
    belfry.mesh("bell", geometry, bronze, place, smooth=True, extent=1.6)
    belfry.rod("clapper", [1.3, -2.05, 4.0], [1.26, -2.05, 3.16], 0.028, glaze(IRON, 0.25))
    belfry.scene["ball"] = {
        "type": "sphere",
        "center": [1.26, -2.05, 3.16],
        "radius": 0.085,
        "surface": glaze(IRON, 0.25),
    }


def _ropes(belfry):
    """Ropes that hang from the frame, twisted of three strands, one with a woollen grip."""
    hemp = matte((0.42, 0.33, 0.21))
    hung = ((-0.42, -1.9, -0.6, 0.05), (0.1, -2.6, -0.6, -0.04), (0.62, -1.2, 0.3, 0.02))
    for number, (x, y, foot, lean) in enumerate(hung):
        z = np.linspace(foot, 6.4, 620)
        for strand in range(3):
            turn = 2 * np.pi * (z * 9.0 + strand / 3)
            bow = lean * np.sin(np.pi * (z - foot) / (6.4 - foot))
            path = np.c_[x + bow + 0.011 * np.cos(turn), y + 0.011 * np.sin(turn), z]
            belfry.mesh(f"rope{number}_{strand}", shapes.tube(path, 0.0125), hemp, T(), smooth=True)
    grip = np.c_[np.full(40, 0.085), np.full(40, -2.6), np.linspace(1.55, 2.15, 40)]
    wide = 0.045 * np.sin(np.linspace(0.25, np.pi - 0.25, 40)) ** 0.4
    belfry.mesh("grip", shapes.tube(grip, wide), matte((0.28, 0.045, 0.04)), T(), smooth=True)


def _light(belfry):
    """Daylight outside the window, and what comes up from the stairs behind the viewer."""
    belfry.scene["day"] = {
        "type": "rectangle",
        "to_world": T().translate([0, 4.0, 5.6]).rotate([1, 0, 0], 90).scale([6, 5, 1]),
        "emitter": shine((0.93, 0.98, 1.06), 8.0),
        "surface": matte((0, 0, 0)),
    }
    belfry.scene["sun"] = {
        "type": "rectangle",
        "to_world": T().look_at(origin=[-1.9, 3.6, 8.8], target=[0.6, -1.6, 3.2], up=[0, 0, 1]).scale([1.0, 1.0, 1]),
        "emitter": shine((1.0, 0.88, 0.68), 60.0),
    }
    belfry.scene["air"] = {"type": "constant", "radiance": {"type": "rgb", "value": (0.24, 0.25, 0.27)}}
    belfry.scene["stairs"] = {
        "type": "rectangle",
        "to_world": T().look_at(origin=[-1.2, -6.5, 0.2], target=[0.4, -1, 4.5], up=[0, 0, 1]).scale([0.5, 0.5, 1]),
        "emitter": shine((1.0, 0.78, 0.52), 6.0),
    }
