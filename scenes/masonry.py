"""Textures and meshes of the town: ashlar, brick, slates, the dusk sky, what shines through a window."""

from __future__ import annotations

import numpy as np
from scipy import ndimage
from textures import mix, rough_field


def courses(shape, *, height, length, joint, rng):
    """Return (joint plane 0 to 1, tone of each block) of a bonded wall; heights and lengths in px."""
    joints, tone = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    row, odd = 0, False
    while row < shape[0]:
        tall = max(int(height * rng.uniform(0.94, 1.06)), 3)
        column = -int(length * (0.5 if odd else 0.0) + length * rng.uniform(0, 0.2))
        while column < shape[1]:
            wide = max(int(length * rng.uniform(0.8, 1.25)), 4)
            tone[row : row + tall, max(column, 0) : column + wide] = rng.normal()
            joints[row : row + tall, max(column, 0) : max(column + joint, 0)] = 1
            column += wide
        joints[row : row + joint] = 1
        row, odd = row + tall, not odd
    return ndimage.gaussian_filter(joints, 0.8), tone


def ashlar(wide, tall, *, per_metre=150, seed=61):
    """Dressed sandstone: blocks of many tones, soot under the ledges, streaks of rain, lichen."""
    shape = (int(tall * per_metre), int(wide * per_metre))
    rng = np.random.default_rng(seed)
    joints, tone = courses(shape, height=0.36 * per_metre, length=0.75 * per_metre, joint=3, rng=rng)
    grain = rough_field(shape, slope=0.45, seed=seed + 1)
    cloud = rough_field(shape, slope=1.6, seed=seed + 2)
    streak = rough_field(shape, slope=1.0, stretch=(9, 1), seed=seed + 3)
    colour = mix((0.44, 0.36, 0.26), (0.24, 0.19, 0.14), 0.42 + 0.16 * tone + 0.07 * grain + 0.10 * cloud)
    colour *= (1 - 0.35 * np.clip(0.35 + 0.4 * streak, 0, 1))[..., None]
    lichen = np.clip(rough_field(shape, slope=0.9, seed=seed + 4) - 1.6, 0, 1)
    colour += lichen[..., None] * np.array([0.10, 0.10, 0.04])
    return np.clip(colour * (1 - 0.55 * joints)[..., None], 0.004, 0.9)


def brick(wide, tall, *, per_metre=150, seed=71):
    """Old brickwork, darkened unevenly, with pale mortar."""
    shape = (int(tall * per_metre), int(wide * per_metre))
    rng = np.random.default_rng(seed)
    joints, tone = courses(shape, height=0.085 * per_metre, length=0.24 * per_metre, joint=2, rng=rng)
    grain = rough_field(shape, slope=0.4, seed=seed + 1)
    cloud = rough_field(shape, slope=1.5, seed=seed + 2)
    colour = mix((0.30, 0.12, 0.075), (0.12, 0.055, 0.045), 0.45 + 0.22 * tone + 0.06 * grain + 0.12 * cloud)
    mortar = mix((0.26, 0.23, 0.19), (0.15, 0.13, 0.11), 0.5 + 0.2 * cloud)
    share = np.clip(joints, 0, 1)[..., None]
    return np.clip(colour * (1 - share) + mortar * share, 0.004, 0.9)


def render_coat(wide, tall, colour, *, per_metre=80, seed=81):
    """Painted render: patchy, stained below the eaves, with fine cracks."""
    shape = (int(tall * per_metre), int(wide * per_metre))
    cloud = rough_field(shape, slope=1.5, seed=seed)
    grain = rough_field(shape, slope=0.4, seed=seed + 1)
    streak = rough_field(shape, slope=1.1, stretch=(8, 1), seed=seed + 2)
    tone = 1 - 0.12 * np.clip(cloud, -1, 2) - 0.05 * grain - 0.14 * np.clip(streak, 0, 2)
    return np.clip(np.asarray(colour) * tone[..., None], 0.004, 0.9).astype(np.float32)


def slates(foot, ridge, length, *, rng, wide=0.29, shown=0.21, thick=0.012):
    """A slated slope: rows of thin tilted plates, none quite alike.

    The slope lies in x (across) and y (from the eaves up to `length`), as wide as `foot` at the eaves and as
    `ridge` at the top. Returns (vertices, faces, uv); every slate takes its own place of the texture.
    """
    corner = np.array([[x, y, z] for z in (0, 1) for y in (0, 1) for x in (0, 1)], float)
    sides = [[0, 2, 1], [1, 2, 3], [4, 5, 6], [5, 7, 6], [0, 1, 4], [1, 5, 4], [2, 6, 3], [3, 6, 7]]
    sides += [[0, 4, 2], [2, 4, 6], [1, 3, 5], [3, 7, 5]]
    vertices, faces, uv = [], [], []
    for row in range(int(length / shown)):
        half = 0.5 * (foot + (ridge - foot) * row * shown / length)
        start = -half - (wide / 2 if row % 2 else 0)
        for column in range(int((2 * half + wide) / wide)):
            x = start + column * wide
            if x + wide < -half or x > half or rng.random() < 0.002:
                continue
            size = np.array([wide * rng.uniform(0.95, 0.985), shown * 2.1, thick])
            plate = (corner - (0.5, 0, 0)) * size
            tilt, turn, twist = rng.normal(0.055, 0.012), rng.normal(0, 0.012), rng.normal(0, 0.014)
            plate[:, 2] += (shown * 2.1 - plate[:, 1]) * tilt + plate[:, 0] * twist
            plate[:, 0] += plate[:, 1] * turn
            plate += (np.clip(x + wide / 2, -half, half), row * shown + rng.normal(0, 0.006), 0)
            faces += [[len(vertices) * 8 + i for i in side] for side in sides]
            vertices.append(plate)
            uv.append(rng.uniform(0, 0.94, 2) + corner[:, :2] * 0.05)
    return np.vstack(vertices), np.array(faces), np.vstack(uv)


def slate_colours(size=1024, seed=91):
    """Blue-grey slate with moss and rust: what the plates take their colour from."""
    split = rough_field((size, size), slope=0.8, stretch=(1, 6), seed=seed)
    patch = rough_field((size, size), slope=1.3, seed=seed + 1)
    moss = np.clip(rough_field((size, size), slope=1.0, seed=seed + 2) - 1.1, 0, 1)
    colour = mix((0.075, 0.085, 0.10), (0.16, 0.162, 0.17), 0.5 + 0.2 * split + 0.25 * patch)
    return np.clip(colour + moss[..., None] * np.array([0.05, 0.06, 0.0]), 0.004, 0.9)


def quads(places, tiles, *, columns):
    """Join upright rectangles into one mesh; each takes its tile of an atlas of that many columns and rows.

    `places` : for every rectangle, its four corners as 4 x 3, counted round. `tiles` : the number of its tile.
    """
    vertices = np.vstack(places)
    first = 4 * np.arange(len(places))[:, None]
    faces = np.vstack([first + np.array(half) for half in ((0, 1, 2), (0, 2, 3))])
    unit = np.array([(0, 0), (1, 0), (1, 1), (0, 1)], float)
    uv = [(unit + np.array(divmod(tile, columns)[::-1])) / columns for tile in tiles]
    return vertices, faces, np.vstack(uv)


def atlas(tiles, *, columns):
    """Lay pictures of one size side by side, the first at the foot, as texture space counts."""
    high, wide = tiles[0].shape[:2]
    whole = np.zeros((high * columns, wide * columns, 3), np.float32)
    for number, tile in enumerate(tiles):
        row, column = divmod(number, columns)
        top = (columns - 1 - row) * high
        whole[top : top + high, column * wide : (column + 1) * wide] = tile
    return whole


def dusk(wide=2400, tall=1400, seed=101):
    """Radiance of the evening sky behind the town: glow at the horizon, deep blue above, torn cloud."""
    y = np.linspace(1, 0, tall, dtype=np.float32)[:, None]  # 0 at the horizon
    x = np.linspace(-1, 1, wide, dtype=np.float32)[None, :]
    stops = np.array([0.0, 0.16, 0.38, 0.65, 1.0])
    colours = np.array(
        [(0.60, 0.30, 0.15), (0.42, 0.27, 0.22), (0.19, 0.20, 0.27), (0.085, 0.12, 0.21), (0.040, 0.062, 0.125)]
    )
    sky = np.stack([np.interp(y + 0.06 * (x + 0.3) ** 2, stops, colours[:, c]) for c in range(3)], -1)
    glow = np.exp(-(((x + 0.45) / 0.5) ** 2) - (y / 0.30) ** 2)[..., None]
    sky = sky + glow * np.array([0.34, 0.16, 0.05])
    cloud = rough_field((tall, wide), slope=1.35, stretch=(1, 3.4), seed=seed)
    torn = rough_field((tall, wide), slope=0.8, stretch=(1, 2.2), seed=seed + 1)
    cover = np.clip(0.55 * (cloud + 0.35 * torn - 0.35), 0, 1) * np.clip(1.25 - y, 0.25, 1)
    lit = mix((0.62, 0.32, 0.22), (0.075, 0.085, 0.125), np.clip(y * 2.6, 0, 1) + 0 * x)
    return np.clip(sky * (1 - 0.75 * cover[..., None]) + 0.62 * lit * cover[..., None], 0, 4).astype(np.float32)


def lamplit(wide=160, tall=240, *, seed=0):
    """Radiance of a lit room through its window: curtains at the sides, a bright lamp, a dim ceiling."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0 : 1 : tall * 1j, 0 : 1 : wide * 1j].astype(np.float32)
    lamp = np.exp(-(((x - rng.uniform(0.3, 0.7)) / 0.30) ** 2) - ((y - rng.uniform(0.3, 0.6)) / 0.34) ** 2)
    room = 0.32 + 1.25 * lamp
    drawn = rng.uniform(0.10, 0.32)
    fold = 0.55 + 0.25 * np.sin(x * rng.uniform(60, 90) + 3 * y)
    curtain = 1 / (1 + np.exp(-(np.abs(x - 0.5) - (0.5 - drawn) - 0.05 * (y - 0.3)) * 90))
    light = room * (1 - curtain) + 0.42 * fold * curtain
    return (light[..., None] * np.array([1.0, 0.60, 0.28], np.float32)).astype(np.float32)


def leaded(wide=240, tall=720, seed=111):
    """Radiance through a leaded light: violet quarries, a few of amber and green, dark cames between them."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:tall, 0:wide].astype(np.float32)
    a, b = (x + 0.7 * y) / 105, (x - 0.7 * y) / 105
    lead = np.minimum(np.abs(a - np.rint(a)), np.abs(b - np.rint(b)))
    key = (np.floor(a) * 31 + np.floor(b) * 17).astype(int) % 97
    kinds = np.array(
        [(0.42, 0.13, 0.66), (0.36, 0.11, 0.60), (0.48, 0.16, 0.70), (0.66, 0.36, 0.07), (0.10, 0.34, 0.16)]
    )
    pick = rng.choice(5, 97, p=[0.34, 0.28, 0.24, 0.08, 0.06])
    glass = (
        kinds[pick][key] * (rng.uniform(0.75, 1.1, 97)[key] + 0.05 * rough_field((tall, wide), seed=seed))[..., None]
    )
    return np.clip(glass * np.clip((lead - 0.028) * 60, 0.01, 1)[..., None], 0, 2).astype(np.float32)
