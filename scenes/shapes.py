"""Meshes of the bench: bevelled gears and boards, dial, curved paper, tweezers; written as PLY with u, v."""

from __future__ import annotations

import numpy as np
import trimesh
from shapely import affinity
from shapely.geometry import Point, Polygon, box
from shapely.ops import unary_union


def write_ply(path, vertices, faces, uv):
    """Write a binary PLY with per-vertex texture coordinates."""
    header = (
        "ply\nformat binary_little_endian 1.0\n"
        f"element vertex {len(vertices)}\nproperty float x\nproperty float y\nproperty float z\n"
        "property float u\nproperty float v\n"
        f"element face {len(faces)}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    rows = np.empty(len(faces), dtype=[("n", "u1"), ("i", "<i4", 3)])
    rows["n"], rows["i"] = 3, faces
    body = np.hstack([vertices, uv]).astype("<f4").tobytes() + rows.tobytes()
    path.write_bytes(header.encode() + body)
    return path


def planar_uv(vertices, extent):
    """Texture coordinates from x and y, `extent` wide and centred on the origin."""
    return vertices[:, :2] / extent + 0.5


def bevelled(polygon, height, bevel):
    """Extrude with three small steps at either rim, so that no edge is a computed one."""
    parts = []
    for inset, lift in ((0.0, 1.0), (0.35, 0.45), (0.7, 0.15), (1.0, 0.0)):
        outline = polygon.buffer(-bevel * inset * 0.6)
        for piece in getattr(outline, "geoms", [outline]):
            part = trimesh.creation.extrude_polygon(piece, height - 2 * bevel * lift)
            part.apply_translation([0, 0, bevel * lift])
            parts.append(part)
    joined = trimesh.util.concatenate(parts)
    return joined.vertices, joined.faces


def gear(teeth, radius, *, hub=0.16, hole=0.05, spokes=5, rim=0.80, arm=0.085):
    """The outline of a clock wheel: cycloid-like teeth, a rim, tapered spokes, a hub with its hole."""
    angles = np.linspace(0, 2 * np.pi, teeth * 24, endpoint=False)
    wave = np.cos(angles * teeth)
    depth = 2.2 * np.pi / teeth * 0.5
    profile = radius * (1 - depth * 0.5 + depth * 0.5 * np.tanh(2.6 * wave + 0.5))
    outline = Polygon(np.c_[profile * np.cos(angles), profile * np.sin(angles)])
    if not spokes:
        return outline.difference(Point(0, 0).buffer(hole * radius, 32))
    ring = outline.difference(Point(0, 0).buffer(rim * radius, 96))
    arms = []
    for turn in range(spokes):
        wide = arm * radius
        taper = Polygon([(0, -wide), (rim * radius * 1.03, -wide * 0.6), (rim * radius * 1.03, wide * 0.6), (0, wide)])
        arms.append(affinity.rotate(taper, 360 * turn / spokes + 11, origin=(0, 0)))
    whole = unary_union([ring, Point(0, 0).buffer(hub * radius, 48), *arms])
    whole = whole.buffer(-0.03 * radius).buffer(0.03 * radius).intersection(outline).union(ring)
    return whole.difference(Point(0, 0).buffer(hole * radius, 32))


def hand(length, width):
    """A spade hand pointing up, with its boss."""
    blade = Polygon(
        [
            (-width, -0.16 * length),
            (width, -0.16 * length),
            (width * 0.45, length * 0.66),
            (-width * 0.45, length * 0.66),
        ]
    )
    spade = affinity.scale(Point(0, 0).buffer(1, 48), width * 2.3, length * 0.10)
    tip = Polygon([(-width * 0.8, length * 0.70), (width * 0.8, length * 0.70), (0, length)])
    return unary_union([blade, affinity.translate(spade, 0, length * 0.64), tip, Point(0, 0).buffer(width * 2.4, 48)])


def screw_head(radius):
    """A cheese head with its slot cut across, as two halves."""
    disc = Point(0, 0).buffer(radius, 48)
    return disc.difference(box(-2 * radius, -0.16 * radius, 2 * radius, 0.16 * radius))


def disc(radius, *, rings=40, around=200, dome=0.0):
    """A slightly domed disk with its own square texture coordinates."""
    r = np.linspace(0, 1, rings + 1)[:, None]
    a = np.linspace(0, 2 * np.pi, around, endpoint=False)[None, :]
    x, y = (radius * r * np.cos(a)).ravel(), (radius * r * np.sin(a)).ravel()
    vertices = np.c_[x, y, (dome * (1 - r**2) + 0 * a).ravel()]
    faces = _grid_faces(rings + 1, around, wrap=True)
    return vertices, faces, np.c_[x, y] / (2 * radius) + 0.5


def sheet(width, height, lift, *, columns=60, rows=60):
    """A sheet bent by `lift(x, y)` over parts 0..1 of its sides."""
    y, x = np.mgrid[0 : 1 : (rows + 1) * 1j, 0 : 1 : (columns + 1) * 1j]
    vertices = np.c_[((x - 0.5) * width).ravel(), ((y - 0.5) * height).ravel(), lift(x, y).ravel()]
    return vertices, _grid_faces(rows + 1, columns + 1), np.c_[x.ravel(), y.ravel()]


def _grid_faces(rows, columns, wrap=False):
    index = np.arange(rows * columns).reshape(rows, columns)
    right = np.roll(index, -1, axis=1) if wrap else index[:, 1:]
    left = index if wrap else index[:, :-1]
    a, b, c, d = left[:-1], right[:-1], left[1:], right[1:]
    lower = np.stack([a, b, d], -1).reshape(-1, 3)
    return np.vstack([lower, np.stack([a, d, c], -1).reshape(-1, 3)])


def bent_strip(length, width, thick, bow):
    """One leg of the tweezers: a strip that narrows to its point and bows outward."""
    at = np.linspace(0, 1, 40)
    half = width * (0.5 - 0.42 * at**1.5)
    z = bow * np.sin(at * np.pi * 0.62)
    ring = np.stack(
        [np.c_[at * length, s * half, z + t * thick * (1 - 0.5 * at)] for s, t in ((-1, 0), (1, 0), (1, 1), (-1, 1))],
        axis=1,
    )
    vertices = ring.reshape(-1, 3)
    faces = _grid_faces(len(at), 4, wrap=True)
    return vertices, faces, planar_uv(vertices, length)


def escape_wheel(teeth, radius, *, spokes=4):
    """The outline of an escape wheel: raked club teeth on a thin rim, straight spokes."""
    step, root = 2 * np.pi / teeth, 0.80 * radius
    tooth = (
        (root, 0.00),
        (0.87 * radius, 0.30),
        (radius, 0.62),
        (0.965 * radius, 0.80),
        (0.86 * radius, 0.72),
        (root, 0.70),
    )
    points = [(r * np.cos((k + part) * step), r * np.sin((k + part) * step)) for k in range(teeth) for r, part in tooth]
    rim = Polygon(points).buffer(-0.006 * radius).buffer(0.006 * radius)
    rim = rim.difference(Point(0, 0).buffer(0.70 * radius, 128))
    arms = [
        affinity.rotate(box(0, -0.04 * radius, 0.74 * radius, 0.04 * radius), 360 * k / spokes, origin=(0, 0))
        for k in range(spokes)
    ]
    whole = unary_union([rim, Point(0, 0).buffer(0.15 * radius, 64), *arms])
    whole = whole.buffer(0.03 * radius).buffer(-0.03 * radius).intersection(whole.buffer(0.015 * radius))
    return whole.difference(Point(0, 0).buffer(0.035 * radius, 32))


def anchor(span, *, thick=0.16):
    """The outline of a pallet anchor: two curved arms that end in pallets, a boss with its hole."""
    arc = (
        Point(0, -0.62 * span)
        .buffer(0.74 * span, 96)
        .difference(Point(0, -0.62 * span).buffer((0.74 - thick) * span, 96))
    )
    arms = arc.intersection(box(-0.56 * span, -0.22 * span, 0.56 * span, span))
    pallets = [
        affinity.rotate(
            box(s * 0.5 * span - 0.05 * span, -0.44 * span, s * 0.5 * span + 0.05 * span, -0.10 * span), s * 14
        )
        for s in (-1, 1)
    ]
    fork = Polygon([(-0.06 * span, 0), (0.06 * span, 0), (0.035 * span, 1.25 * span), (-0.035 * span, 1.25 * span)])
    boss = Point(0, 0.04 * span).buffer(0.17 * span, 64)
    whole = unary_union([arms, *pallets, fork, boss]).buffer(0.02 * span).buffer(-0.02 * span)
    return whole.difference(Point(0, 0.04 * span).buffer(0.05 * span, 32))


def tube(path, radius, *, around=10):
    """A round tube along a path of points; `radius` is a number or one for each point."""
    path = np.asarray(path, float)
    along = np.gradient(path, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    first = np.cross(along, [0.0, 1.0, 0.0])
    first /= np.linalg.norm(first, axis=1, keepdims=True)
    second = np.cross(along, first)
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)
    wide = np.broadcast_to(np.asarray(radius, float), len(path))[:, None, None]
    ring = np.cos(angle)[None, :, None] * first[:, None] + np.sin(angle)[None, :, None] * second[:, None]
    vertices = (path[:, None] + wide * ring).reshape(-1, 3).astype(np.float32)
    return vertices, _grid_faces(len(path), around, wrap=True)
