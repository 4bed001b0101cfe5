"""The test card of the workshop, photographed at seven ISOs: what a camera's noise is learned from.

A printed card lies on the bench's wood under one lamp: grey steps, colours, a slanted edge, a star of spokes, and
pieces of the bench itself, so that there is wood, felt and lettering to lose.
"""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np

from dustpan.core.picture.region import Size
from dustpan.core.picture.source import Source
from dustpan.core.picture.working import from_working
from dustpan.simulate.camera import Settings, take_photograph, tone_curve
from dustpan.simulate.scenes import camera_notes, load_truth

NAME = "iso-ladder"
WORDS = "a test card at seven ISOs, to learn a camera's noise from"
ISOS = (400, 800, 1600, 3200, 6400, 12800, 25600)
SIZE = (1200, 800)
_CARD = (980, 640)  # px
_PAPER = np.array([0.72, 0.66, 0.55], np.float32)  # under lamp light
_INK = np.array([0.018, 0.016, 0.014], np.float32)
_GREYS = np.geomspace(0.02, 0.5, 12)
_COLOURS = np.array(
    [
        [0.36, 0.07, 0.04],
        [0.55, 0.26, 0.05],
        [0.62, 0.46, 0.08],
        [0.13, 0.25, 0.06],
        [0.04, 0.17, 0.14],
        [0.03, 0.06, 0.17],
        [0.12, 0.05, 0.15],
        [0.42, 0.24, 0.16],
        [0.19, 0.09, 0.05],
        [0.30, 0.34, 0.36],
        [0.09, 0.11, 0.06],
        [0.50, 0.40, 0.31],
    ],
    np.float32,
)
_PIECES = ((1440, 1180, 200, 190), (20, 1380, 200, 190), (1535, 255, 300, 190))  # of the bench: x, y, width, height
_DOUBLE = 2  # the card is drawn twice as large, so that its edges are smooth


@lru_cache(maxsize=1)
def card_light() -> np.ndarray:
    """Return the scene's clean linear light, 800 x 1200 x 3 float32."""
    width, height = SIZE
    twice, card = (2 * width, 2 * height), _card()
    corners = 2 * np.array([[112, 84], [1084, 62], [1106, 716], [92, 742]], np.float32)  # not level, not centred
    flat = np.array([[0, 0], [card.shape[1], 0], [card.shape[1], card.shape[0]], [0, card.shape[0]]], np.float32)
    turn = cv2.getPerspectiveTransform(flat, corners)
    laid = _reduced_twice(cv2.warpPerspective(card, turn, twice, flags=cv2.INTER_LINEAR))
    paper = np.ones(card.shape[:2], np.float32)
    cover = _reduced_twice(cv2.warpPerspective(paper, turn, twice, flags=cv2.INTER_LINEAR))
    shadow = cv2.GaussianBlur(np.roll(cover, (9, 7), (0, 1)), (0, 0), 7)
    table = _wood(width, height) * (1 - 0.7 * shadow)[..., None]
    light = (table * (1 - cover[..., None]) + laid) * _lamp(width, height)[..., None]
    light = cv2.GaussianBlur(light, (0, 0), 0.6).astype(np.float32)  # a lens
    light.flags.writeable = False
    return light


def ladder_picture(iso: int, *, seed: int = 1, size: Size | None = None) -> Source:
    """Return the card as photographed at an ISO; the same seed gives the same picture."""
    settings = Settings(iso=iso)
    working = take_photograph(_reduced(size), settings, seed=seed)
    metadata = camera_notes(settings)
    return Source(from_working(working, dtype=np.uint8), name=f"{NAME} {iso}", metadata=metadata)


def ladder_truth(*, size: Size | None = None) -> Source:
    """Return the card as a camera without noise gives it."""
    plain = Source(from_working(tone_curve(_reduced(size)), dtype=np.uint16), name=f"{NAME}, clean")
    return replace(plain, metadata=camera_notes(Settings(iso=ISOS[0])))


def _reduced(size: Size | None) -> np.ndarray:
    light = card_light()
    return light if size is None or size == SIZE else cv2.resize(light, size, interpolation=cv2.INTER_AREA)


def _reduced_twice(plane: np.ndarray) -> np.ndarray:
    return cv2.resize(plane, SIZE, interpolation=cv2.INTER_AREA)


def _smooth(rng: np.random.Generator, shape: tuple[int, int], across: float, along: float) -> np.ndarray:
    """Return smooth noise of a mean of 0 and a deviation of 1, of such sizes in px."""
    less = max(min(across, along) / 4, 1.0)  # smooth noise is drawn on fewer px
    small = tuple(round(side / less) + 1 for side in shape)
    drawn = rng.normal(0, 1, small).astype(np.float32)
    blurred = cv2.GaussianBlur(drawn, (0, 0), sigmaX=along / less, sigmaY=across / less)
    plane = cv2.resize(blurred, shape[::-1], interpolation=cv2.INTER_CUBIC)
    return plane / plane.std()


def _wood(width: int, height: int) -> np.ndarray:
    """Return dark boards: long fibres, wide growth rings, pores."""
    rng, shape = np.random.default_rng(31), (height, width)
    bend = 14 * _smooth(rng, shape, 60, 260)
    rings = np.sin((np.arange(height)[:, None] + bend) / 9.0 + 1.5 * _smooth(rng, shape, 20, 200))
    fibres = _smooth(rng, shape, 0.8, 26) + 0.6 * _smooth(rng, shape, 0.6, 7)
    tone = np.exp(0.22 * rings + 0.16 * fibres + 0.18 * _smooth(rng, shape, 90, 160))
    pores = np.clip(_smooth(rng, shape, 0.7, 5) - 2.1, 0, 1)
    return (tone * (1 - 0.6 * pores))[..., None] * np.array([0.105, 0.052, 0.024], np.float32)


def _lamp(width: int, height: int) -> np.ndarray:
    """Return the light of a lamp at the upper left, 0 to 1."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    away = np.hypot((x - 0.24 * width) / width, (y - 0.12 * height) / height)
    return (1.05 / (1 + 1.9 * away**2)).astype(np.float32)


def _card() -> np.ndarray:
    """Return the printed card, twice as large as it is laid."""
    width, height = _CARD[0] * _DOUBLE, _CARD[1] * _DOUBLE
    rng = np.random.default_rng(7)
    grain = 1 + 0.012 * _smooth(rng, (height, width), 1.6, 2.4) + 0.02 * _smooth(rng, (height, width), 90, 90)
    card = grain[..., None] * _PAPER
    for number, grey in enumerate(_GREYS):
        _print(card, 60 + 155 * number, 60, 145, 190, grey * _PAPER / _PAPER.mean())
    for number, colour in enumerate(_COLOURS):
        _print(card, 60 + 155 * number, 280, 145, 190, colour)
    _star(card, (300, 790), 210)
    _slanted(card, 580, 590, 340, 400)
    bench, left = load_truth("bench"), 1000
    for x, y, wide, high in _PIECES:
        piece = cv2.resize(bench[y : y + high, x : x + wide], None, fx=1.45, fy=1.45 * 1.4)
        piece = np.clip(piece * (0.22 / piece.mean()), 0.01, 0.9)[:400]
        room = min(piece.shape[1], width - 50 - left)
        card[590 : 590 + len(piece), left : left + room] = piece[:, :room]
        left += room + 24
    _words(card, "TARN STREET  ·  WORKSHOP CARD  ·  QUILLMARK Q3", 1130)
    return card.astype(np.float32)


def _print(card: np.ndarray, x: int, y: int, width: int, height: int, light: np.ndarray) -> None:
    """Print a patch, with the paper's grain and slightly soft edges."""
    mask = np.zeros(card.shape[:2], np.float32)
    mask[y : y + height, x : x + width] = 1
    part = np.s_[max(y - 8, 0) : y + height + 8, max(x - 8, 0) : x + width + 8]
    cover = cv2.GaussianBlur(mask[part], (0, 0), 1.5)[..., None]
    card[part] = card[part] * (1 - cover) + card[part] / _PAPER * light * cover


def _star(card: np.ndarray, centre: tuple[int, int], radius: int) -> None:
    y, x = np.mgrid[0 : card.shape[0], 0 : card.shape[1]].astype(np.float32)
    y, x = y - centre[1], x - centre[0]
    spokes = np.clip(4 * np.sin(36 * np.arctan2(y, x)), -1, 1) * 0.5 + 0.5
    inside = np.clip(radius - np.hypot(x, y), 0, 1) * np.clip(np.hypot(x, y) - 14, 0, 1)
    cover = (inside * spokes)[..., None]
    card[:] = card * (1 - cover) + _INK * cover


def _slanted(card: np.ndarray, x: int, y: int, width: int, height: int) -> None:
    """Print a dark square that stands 5 degrees askew."""
    middle = (x + width / 2, y + height / 2)
    box = cv2.boxPoints((middle, (width * 0.8, height * 0.78), 5.0))
    mask = np.zeros(card.shape[:2], np.uint8)
    cv2.fillConvexPoly(mask, np.round(box * 16).astype(np.int32), 255, cv2.LINE_AA, shift=4)
    cover = (mask / np.float32(255))[..., None]
    card[:] = card * (1 - cover) + (4 * _INK) * cover


def _words(card: np.ndarray, text: str, y: int) -> None:
    mask = np.zeros(card.shape[:2], np.uint8)
    cv2.putText(mask, text.replace("·", "-"), (70, y), cv2.FONT_HERSHEY_COMPLEX, 1.7, 255, 3, cv2.LINE_AA)
    cover = (mask / np.float32(255))[..., None]
    card[:] = card * (1 - cover) + _INK * cover
