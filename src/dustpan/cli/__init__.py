"""The command line: no display and no Qt, except for the window that `__main__` hands in.

Each command's module is loaded when it is called: the window should not wait for tables and progress bars.
"""

from __future__ import annotations

import difflib
import os
import signal
import sys
from collections.abc import Callable
from importlib import import_module
from pathlib import Path

import click

from dustpan.core.errors import Cancelled, DustpanError

OpenWindow = Callable[..., int]


#: Commands by the names of their modules, and what `--help` says of each.
COMMANDS = {
    "combine": "Combine frames.",
    "demo": "Open the window with sample data.",
    "desktop": "Add Dustpan to the desktop's menu and its pictures' \"open with\".",
    "learn": "Learn a camera's hot pixels from dark frames of one ISO and exposure.",
    "measure": "Measure pictures: noise, faults, sharpness.",
    "process": "Clean pictures.",
    "simulate": "Photograph a demo scene with the made-up camera.",
    "steps": "List every step with its parameters.",
}


class _Commands(click.Group):
    """A group that loads a command when it is called, and takes bare file names for `open`."""

    def list_commands(self, ctx):
        return sorted([*self.commands, *COMMANDS])

    def get_command(self, ctx, name):
        if name not in COMMANDS:
            return super().get_command(ctx, name)
        return getattr(import_module(f"dustpan.cli.{name}"), name)

    def format_commands(self, ctx, formatter):
        own = {name: command.get_short_help_str() for name, command in self.commands.items()}
        with formatter.section("Commands"):
            formatter.write_dl(sorted({**own, **COMMANDS}.items()))

    def resolve_command(self, ctx, args):
        known = self.list_commands(ctx)
        if args and args[0] not in known and not args[0].startswith("-"):
            if Path(args[0]).name == args[0] and not Path(args[0]).suffix and not os.path.lexists(args[0]):
                match = difflib.get_close_matches(args[0], known, n=1)
                hint = f" Did you mean '{match[0]}'?" if match else ""
                raise click.UsageError(f"'{args[0]}' is neither a command nor a file.{hint}", ctx)
            args = ["open", *args]
        return super().resolve_command(ctx, args)


@click.group(cls=_Commands, invoke_without_command=True)
@click.version_option(package_name="dustpan")
@click.pass_context
def dustpan(ctx):
    """Mend, quiet and sharpen pictures, and say in figures what was gained and lost.

    Without a command the window opens. Example: dustpan process noisy.png --out clean.png --auto
    """
    if ctx.invoked_subcommand is None:
        ctx.exit(ctx.obj([]))


@dustpan.command(name="open")
@click.argument("file", nargs=-1, type=click.Path(path_type=Path))
@click.option(
    "--save-to",
    type=click.Path(path_type=Path, dir_okay=False),
    help="For other programs: a button writes this file and closes the window; the status is 3 when given up.",
)
@click.pass_context
def open_(ctx, file, save_to):
    """Open pictures in the window. Example: dustpan open night.jpg"""
    if save_to is None:
        ctx.exit(ctx.obj(list(file)))
    if len(file) != 1:
        raise click.UsageError("--save-to goes with one picture.")
    import numpy as np

    from dustpan.files.atomic import check_name
    from dustpan.files.save import format_for

    check_name(save_to, overwrite=True, sources=file)
    format_for(save_to, np.dtype(np.uint16))  # raises for a name of no format
    ctx.exit(ctx.obj(list(file), save_to=save_to))


def end_plainly() -> None:
    """Let a signal that ends the process take unfinished files with it."""

    def end(number: int, frame: object) -> None:
        # Where that is not loaded yet, or not wholly, nothing was left.
        drop_unfinished = getattr(sys.modules.get("dustpan.files.atomic"), "drop_unfinished", None)
        if drop_unfinished is not None:
            drop_unfinished()
        signal.signal(number, signal.SIG_DFL)
        os.kill(os.getpid(), number)

    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, end)


def run(open_window: OpenWindow, arguments: list[str] | None = None) -> int:
    """Run a command line and return its exit status: 0 done, 1 failed, 2 wrong call, 130 interrupted.

    Parameters
    ----------
    open_window : starts the window on a list of files and returns its exit status.
    """
    try:
        return int(dustpan.main(arguments, prog_name="dustpan", standalone_mode=False, obj=open_window) or 0)
    except click.exceptions.Exit as end:
        return end.exit_code
    except click.ClickException as fault:
        fault.show(sys.stderr)
        return fault.exit_code
    except (KeyboardInterrupt, click.Abort, Cancelled):
        click.echo("dustpan: interrupted; nothing was left half-written.", err=True)
        return 130
    except DustpanError as fault:
        from dustpan.cli.report import say

        say(f"dustpan: {fault}")
        return 1
    except MemoryError:
        click.echo("dustpan: not enough memory for this.", err=True)
        return 1
    except BrokenPipeError:  # whoever read the output has gone
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        return 1
    except Exception as fault:  # nobody foresaw it: one line, no trace
        what = " ".join(str(fault).split())
        click.echo(f"dustpan: unexpected error ({type(fault).__name__}: {what}).", err=True)
        return 1
