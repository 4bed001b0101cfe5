"""What commands print: messages and progress on standard error, one JSON object on standard output."""

from __future__ import annotations

import contextlib
import json
import os
import sys
from collections.abc import Iterator

import click
from rich.console import Console

from dustpan.batch.export import Also
from dustpan.core.errors import SaveError
from dustpan.files.save import FORMATS

console = Console(stderr=True, highlight=False)


def say(text: str) -> None:
    """Print a message on standard error, unwrapped."""
    console.print(" ".join(text.encode("utf-8", "replace").decode().splitlines()), markup=False, soft_wrap=True)


def print_json(data: dict) -> None:
    """Print one JSON object on standard output; letters that are none (in file names) are escaped."""
    text = json.dumps(data, indent=2, ensure_ascii=False)
    try:
        text.encode("utf-8")
    except UnicodeEncodeError:
        text = json.dumps(data, indent=2)
    try:
        click.echo(text)
    except BrokenPipeError:  # whoever read it has gone
        raise
    except OSError as fault:
        raise SaveError(f"standard output: can't be written ({fault.strerror}).") from fault


@contextlib.contextmanager
def quiet_output() -> Iterator[None]:
    """Send what libraries print on standard output to standard error, so that only our own object stands there."""
    sys.stdout.flush()
    try:
        kept = os.dup(1)
    except OSError:  # closed by the caller
        yield
        return
    os.dup2(2, 1)
    try:
        with contextlib.redirect_stdout(sys.stderr):
            yield
    finally:
        os.dup2(kept, 1)
        os.close(kept)


class Another(click.ParamType):
    """Another file of the same picture, written as FORMAT or FORMAT@WxH."""

    name = "FORMAT[@WxH]"

    def convert(self, value, param, ctx):
        """Return format and size; fail when it holds none."""
        if isinstance(value, Also):
            return value
        name, at, size = value.partition("@")
        if name not in FORMATS or FORMATS[name].raw:
            known = ", ".join(name for name, fmt in FORMATS.items() if not fmt.raw)
            self.fail(f"{name!r} is no format; known: {known}.", param, ctx)
        return Also(name, Size().convert(size, param, ctx) if at else None)


class Place(click.ParamType):
    """A rectangle in pixels, written as 40,60,200,180: left, top, right, bottom."""

    name = "X0,Y0,X1,Y1"

    def convert(self, value, param, ctx):
        """Return (x0, y0, x1, y1)."""
        if isinstance(value, tuple):
            return value
        sides = [side.strip() for side in value.split(",")]
        if len(sides) != 4 or not all(side.isascii() and side.isdigit() and len(side) <= 6 for side in sides):
            self.fail(f"'{value}' is not a rectangle in pixels, such as 40,60,200,180", param, ctx)
        return tuple(int(side) for side in sides)


BARE = click.option(
    "--bare",
    multiple=True,
    type=Place(),
    help="A place known to be empty, in pixels; the noise is measured there. May be given several times.",
)


class Size(click.ParamType):
    """A size in pixels, written as 1200x800."""

    name = "WxH"

    def convert(self, value, param, ctx):
        """Return (width, height)."""
        if isinstance(value, tuple):
            return value
        width, _, height = value.lower().partition("x")
        if not (width.isdigit() and height.isdigit() and 8 <= int(width) <= 20000 and 8 <= int(height) <= 20000):
            self.fail(f"'{value}' is not a size from 8x8 to 20000x20000, such as 1200x800", param, ctx)
        return int(width), int(height)
