"""`dustpan steps`: every step with its parameters."""

from __future__ import annotations

import click
from rich.console import Console
from rich.table import Table

from dustpan.cli.report import print_json
from dustpan.core.steps import kinds
from dustpan.core.steps.step_kind import StepKind


@click.command()
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def steps(as_json):
    """List every step with its parameters. Example: dustpan steps --json"""
    if as_json:
        print_json({"steps": [describe(kind) for kind in kinds().values()]})
        return
    console = Console()
    for kind in kinds().values():
        table = Table(
            title=f"{kind.stage} · {kind.label} ({kind.kind})", caption=kind.help, title_justify="left", expand=True
        )
        for heading in ("parameter", "range", "default", "what it does"):
            table.add_column(heading, overflow="fold")
        for row in describe(kind)["params"]:
            span = (
                ", ".join(row["choices"]) if row["choices"] else f"{row['low']} to {row['high']} {row['unit']}".strip()
            )
            table.add_row(
                row["id"],
                "on, off" if row["low"] is None and not row["choices"] else span,
                str(row["default"]),
                row["help"],
            )
        console.print(table)


def describe(kind: StepKind) -> dict:
    """Return a kind and its parameters as plain values."""
    params = [
        {
            "id": key,
            "label": d.label,
            "unit": d.unit,
            "low": d.low,
            "high": d.high,
            "default": list(d.default) if isinstance(d.default, tuple) else d.default,
            "choices": list(d.choices),
            "help": d.help,
        }
        for key, d in kind.params_type.described().items()
    ]
    return {"kind": kind.kind, "stage": kind.stage, "label": kind.label, "help": kind.help, "params": params}
