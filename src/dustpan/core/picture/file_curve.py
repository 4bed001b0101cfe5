"""The tone curve of a file's colour profile, where it is not sRGB's.

Steps that work in light are given display values in the sRGB curve; all others work on the file's own values.

References
----------
ICC.1:2022, Image technology colour management: the types `curv` and `para`.
"""

from __future__ import annotations

import hashlib
import struct
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from dustpan.core.picture.curve import encode_curve

_ENTRIES = 4097
_ALIKE = 0.5 / 255  # display value by which a curve must differ from sRGB's to count as another
_ENDS = 0.02  # display value by which black and white of a curve may be off
_TABLE, _TAG = 128, 12  # bytes of a profile's head, and of an entry of its table
_FIXED = 65536.0

#: Gives the linear light of values from 0 to 1.
Decode = Callable[[np.ndarray], np.ndarray]


@dataclass(frozen=True, eq=False)
class FileCurve:
    """A file's values as display values in the sRGB curve, and back.

    Attributes
    ----------
    forward, back : (4097,) float32, for the squares of numbers spread evenly from 0 to 1, so that darks lie close.
    """

    forward: np.ndarray
    back: np.ndarray

    @classmethod
    def of(cls, decode: Decode) -> FileCurve | None:
        """Return the curve, or None where it is as good as sRGB's, does not rise, or misses black or white."""
        at = np.linspace(0, 1, _ENTRIES) ** 2
        shown = encode_curve(np.clip(decode(at), 0, 1)).astype(float)
        off_ends = max(abs(shown[0]), abs(shown[-1] - 1)) > _ENDS
        if np.abs(shown - at).max() < _ALIKE or off_ends or (np.diff(shown) < 0).any():
            return None
        shown = (shown - shown[0]) / (shown[-1] - shown[0])
        return cls(shown.astype(np.float32), np.interp(at, shown, at).astype(np.float32))

    @classmethod
    def of_profile(cls, profile: bytes) -> FileCurve | None:
        """Return the curve that all channels of an ICC profile share; None for sRGB's, and where they share none."""
        try:
            tags = _tags_of(profile)
            curves = {tags[name] for name in (b"rTRC", b"gTRC", b"bTRC", b"kTRC") if name in tags}
            if len(curves) != 1 or b"A2B0" in tags:
                return None
            decode = _decode_of(curves.pop())
        except (struct.error, ValueError):
            return None
        return None if decode is None else cls.of(decode)

    @cached_property
    def key(self) -> str:
        """A hash of the curve."""
        return hashlib.blake2b(self.forward.tobytes(), digest_size=8).hexdigest()


def _tags_of(profile: bytes) -> dict[bytes, bytes]:
    """Return the data of a profile's tags by their signatures; raises struct.error or ValueError for no profile."""
    if profile[36:40] != b"acsp":
        raise ValueError("no ICC profile")
    (count,) = struct.unpack_from(">I", profile, _TABLE)
    found = {}
    for number in range(min(count, 200)):
        name, start, size = struct.unpack_from(">4sII", profile, _TABLE + 4 + _TAG * number)
        found[name] = profile[start : start + size]
    return found


def _decode_of(tag: bytes) -> Decode | None:
    """Return the curve of a tag's data, or None for a type that is none."""
    if tag[:4] == b"curv":
        (count,) = struct.unpack_from(">I", tag, 8)
        if count == 0:
            return lambda values: values
        entries = np.array(struct.unpack_from(f">{count}H", tag, 12), float)
        if count == 1:
            return lambda values: values ** (entries[0] / 256)
        return lambda values: np.interp(values, np.linspace(0, 1, count), entries / 65535)
    return _parametric(tag) if tag[:4] == b"para" else None


def _parametric(tag: bytes) -> Decode | None:
    """Return a curve given by numbers: (a x + b) ** g + e from d on, and c x + f before."""
    (kind,) = struct.unpack_from(">H", tag, 8)
    counts = (1, 3, 4, 5, 7)
    if kind >= len(counts):
        return None
    given = [value / _FIXED for value in struct.unpack_from(f">{counts[kind]}i", tag, 12)]
    given += [1.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0][len(given) :]
    g, a, b, c, d, e, f = given
    if kind in (1, 2):  # flat up to where the power begins; the fourth number is added everywhere
        c, d, e, f = 0.0, -b / a if a else 0.0, c, c
    return lambda values: np.where(values >= d, np.maximum(a * values + b, 0) ** g + e, c * values + f)
