"""Write the small pictures of the scenes, which the start page shows.

python scenes/small.py
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from dustpan.core.picture.working import from_working
from dustpan.simulate.camera import tone_curve
from dustpan.simulate.iso_ladder import NAME, card_light
from dustpan.simulate.roof_stars import Night
from dustpan.simulate.scenes import SCENES, clean_picture, load_truth
from dustpan.simulate.series import ROOF_STARS

_FOLDER = Path(__file__).parent.parent / "src/dustpan/simulate/data"
_LIT, _STRETCHED = 5.0, 6.0
_WIDTH = 336  # px, twice what is shown
_PART = {"postcard": (0.3, 0.12, 0.8, 0.62)}  # of the scene where not all of it is shown: left, top, right, bottom


def picture_of(name: str) -> np.ndarray:
    """Return what a scene shows, so light that one sees what it is."""
    if name == NAME:
        return tone_curve(card_light())
    if name == ROOF_STARS:
        sky = Night().sky(0, trails=False)
        sky = np.clip((sky - np.quantile(sky, 0.02)) * np.float32(_STRETCHED), 0, None)
        return tone_curve(np.repeat(sky, 3, axis=2) if sky.shape[2] == 1 else sky)
    if SCENES[name].stops:
        return tone_curve(load_truth(name) * np.float32(_LIT))
    return clean_picture(name, dtype=np.float32).pixels


for name in (*SCENES, NAME, ROOF_STARS):
    pixels = picture_of(name)
    height, width = pixels.shape[:2]
    left, top, right, bottom = _PART.get(name, (0, 0, 1, 1))
    pixels = pixels[int(top * height) : int(bottom * height), int(left * width) : int(right * width)]
    size = (_WIDTH, round(_WIDTH * pixels.shape[0] / pixels.shape[1]))
    small = from_working(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    Image.fromarray(small).save(_FOLDER / f"{name}-small.jpg", quality=82)
