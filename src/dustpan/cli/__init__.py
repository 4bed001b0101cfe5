"""The command line: no display and no Qt, except for the window that `__main__` hands in."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

import click
from rich.console import Console

from dustpan.cli.measure import measure
from dustpan.cli.process import process
from dustpan.cli.simulate import simulate
from dustpan.cli.steps import steps
from dustpan.core.errors import Cancelled, DustpanError
from dustpan.simulate.scenes import SCENES

OpenWindow = Callable[..., int]


class _Commands(click.Group):
    """A group that takes bare file names for `open`."""

    def resolve_command(self, ctx, args):
        if args and args[0] not in self.commands and not args[0].startswith("-"):
            args = ["open", *args]
        return super().resolve_command(ctx, args)


def build(open_window: OpenWindow) -> click.Group:
    """Return the whole command line; `open_window` starts the window and returns its exit status."""

    @click.group(cls=_Commands, invoke_without_command=True)
    @click.version_option(package_name="dustpan")
    @click.pass_context
    def dustpan(ctx):
        """Mend, quiet and sharpen pictures, and say in figures what was gained and lost.

        Without a command the window opens. Example: dustpan process noisy.png --out clean.png --auto
        """
        if ctx.invoked_subcommand is None:
            ctx.exit(open_window([]))

    @dustpan.command(name="open")
    @click.argument("file", nargs=-1, type=click.Path(path_type=Path))
    @click.pass_context
    def open_(ctx, file):
        """Open pictures in the window. Example: dustpan open night.jpg"""
        ctx.exit(open_window(list(file)))

    @dustpan.command()
    @click.argument("scene", default="bench", type=click.Choice(list(SCENES)))
    @click.option(
        "--into", type=click.Path(path_type=Path), help="Do the main job once, write its results here and end."
    )
    @click.pass_context
    def demo(ctx, scene, into):
        """Open the window with sample data. Example: dustpan demo bench"""
        ctx.exit(open_window([], scene=scene, into=into))

    for command in (process, measure, steps, simulate):
        dustpan.add_command(command)
    return dustpan


def run(open_window: OpenWindow, arguments: list[str] | None = None) -> int:
    """Run a command line and return its exit status: 0 done, 1 failed, 2 wrong call, 130 interrupted."""
    console = Console(stderr=True, highlight=False)
    try:
        return int(build(open_window).main(arguments, prog_name="dustpan", standalone_mode=False) or 0)
    except click.exceptions.Exit as end:
        return end.exit_code
    except click.ClickException as fault:
        fault.show(sys.stderr)
        return fault.exit_code
    except (KeyboardInterrupt, click.Abort, Cancelled):
        console.print("dustpan: interrupted; nothing was left half-written.", markup=False)
        return 130
    except DustpanError as fault:
        console.print(f"dustpan: {fault}", markup=False, soft_wrap=True)
        return 1
