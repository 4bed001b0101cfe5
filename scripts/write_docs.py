"""Write what is generated from the program itself: the steps and the keys of the guide, and the manual page.

    python scripts/write_docs.py [--check]

With --check nothing is written; the status is 1 where a file is not as it would be written.
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

import click

from dustpan.cli import dustpan
from dustpan.core.document.kinds import STAGES, step_kinds
from dustpan.core.document.params import Param
from dustpan.ui.actions import TABLE

ROOT = Path(__file__).parents[1]


def steps_page() -> str:
    """Return every step with its settings, as the controls explain them."""
    lines = ["# Every step and its settings", "", "The texts are those that the controls show.", ""]
    for stage in STAGES:
        lines += [f"## {stage}", ""]
        for kind in step_kinds().values():
            if kind.stage == stage:
                lines += [f"### {kind.label}", "", kind.help, ""]
                lines += [_setting(param) for param in kind.params_type.described().values()]
                lines.append("")
    return "\n".join(lines).rstrip() + "\n"


def _setting(param: Param) -> str:
    unit = f" {param.unit}" if param.unit else ""
    room = f" ({param.low:g} to {param.high:g}{unit})" if param.low is not None and param.high is not None else ""
    if param.choices:
        room = f" ({', '.join(choice.replace('_', ' ') for choice in param.choices)})"
    return f"* **{param.label}**{room}: {param.help}"


def keys_page() -> str:
    """Return all keys by menu."""
    lines = ["# Keys", "", "`F1` lists them in the window. `H` shows the other side while it is held.", ""]
    for menu in dict.fromkeys(entry.menu for entry in TABLE):
        lines += [f"## {menu}", "", "| key | does |", "|---|---|"]
        lines += [f"| `{e.key}` | {e.text.rstrip(' …')}: {e.tip} |" for e in TABLE if e.menu == menu and e.key]
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


def manual_page() -> str:
    """Return the manual page of the command line."""
    context = click.Context(dustpan, info_name="dustpan")
    lines = [
        '.TH DUSTPAN 1 "" "Dustpan" "User Commands"',
        ".SH NAME",
        "dustpan \\- mend, quiet and sharpen pictures, and see in figures what was gained and lost",
        ".SH SYNOPSIS",
        ".B dustpan",
        "[\\fICOMMAND\\fR] [\\fIFILE\\fR ...]",
        ".SH DESCRIPTION",
        _roff(dustpan.help or ""),
        ".SH COMMANDS",
    ]
    for name in dustpan.list_commands(context):
        command = dustpan.get_command(context, name)
        assert command is not None
        lines += [f".SS {name}", _roff(command.help or "")]
        for param in command.params:
            if isinstance(param, click.Option) and not param.hidden:
                metavar = "" if param.is_flag else f" {param.make_metavar(click.Context(command))}"
                lines += [".TP", _roff(f"{', '.join(param.opts)}{metavar}"), _roff(param.help or "")]
    lines += [
        ".SH EXIT STATUS",
        "0 done, 1 some inputs failed, 2 the call is wrong, 3 a picture was not handed back, 130 interrupted.",
        ".SH FILES",
        "Remedies and cameras are kept under $XDG_DATA_HOME/dustpan, settings under $XDG_CONFIG_HOME/dustpan,",
        "work on pictures under $XDG_STATE_HOME/dustpan.",
    ]
    return "\n".join(lines) + "\n"


def _roff(text: str) -> str:
    """Return text as a manual page holds it."""
    plain = re.sub(r"\s+", " ", text).strip().replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{plain}" if plain.startswith((".", "'")) else plain


PAGES = {
    ROOT / "docs/guide/steps.md": steps_page,
    ROOT / "docs/guide/keys.md": keys_page,
    ROOT / "src/dustpan/desktop/dustpan.1": manual_page,
}


def main() -> int:
    """Write the pages, or say which are not current."""
    old = [path for path, make in PAGES.items() if not path.exists() or path.read_text("utf-8") != make()]
    for path in old:
        if "--check" in sys.argv:
            print(f"{path}: not current; run python scripts/write_docs.py")
        else:
            path.write_text(PAGES[path](), "utf-8")
    return int("--check" in sys.argv and bool(old))


if __name__ == "__main__":
    sys.exit(main())
