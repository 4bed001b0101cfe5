"""The clock tower at dusk, seen over wet roofs from a window across the street. Lengths in metres."""

from __future__ import annotations

from pathlib import Path

import masonry
import numpy as np
import shapes
import textures
import trimesh
from shapely import affinity
from shapely.geometry import Point, Polygon, box
from shapely.ops import unary_union
from stage import BRASS, STEEL, Stage, T, bitmap, film, glaze, integrator, matte, metal, shine

PLACE = T().translate([4.2, 0, 0]).rotate([0, 0, 1], 21.0)  # of the tower
HALF = 3.3  # half its width
IRON = (0.018, 0.019, 0.021)


def build(folder: Path, *, size: tuple[int, int], features: bool) -> dict:
    """Return the scene, to be rendered for light or for its feature channels (albedo, normal, depth)."""
    town = Stage(folder)
    _sky(town)
    _shaft(town)
    _clock(town)
    _crown(town)
    town.lit = []
    _houses(town)
    _rooms(town)
    _far_roofs(town)
    _wires(town)
    town.scene["integrator"] = integrator(features=features, depth=6)
    town.scene["sensor"] = {
        "type": "thinlens",
        "fov": 46.0,
        "fov_axis": "x",
        "aperture_radius": 0.035,
        "focus_distance": 42.0,
        "to_world": T().look_at(origin=[-4.5, -41, 11.0], target=[0.9, 0, 15.9], up=[0.014, 0, 1]),
        "film": film(size),
        "sampler": {"type": "ldsampler"},
    }
    return town.scene


def _glow(array):
    """An area light whose radiance is a picture."""
    return {"type": "area", "radiance": bitmap(array)}


def _upright(x, y, z, *, turn=0.0):
    """Place a shape drawn in x and y upright: its y goes up, its front towards the viewer."""
    return T().translate([x, y, z]).rotate([0, 0, 1], turn).rotate([1, 0, 0], 90)


def _sky(town):
    town.scene["air"] = {"type": "constant", "radiance": {"type": "rgb", "value": (0.13, 0.165, 0.26)}}
    town.scene["sky"] = {
        "type": "rectangle",
        "to_world": _upright(20, 420, 150).scale([330, 185, 1]),
        "emitter": _glow(masonry.dusk()),
        "surface": matte((0.0, 0.0, 0.0)),
    }
    for number, (x, y, aim) in enumerate(((-1.5, -10.8, (3.4, -3, 15)), (13.0, -9.2, (6.5, -2, 14)))):
        town.scene[f"flood{number}"] = {
            "type": "rectangle",
            "to_world": T().look_at(origin=[x, y, 3.0], target=aim, up=[0, 0, 1]).scale([0.5, 0.5, 1]),
            "emitter": shine((1.0, 0.74, 0.46), 52.0 - 20 * number),
        }
    town.scene["porch"] = {  # behind the viewer, so that the near slates glint
        "type": "rectangle",
        "to_world": T().look_at(origin=[-17, -37, 14.0], target=[-5, -18, 6.5], up=[0, 0, 1]).scale([0.7, 0.7, 1]),
        "emitter": shine((1.0, 0.70, 0.42), 34.0),
    }
    town.scene["ground"] = {
        "type": "rectangle",
        "to_world": T().scale([400, 400, 1]),
        "surface": glaze((0.03, 0.03, 0.032), 0.2),
    }


def _arch(wide, foot, spring):
    """An opening with a round head: `wide`, from `foot` to where the arch springs."""
    return unary_union([box(-wide / 2, foot, wide / 2, spring), Point(0, spring).buffer(wide / 2, 40)])


def _shaft(town):
    """Four walls with their openings; x and y of a wall are across and up."""
    openings = [affinity.translate(_arch(1.25, 17.9, 19.8), at, 0) for at in (-1.25, 1.25)]
    front = unary_union([*openings, Point(0, 14.2).buffer(2.12, 96), _arch(1.15, 6.2, 9.0)])
    wall = box(-HALF, 0, HALF, 21.2)
    stone = matte(masonry.ashlar(2 * HALF + 0.4, 21.6))
    for number, turn in enumerate((0.0, 90.0, 180.0, 270.0)):
        cut = wall.difference(front if turn in (0.0, 270.0) else unary_union(openings))
        place = PLACE @ T().rotate([0, 0, 1], turn).translate([0, -HALF + 0.55, 0]).rotate([1, 0, 0], 90)
        geometry = shapes.bevelled(cut, 0.55, 0.03)
        uv = geometry[0][:, :2] / (2 * HALF + 0.4, 21.6) + (0.5, 0.0)
        town.mesh(f"wall{number}", (*geometry, uv), stone, place)
        _louvres(town, number, place)
        if turn in (0.0, 270.0):
            _lancet(town, number, place)
    ring = box(-HALF, -HALF, HALF, HALF)
    plain = matte(masonry.ashlar(8, 8, seed=64))
    for level, (z, out, tall) in enumerate(
        ((11.2, 0.20, 0.32), (17.1, 0.22, 0.34), (21.1, 0.42, 0.5), (5.4, 0.18, 0.3))
    ):
        ledge = ring.buffer(out, join_style=2).difference(ring.buffer(-0.5))
        town.mesh(
            f"ledge{level}", shapes.bevelled(ledge, tall, 0.08), plain, PLACE @ T().translate([0, 0, z]), extent=8
        )
    for index, (x, y) in enumerate(((-HALF, -HALF), (HALF, -HALF), (-HALF, HALF), (HALF, HALF))):
        block = shapes.bevelled(box(x - 0.42, y - 0.42, x + 0.42, y + 0.42), 21.0, 0.05)
        uv = np.c_[(block[0][:, 0] + block[0][:, 1]) / 8 + 0.5, block[0][:, 2] / 8]
        town.mesh(f"corner{index}", (*block, uv), plain, PLACE)


def _louvres(town, number, wall):
    """Sloping boards in the belfry's openings, before a dim light inside."""
    board = shapes.bevelled(box(-0.64, -0.17, 0.64, 0.17), 0.03, 0.008)
    grey = glaze(textures.wood(512, seed=15) * 0.8, 0.3)
    for side, at in enumerate((-1.25, 1.25)):
        for row in range(11):
            place = wall @ T().translate([at, 18.05 + 0.235 * row, 0.28]).rotate([1, 0, 0], 38.0)
            town.mesh(f"louvre{number}_{side}_{row}", board, grey, place, extent=1.4)
    if number == 0:
        town.scene["inside"] = {
            "type": "sphere",
            "to_world": PLACE @ T().translate([0.6, 0.2, 19.6]).scale(0.22),
            "emitter": shine((1.0, 0.72, 0.42), 22.0),
        }


def _lancet(town, number, wall):
    """A leaded window below the dial, lit from within, in a stone frame."""
    outline = _arch(1.15, 6.2, 9.0)
    light = masonry.leaded(seed=111 + number)
    town.scene[f"glass{number}"] = {
        "type": "rectangle",
        "to_world": wall @ T().translate([0, 7.9, 0.16]).scale([0.60, 1.75, 1]),
        "emitter": _glow(0.72 * light),
        "surface": matte((0.02, 0.02, 0.02)),
    }
    frame = outline.buffer(0.16).difference(outline.buffer(-0.07))
    town.mesh(
        f"frame{number}",
        shapes.bevelled(frame, 0.5, 0.05),
        matte((0.34, 0.28, 0.20)),
        wall @ T().translate([0, 0, 0.2]),
    )
    bars = [box(-0.58, y - 0.02, 0.58, y + 0.02) for y in (7.0, 7.8, 8.6)]
    town.mesh(
        f"bars{number}",
        shapes.bevelled(unary_union([*bars, box(-0.02, 6.2, 0.02, 9.5)]), 0.05, 0.01),
        matte(IRON),
        wall @ T().translate([0, 0, 0.2]),
    )


def _clock(town):
    """Two opal dials lit from behind, their iron frames and hands."""
    face = textures.dial(1600)
    ink = np.clip(face.mean(axis=-1, keepdims=True) / 0.55, 0, 1) ** 1.3
    y, x = (np.mgrid[0:1600, 0:1600] - 800) / 800.0
    hot = 0.74 + 0.34 * np.exp(-(((x - 0.25) ** 2 + (y + 0.2) ** 2) / 0.35))
    light = ink * hot[..., None] * np.array([1.0, 0.80, 0.52])
    ring = Point(0, 0).buffer(2.22, 128).difference(Point(0, 0).buffer(1.98, 128))
    for number, turn in enumerate((0.0, 270.0)):
        place = PLACE @ T().rotate([0, 0, 1], turn).translate([0, -HALF + 0.30, 14.2]).rotate([1, 0, 0], 90)
        vertices, faces, uv = shapes.disc(2.02, dome=0.03)
        opal = (vertices, faces[:, ::-1], uv)  # a mesh shines on the side its faces turn
        town.mesh(f"dial{number}", opal, matte((0.5, 0.48, 0.42)), place, smooth=True)
        town.scene[f"dial{number}"]["emitter"] = _glow(light.astype(np.float32))
        town.mesh(f"bezel{number}", shapes.bevelled(ring, 0.42, 0.12), glaze((0.05, 0.06, 0.055), 0.2), place)
        for name, length, width, at, lift in (("hour", 1.12, 0.075, 154.6, 0.16), ("minute", 1.72, 0.055, 56.0, 0.24)):
            blade = shapes.bevelled(shapes.hand(length, width), 0.04, 0.012)
            town.mesh(
                f"{name}{number}",
                blade,
                glaze((0.006, 0.006, 0.008), 0.15),
                place @ T().translate([0, 0, lift]).rotate([0, 0, 1], at),
            )


def _crown(town):
    """The slated spire, its ridges, ball and vane."""
    rng = np.random.default_rng(5)
    tall, foot = 6.6, HALF + 0.55
    slope = float(np.hypot(tall, foot))
    lean = float(np.degrees(np.arctan2(tall, foot)))
    wet = glaze(masonry.slate_colours(), 0.13)
    for number, turn in enumerate((0.0, 90.0, 180.0, 270.0)):
        place = PLACE @ T().rotate([0, 0, 1], turn).translate([0, -foot, 21.55]).rotate([1, 0, 0], lean)
        town.mesh(f"spire{number}", masonry.slates(2 * foot, 0.2, slope, rng=rng), wet, place)
    lead = metal(STEEL, 0.32)
    top = [0, 0, 21.55 + tall]
    for number, (x, y) in enumerate(((-foot, -foot), (foot, -foot), (-foot, foot), (foot, foot))):
        ends = [PLACE @ np.array(p, float) for p in ([x, y, 21.56], top)]
        town.rod(f"hip{number}", [float(v) for v in ends[0]], [float(v) for v in ends[1]], 0.06, lead)
    tip = [float(v) for v in PLACE @ np.array(top, float)]
    town.rod("finial", tip, [tip[0], tip[1], tip[2] + 2.0], 0.035, matte(IRON))
    town.scene["ball"] = {
        "type": "sphere",
        "center": [tip[0], tip[1], tip[2] + 0.5],
        "radius": 0.2,
        "surface": metal(BRASS, 0.12),
    }
    vane = unary_union(
        [
            box(-0.75, -0.02, 0.75, 0.02),
            affinity.translate(Point(0, 0).buffer(0.2, 3), 0.75, 0),
            box(-0.8, -0.16, -0.42, 0.16),
        ]
    )
    town.mesh(
        "vane", shapes.bevelled(vane, 0.03, 0.008), matte(IRON), _upright(tip[0], tip[1], tip[2] + 1.55, turn=-14)
    )


def _houses(town):
    """Two rows of houses: roofs towards the viewer in front, lit fronts at the left and the right of the tower."""
    rng = np.random.default_rng(12)
    coats = [(0.42, 0.36, 0.27), (0.30, 0.33, 0.34), (0.45, 0.30, 0.22), (0.38, 0.38, 0.33)]
    front = ((-17.5, 6.5, 8.6, 9.4), (-8.6, 8.5, 8.4, 8.2), (14.6, 5.0, 8.8, 10.6), (23.5, 7.0, 8.6, 9.0))
    for number, (x, y, wide, eaves) in enumerate(front):
        _house(town, f"row{number}", (x, y), wide, eaves, coats[number], rng, turn=rng.uniform(-5, 5))
    near = ((-15.4, -22.5, 9.0, 5.3), (-4.4, -19.0, 10.5, 4.5), (6.6, -20.5, 9.4, 4.7), (15.8, -17.5, 8.8, 5.6))
    for number, (x, y, wide, eaves) in enumerate(near):
        _house(town, f"near{number}", (x, y), wide, eaves, coats[-number], rng, turn=rng.uniform(-7, 7), lit=False)


def _house(town, name, at, wide, eaves, colour, rng, *, turn, lit=True):
    """A gabled house with its ridge across: front wall, slated roof, chimney; windows when `lit`."""
    deep, rise = 6.5, 3.0
    place = T().translate([*at, 0]).rotate([0, 0, 1], turn)
    coat = (
        masonry.brick(wide, eaves, seed=int(rng.integers(1000)))
        if rng.random() < 0.5
        else masonry.render_coat(wide, eaves, colour, seed=int(rng.integers(1000)))
    )
    body = shapes.bevelled(box(-wide / 2, 0, wide / 2, deep), eaves, 0.05)
    uv = np.c_[body[0][:, 0] / wide + 0.5, body[0][:, 2] / eaves]
    town.mesh(f"{name}wall", (*body, uv), matte(coat), place)
    slope, lean = float(np.hypot(deep / 2 + 0.3, rise)), float(np.degrees(np.arctan2(rise, deep / 2 + 0.3)))
    wet = glaze(masonry.slate_colours(seed=int(rng.integers(1000))), 0.10)
    roof = masonry.slates(wide + 0.4, wide + 0.4, slope, rng=rng)
    town.mesh(f"{name}roof", roof, wet, place @ T().translate([0, -0.3, eaves]).rotate([1, 0, 0], lean))
    back = place @ T().translate([0, deep + 0.3, eaves]).rotate([0, 0, 1], 180).rotate([1, 0, 0], lean)
    town.mesh(f"{name}back", roof, wet, back)
    ridge = [place @ np.array([s * (wide / 2 + 0.2), deep / 2, eaves + rise + 0.03], float) for s in (-1, 1)]
    town.rod(
        f"{name}ridge", [float(v) for v in ridge[0]], [float(v) for v in ridge[1]], 0.10, matte((0.16, 0.07, 0.05))
    )
    gutter = [place @ np.array([s * (wide / 2 + 0.2), -0.36, eaves - 0.02], float) for s in (-1, 1)]
    town.rod(f"{name}gutter", [float(v) for v in gutter[0]], [float(v) for v in gutter[1]], 0.06, glaze(IRON, 0.15))
    _chimney(town, name, place, (rng.uniform(-0.35, 0.35) * wide, deep / 2, eaves + rise), rng)
    if lit:
        _windows(town, name, place, wide, eaves, rng)


def _chimney(town, name, place, at, rng):
    x, y, z = at
    tall = rng.uniform(1.3, 1.9)
    stack = shapes.bevelled(box(-0.65, -0.35, 0.65, 0.35), tall + 0.9, 0.03)
    uv = np.c_[(stack[0][:, 0] + stack[0][:, 1]) / 2.4 + 0.5, stack[0][:, 2] / 3]
    town.mesh(
        f"{name}stack",
        (*stack, uv),
        matte(masonry.brick(2.4, 3, seed=int(rng.integers(1000)))),
        place @ T().translate([x, y, z - 0.9]),
    )
    cap = shapes.bevelled(box(-0.75, -0.45, 0.75, 0.45), 0.14, 0.03)
    town.mesh(f"{name}cap", cap, matte((0.22, 0.2, 0.17)), place @ T().translate([x, y, z + tall]))
    for number, side in enumerate((-0.36, 0.0, 0.36)):
        pot = Point(0, 0).buffer(0.15, 32).difference(Point(0, 0).buffer(0.10, 32))
        town.mesh(
            f"{name}pot{number}",
            shapes.bevelled(pot, rng.uniform(0.45, 0.7), 0.04),
            matte((0.30, 0.14, 0.08)),
            place @ T().translate([x + side, y, z + tall + 0.12]),
        )


def _windows(town, name, place, wide, eaves, rng):
    """Rows of sash windows; most are lit. The frames stand out bright against the rooms."""
    white = glaze((0.55, 0.53, 0.48), 0.2)
    bars = [box(-0.62, -0.9, 0.62, 0.9).difference(box(-0.54, -0.82, 0.54, 0.82))]
    bars += [box(-0.54, y - 0.02, 0.54, y + 0.02) for y in (-0.42, 0.02, 0.42)] + [box(-0.02, -0.82, 0.02, 0.82)]
    sash = shapes.bevelled(unary_union(bars), 0.08, 0.012)
    sill = shapes.bevelled(box(-0.75, -0.12, 0.75, 0.12), 0.1, 0.02)
    count = int(wide / 2.1)
    for row, z in enumerate((eaves - 1.5, eaves - 4.2, eaves - 6.9)):
        for column in range(count):
            x = (column - (count - 1) / 2) * wide / count
            key, shown = f"{name}w{row}_{column}", place @ _upright(x, -0.02, z)
            town.mesh(f"{key}sash", sash, white, shown)
            town.mesh(f"{key}sill", sill, matte((0.3, 0.27, 0.22)), place @ T().translate([x, -0.08, z - 1.02]))
            corners = [
                shown @ np.array(c, float)
                for c in ((-0.56, -0.84, 0.01), (0.56, -0.84, 0.01), (0.56, 0.84, 0.01), (-0.56, 0.84, 0.01))
            ]
            if rng.random() < 0.62:
                town.lit.append(np.array(corners))
            else:
                dark = {"type": "roughconductor", "alpha": 0.02, "specular_reflectance": 0.12}
                surface = {"type": "twosided", "bsdf": dark}
                town.mesh(f"{key}pane", masonry.quads([np.array(corners)], [0], columns=1), surface, T())


def _rooms(town):
    """All lit windows as one light, so that few samples are spent on choosing between them."""
    rng = np.random.default_rng(8)
    tiles = [float(rng.uniform(0.35, 1.6)) * masonry.lamplit(seed=k) for k in range(36)]
    panes = masonry.quads(town.lit, rng.permutation(36 * 4)[: len(town.lit)] % 36, columns=6)
    town.mesh("rooms", panes, matte((0.05, 0.05, 0.05)), T())
    town.scene["rooms"]["emitter"] = _glow(masonry.atlas(tiles, columns=6))


def _far_roofs(town):
    """Gables and a hill far behind, nearly black against the glow."""
    rng = np.random.default_rng(31)
    lights = []
    for number in range(26):
        x, y = rng.uniform(-75, 75), rng.uniform(55, 150)
        wide, tall = rng.uniform(8, 15), rng.uniform(6.5, 11.5)
        gable = unary_union(
            [box(-wide / 2, 0, wide / 2, tall), affinity.translate(box(-wide / 4, 0, -wide / 4 + 1.1, 4.6), 0, tall)]
        )
        peak = affinity.translate(affinity.scale(Point(0, 0).buffer(1, 1), wide / 2, 3.4), 0, tall)
        outline = unary_union([gable, peak])
        town.mesh(
            f"far{number}",
            shapes.bevelled(outline, 7.0, 0.1),
            matte((0.10, 0.09, 0.09)),
            _upright(x, y, 0, turn=rng.uniform(-8, 8)),
        )
        for _ in range(int(rng.integers(0, 3))):
            middle = np.array([x + rng.uniform(-0.3, 0.3) * wide, y - 7.4, rng.uniform(3.5, tall)])
            lights.append(middle + np.array([(-0.5, 0, -0.7), (0.5, 0, -0.7), (0.5, 0, 0.7), (-0.5, 0, 0.7)]))
    town.mesh("farlights", masonry.quads(lights, [0] * len(lights), columns=1), matte((0.0, 0.0, 0.0)), T())
    town.scene["farlights"]["emitter"] = shine((1.0, 0.62, 0.30), 0.9)
    x = np.linspace(-330, 330, 260)
    top = 14 + 7 * np.sin(x / 63) + 4 * np.sin(x / 23 + 1) + _smooth(rng.standard_normal(260)) * 1.2
    hill = Polygon([*zip(x, top, strict=True), (330, -2), (-330, -2)])
    town.mesh("hill", shapes.bevelled(hill, 2.0, 0.2), matte((0.035, 0.04, 0.045)), _upright(0, 330, 0))


def _smooth(values):
    """Smooth a profile a little."""
    return np.convolve(values, np.hanning(7) / 3.0, mode="same")


def _sagging(start, end, sag, points=60):
    at = np.linspace(0, 1, points)[:, None]
    line = np.asarray(start) * (1 - at) + np.asarray(end) * at
    line[:, 2] -= sag * 4 * (at * (1 - at))[:, 0]
    return line


def _wires(town):
    """Bare wires against the sky, and a string of lamps across the street."""
    runs = (
        ((-22, -6, 19.5), (4.5, -3.6, 20.6), 1.6),
        ((-22, -6, 18.8), (3.6, -3.8, 17.4), 1.9),
        ((-20, -14, 14.2), (26, 3, 17.2), 2.4),
        ((8.4, -3.0, 20.4), (27, -6, 17.0), 1.3),
        ((8.2, -3.2, 17.3), (27, -7, 15.1), 1.2),
    )
    for number, (start, end, sag) in enumerate(runs):
        _curve(town, f"wire{number}", _sagging(start, end, sag), 0.013)
    lamps = _sagging((-15.5, -9.0, 11.6), (16.5, -7.0, 11.2), 2.1, points=300)
    _curve(town, "lampwire", lamps, 0.014)
    bulbs = []
    for number, index in enumerate(range(14, 292, 18)):
        x, y, z = (float(v) for v in lamps[index])
        town.rod(f"cap{number}", [x, y, z - 0.02], [x, y, z - 0.12], 0.035, matte(IRON))
        bulb = trimesh.creation.icosphere(subdivisions=3, radius=0.085)
        bulbs.append(bulb.apply_translation([x, y, z - 0.21]))
    joined = trimesh.util.concatenate(bulbs)
    town.mesh("bulbs", (joined.vertices, joined.faces), matte((0.0, 0.0, 0.0)), T())
    town.scene["bulbs"]["emitter"] = shine((1.0, 0.70, 0.40), 26.0)


def _curve(town, name, line, radius):
    path = town.folder / f"{name}.txt"
    path.write_text("\n".join(f"{x:.4f} {y:.4f} {z:.4f} {radius}" for x, y, z in line))
    town.scene[name] = {"type": "bsplinecurve", "filename": str(path), "surface": matte(IRON)}
