"""Drawn pages: letters, plans, and photographs among them, with hard edges on flat ground."""

from __future__ import annotations

import string

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFont

_FONTS = (
    cv2.FONT_HERSHEY_SIMPLEX,
    cv2.FONT_HERSHEY_DUPLEX,
    cv2.FONT_HERSHEY_COMPLEX,
    cv2.FONT_HERSHEY_TRIPLEX,
    cv2.FONT_HERSHEY_SCRIPT_SIMPLEX,
)
_LETTERS = np.array(list(string.ascii_letters + string.digits + "     .,;:"))


def draw_page(picture: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return a page of a picture's size (h x w x 3, 0 to 1): letters, a plan or both, and perhaps the picture."""
    paper, ink = _paper_and_ink(rng)
    page = np.empty(picture.shape, np.uint8)
    page[:] = paper
    if rng.random() < 0.35:
        _draw_plan(page, rng)
    if rng.random() < 0.8:
        _write_letters(page, ink, rng)
    shown = page.astype(np.float32) / 255
    if rng.random() < 0.3:
        _lay_picture(shown, picture, rng)
    return cv2.GaussianBlur(shown, (0, 0), float(rng.uniform(0.3, 1.5))) if rng.random() < 0.4 else shown


def draw_text(picture: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return a page of a picture's size set in small letters, line by line, within margins (h x w x 3, 0 to 1)."""
    height, width = picture.shape[:2]
    paper, ink = (tuple(colour.tolist()) for colour in _paper_and_ink(rng))
    page = Image.new("RGB", (width, height), paper)
    size = float(np.exp(rng.uniform(np.log(7), np.log(40))))
    margin, pitch = int(rng.integers(8, 60)), size * float(rng.uniform(1.2, 1.8))
    font, pen = ImageFont.load_default(size), ImageDraw.Draw(page)
    for number in range(int((height - 2 * margin) / pitch)):
        letters = int((width - 2 * margin) / (0.5 * size) * (rng.uniform(0.3, 1) if rng.random() < 0.2 else 1))
        pen.text((margin, margin + number * pitch), "".join(rng.choice(_LETTERS, letters)), font=font, fill=ink)
    shown = np.asarray(page, np.float32) / 255
    return cv2.GaussianBlur(shown, (0, 0), float(rng.uniform(0.3, 1.0))) if rng.random() < 0.3 else shown


def _paper_and_ink(rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Return two colours, 0 to 255: often dark on light, else the reverse, or near one another."""
    light, dark = rng.uniform(0.6, 1.0), rng.uniform(0.0, 0.4)
    if rng.random() < 0.3:
        light, dark = rng.uniform(0.1, 0.9, 2)
    if rng.random() < 0.3:
        light, dark = dark, light
    tint = rng.normal(0, 0.08, (2, 3)) * (rng.random() < 0.5)
    paper, ink = np.rint(255 * np.clip(np.array([[light], [dark]]) + tint, 0, 1)).astype(np.uint8)
    return paper, ink


def _write_letters(page: np.ndarray, ink: np.ndarray, rng: np.random.Generator) -> None:
    height, width = page.shape[:2]
    size, thick = float(rng.uniform(0.3, 1.6)), int(rng.integers(1, 3))
    font, left = int(rng.choice(_FONTS)), int(rng.integers(0, 40))
    for top in range(int(30 * size), height, max(int(rng.uniform(22, 60) * size), 8)):
        line = "".join(rng.choice(_LETTERS, int(rng.uniform(0.2, 1.1) * width / (18 * size))))
        cv2.putText(page, line, (left, top), font, size, ink.tolist(), thick, cv2.LINE_AA)


def _draw_plan(page: np.ndarray, rng: np.random.Generator) -> None:
    """Draw lines, outlines and filled shapes of flat colour."""
    side = min(page.shape[:2])
    for _ in range(int(rng.integers(5, 90))):
        points = rng.integers(0, side, (int(rng.integers(2, 6)), 2)).astype(np.int32)
        colour = rng.integers(0, 256, 3).tolist()
        if rng.random() < 0.4:
            cv2.fillConvexPoly(page, cv2.convexHull(points), colour, cv2.LINE_AA)
        elif rng.random() < 0.3:
            cv2.circle(page, points[0].tolist(), int(rng.integers(3, side // 4)), colour, int(rng.integers(1, 4)))
        else:
            cv2.polylines(page, [points], False, colour, int(rng.integers(1, 4)), cv2.LINE_AA)


def _lay_picture(page: np.ndarray, picture: np.ndarray, rng: np.random.Generator) -> None:
    """Lay a part of the picture on the page."""
    lengths = [int(rng.uniform(0.3, 0.8) * side) for side in page.shape[:2]]
    y, x = (int(rng.integers(0, side - length + 1)) for side, length in zip(page.shape[:2], lengths))
    part = slice(y, y + lengths[0]), slice(x, x + lengths[1])
    page[part] = picture[part]
