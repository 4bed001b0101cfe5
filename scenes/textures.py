"""Textures of the bench, drawn as arrays: wood, enamel dial, paper, felt, brass, ruler."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFilter, ImageFont
from scipy import ndimage

FONTS = Path(__file__).parent / "fonts"
SERIF = FONTS / "GentiumBookPlus-Bold.ttf"
SCRIPT = FONTS / "DancingScript-Regular.otf"


def rough_field(shape, *, slope=1.0, stretch=(1.0, 1.0), seed=0):
    """Return a random field of unit deviation whose amplitude falls as frequency ** -slope."""
    rng = np.random.default_rng(seed)
    fy = np.fft.fftfreq(shape[0])[:, None] * stretch[0] * shape[0]
    fx = np.fft.rfftfreq(shape[1])[None, :] * stretch[1] * shape[1]
    radius = np.hypot(fy, fx)
    radius[0, 0] = np.inf
    spectrum = np.fft.rfft2(rng.standard_normal(shape)) / np.maximum(radius, 1.0) ** slope
    field = np.fft.irfft2(spectrum, shape)
    return ((field - field.mean()) / field.std()).astype(np.float32)


def mix(low, high, share):
    """Blend two colours by a plane of shares."""
    share = np.clip(share, 0, 1)[..., None]
    return (np.asarray(low) * (1 - share) + np.asarray(high) * share).astype(np.float32)


def wood(size=3072, seed=1):
    """Varnished walnut: annual rings cut at a slant, fibres, open pores, a few knocks."""
    y, x = np.mgrid[0:size, 0:size].astype(np.float32) / size
    bend = rough_field((size, size), slope=2.0, stretch=(1, 4), seed=seed)
    rings = (y + 0.035 * bend) * 34 + 1.8 * np.sin(2.1 * y + 0.6) + 0.8 * x
    phase = rings - np.floor(rings)
    late = np.clip(phase, 0, 1) ** 2.2 * np.clip((1 - phase) * 7, 0, 1)
    fibre = rough_field((size, size), slope=0.75, stretch=(1.0, 26), seed=seed + 1)
    fine = rough_field((size, size), slope=0.25, stretch=(1.0, 14), seed=seed + 2)
    tone = 0.42 * late + 0.13 * fibre + 0.07 * fine + 0.12 * bend + 0.35
    colour = mix((0.30, 0.150, 0.062), (0.085, 0.036, 0.014), tone)
    rng = np.random.default_rng(seed + 3)
    pores = np.zeros((size, size), np.float32)
    for _ in range(9000):
        row, col, length = rng.integers(0, size), rng.integers(0, size), rng.integers(10, 64)
        pores[row : row + rng.integers(1, 3), col : col + length] = rng.uniform(0.3, 0.9)
    pores = ndimage.gaussian_filter(pores, (0.7, 2.0))
    scuffs = np.zeros((size, size), np.float32)
    for _ in range(70):
        _scratch(scuffs, rng, length=rng.integers(60, 420))
    colour *= (1 - 0.6 * pores)[..., None]
    colour += 0.05 * ndimage.gaussian_filter(scuffs, 0.8)[..., None]
    return np.clip(colour, 0.004, 0.9)


def _scratch(plane, rng, *, length):
    size = plane.shape[0]
    row, col, angle = rng.uniform(0, size), rng.uniform(0, size), rng.uniform(0, np.pi)
    for _ in range(length):
        angle += rng.normal(0, 0.012)
        row, col = row + np.sin(angle), col + np.cos(angle)
        if 0 <= row < size and 0 <= col < size:
            plane[int(row), int(col)] = rng.uniform(0.4, 1.0)


def dial(size=2400, seed=11):
    """An enamel dial: numerals, minute track, maker's line, hairline cracks, a chip, grime at the rim."""
    picture = Image.new("L", (size, size), 255)
    draw = ImageDraw.Draw(picture)
    centre = size / 2
    for radius, width in ((0.475, 5), (0.445, 5), (0.255, 3)):
        box = [centre - radius * size, centre - radius * size, centre + radius * size, centre + radius * size]
        draw.ellipse(box, outline=24, width=width)
    for minute in range(60):
        angle = minute * np.pi / 30
        inner, width = (0.438, 13) if minute % 5 == 0 else (0.447, 5)
        ends = [(centre + r * size * np.sin(angle), centre - r * size * np.cos(angle)) for r in (inner, 0.473)]
        draw.line(ends, fill=20, width=width)
    numerals = ["XII", "I", "II", "III", "IIII", "V", "VI", "VII", "VIII", "IX", "X", "XI"]
    font = ImageFont.truetype(str(SERIF), int(size * 0.098))
    for hour, text in enumerate(numerals):
        tile = Image.new("L", (int(size * 0.26), int(size * 0.16)), 0)
        ImageDraw.Draw(tile).text((tile.width / 2, tile.height / 2), text, font=font, fill=255, anchor="mm")
        tile = tile.rotate(-30 * hour, expand=True, resample=Image.Resampling.BICUBIC)
        at = (centre + 0.355 * size * np.sin(hour * np.pi / 6), centre - 0.355 * size * np.cos(hour * np.pi / 6))
        picture.paste(18, (int(at[0] - tile.width / 2), int(at[1] - tile.height / 2)), tile)
    _letter(draw, (centre, centre - 0.15 * size), "Tarn Street", SCRIPT, size * 0.055)
    _letter(draw, (centre, centre + 0.135 * size), "No. 417", SERIF, size * 0.026)
    _letter(draw, (centre, centre + 0.17 * size), "EIGHT DAYS", SERIF, size * 0.017)
    ink = 1 - np.asarray(picture.filter(ImageFilter.GaussianBlur(1.3)), np.float32) / 255
    shade = rough_field((size, size), slope=1.6, seed=seed)
    grain = rough_field((size, size), slope=0.4, seed=seed + 1)
    base = mix((0.66, 0.61, 0.50), (0.52, 0.46, 0.34), 0.4 + 0.18 * shade + 0.05 * grain)
    y, x = (np.mgrid[0:size, 0:size] - centre) / centre
    base *= (1 - 0.45 * np.clip((np.hypot(x, y) - 0.9) * 9, 0, 1) * np.clip(0.6 + 0.3 * shade, 0, 1))[..., None]
    cracks = _cracks(size, seed + 2)
    base *= (1 - 0.55 * cracks)[..., None]
    worn = np.clip(0.97 - 0.10 * np.clip(grain - 1.1, 0, 2), 0, 1)
    return np.clip(mix(base, np.full_like(base, 0.018), ink * worn), 0.004, 0.9)


def _letter(draw, at, text, font, size):
    draw.text(at, text, font=ImageFont.truetype(str(font), int(size)), fill=40, anchor="mm")


def _cracks(size, seed):
    """Hairlines that wander over the enamel and branch."""
    rng = np.random.default_rng(seed)
    plane = np.zeros((size, size), np.float32)
    starts = [(rng.uniform(0.1, 0.9) * size, rng.uniform(0.1, 0.9) * size, rng.uniform(0, 2 * np.pi)) for _ in range(9)]
    while starts:
        row, col, angle = starts.pop()
        for _ in range(int(rng.uniform(0.1, 0.45) * size)):
            angle += rng.normal(0, 0.07)
            row, col = row + np.sin(angle), col + np.cos(angle)
            if not (1 <= row < size - 1 and 1 <= col < size - 1):
                break
            plane[int(row), int(col)] = rng.uniform(0.5, 1.0)
            if rng.random() < 0.0007:
                starts.append((row, col, angle + rng.choice([-1, 1]) * rng.uniform(0.5, 1.2)))
    return np.clip(ndimage.gaussian_filter(plane, 0.9) * 2.4, 0, 1)


def paper(width=1500, height=1900, seed=21):
    """A note by hand on laid paper, with a coffee ring and a pencil sum."""
    picture = Image.new("L", (width, height), 255)
    draw = ImageDraw.Draw(picture)
    font = ImageFont.truetype(str(SCRIPT), int(width * 0.078))
    small = ImageFont.truetype(str(SCRIPT), int(width * 0.055))
    lines = [
        "Tarn Street tower",
        "going train - second wheel:",
        "bush worn, pivot 0.4 mm under",
        "clean, re-bush, polish",
        "hands: minute bent 3 deg",
        "dial: chip at VII, leave it",
        "felt for the lamp",
        "",
        "order 2 doz. taper pins,",
        "oil, pegwood, chalk",
    ]
    for row, text in enumerate(lines):
        draw.text((width * 0.08 + 6 * np.sin(row * 2.1), height * (0.07 + 0.082 * row)), text, font=font, fill=30)
    draw.text((width * 0.58, height * 0.90), "417 / 12 = 34.75", font=small, fill=120)
    ink = 1 - np.asarray(picture.filter(ImageFilter.GaussianBlur(1.1)), np.float32) / 255
    fibres = rough_field((height, width), slope=0.5, stretch=(1, 2.2), seed=seed)
    cloud = rough_field((height, width), slope=1.7, seed=seed + 1)
    base = mix((0.70, 0.64, 0.50), (0.56, 0.48, 0.34), 0.4 + 0.10 * fibres + 0.15 * cloud)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    ring = np.hypot(x - width * 0.72, y - height * 0.71) - width * 0.19 + 5 * cloud
    stain = np.exp(-((ring / 11) ** 2)) * np.clip(0.6 + 0.4 * cloud, 0, 1) + 0.18 * (ring < 0)
    base *= 1 - stain[..., None] * np.array([0.25, 0.42, 0.6])
    return np.clip(
        mix(base, np.full_like(base, (0.02, 0.025, 0.06)), ink * np.clip(0.85 + 0.12 * fibres, 0, 1)), 0.004, 0.9
    )


def felt(size=2048, seed=31):
    """Dark green felt: matted short fibres, worn patches, lint and brass filings."""
    fine = sum(
        rough_field((size, size), slope=0.35, stretch=stretch, seed=seed + i)
        for i, stretch in enumerate(((1, 5), (5, 1), (1.4, 1)))
    )
    worn = rough_field((size, size), slope=1.6, seed=seed + 9)
    tone = 0.38 + 0.13 * fine + 0.16 * worn
    colour = mix((0.010, 0.034, 0.020), (0.046, 0.105, 0.066), tone)
    rng = np.random.default_rng(seed + 12)
    lint = np.zeros((size, size), np.float32)
    for _ in range(260):
        _scratch(lint, rng, length=rng.integers(8, 70))
    colour += 0.22 * ndimage.gaussian_filter(lint, 0.7)[..., None]
    dust = ndimage.gaussian_filter((rng.random((size, size)) > 0.9995).astype(np.float32), 0.9)
    colour += dust[..., None] * np.array([0.9, 0.7, 0.3])
    return np.clip(colour, 0.003, 0.9)


def turned(size=1024, seed=41):
    """Roughness of turned brass in polar marks about the middle: circles, fine scratches, finger grease."""
    y, x = (np.mgrid[0:size, 0:size] - size / 2).astype(np.float32) / (size / 2)
    radius = np.hypot(x, y)
    rng = np.random.default_rng(seed)
    marks = np.interp(radius, np.linspace(0, 1.5, 700), ndimage.gaussian_filter1d(rng.standard_normal(700), 0.8))
    grease = rough_field((size, size), slope=1.7, seed=seed + 1)
    scratches = np.zeros((size, size), np.float32)
    for _ in range(160):
        _scratch(scratches, rng, length=rng.integers(20, 260))
    tone = 0.20 + 0.075 * marks + 0.055 * grease + 0.3 * ndimage.gaussian_filter(scratches, 0.6)
    return np.clip(tone, 0.07, 0.55).astype(np.float32)[..., None]


def ruler(length=2600, height=260, seed=51):
    """A steel rule: half millimetres over 13 cm."""
    picture = Image.new("L", (length, height), 255)
    draw = ImageDraw.Draw(picture)
    font = ImageFont.truetype(str(SERIF), int(height * 0.30))
    for half in range(260):
        at = half * length / 260
        reach = 0.46 if half % 20 == 0 else 0.34 if half % 10 == 0 else 0.24 if half % 2 == 0 else 0.14
        draw.line([(at, 0), (at, reach * height)], fill=10, width=3)
        if half % 20 == 0 and half:
            draw.text((at + 4, height * 0.66), str(half // 20), font=font, fill=10, anchor="mm")
    ink = 1 - np.asarray(picture.filter(ImageFilter.GaussianBlur(0.9)), np.float32) / 255
    brushed = rough_field((height, length), slope=0.4, stretch=(1, 40), seed=seed)
    base = np.repeat((0.34 + 0.035 * brushed)[..., None], 3, axis=2)
    return np.clip(mix(base, np.full_like(base, 0.02), ink), 0.004, 0.9)
