from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.common import (
    AsOption,
    Configs,
    Format,
    Output,
    OutputOption,
    PlanOption,
    QuietOption,
    nearest,
    start,
)

ForceOption = Annotated[bool, typer.Option("--force", help="Replace FILE if it is there.")]


def new(
    configs: Configs,
    output: OutputOption = None,
    force: ForceOption = False,
    read_as: AsOption = None,
    quiet: QuietOption = False,
) -> None:
    """A starting plan from the configurations."""
    import os

    from inkov.cli.common import fail
    from inkov.plan.starter import starter

    if output is not None and os.path.lexists(output) and not force:
        fail(f"{output} is there; replace it with --force")
    session = start(configs, quiet, read_as=read_as)
    Output(Format.TABLE, output, True).write(starter(session.fabric.campus))
    session.end()


def check(
    configs: Configs, plan: PlanOption = None, read_as: AsOption = None, quiet: QuietOption = False
) -> None:
    """Is it well-formed, and does each name mean something?"""
    from inkov.cli.exits import ALL_WELL, FINDINGS
    from inkov.proofs.seats import ClaimNames

    session = start(configs, quiet, plan, read_as=read_as)
    says, names = session.plan.says, ClaimNames(session.fabric, session.plan)
    wrong = [
        f"{claim.origin.file}:{claim.origin.line}: {says}{nearest(name, known)}"
        for claim in says.claims
        for says, name, known in names.unknown(claim)
    ]
    for line in wrong:
        typer.echo(line)
    counts = {
        "VLAN": len(says.vlans),
        "segment": len(says.segments),
        "host": len(says.hosts),
        "claim": len(says.claims),
        "acceptance": len(says.accepted),
        "platform": len(says.platforms),
    }
    held = [f"{number} {name}{'s' * (number != 1)}" for name, number in counts.items() if number]
    typer.echo(f"The plan holds {', '.join(held) or 'nothing'}.")
    session.end(FINDINGS if wrong or session.plan.problems else ALL_WELL)


def schema(output: OutputOption = None) -> None:
    """The JSON Schema of plans, for editors."""
    from inkov.plan.starter import schema as made
    from inkov.render.text import to_json

    Output(Format.JSON, output, True).write(to_json(made()))
