from __future__ import annotations

from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import ForceOption, OutputOption, PlannedOptions, SourceOptions, shared
from inkov.cli.output import Output, keep
from inkov.cli.says import nearest, say
from inkov.cli.session import no_rules, not_there, start
from inkov.words import counted


@shared
def new(options: SourceOptions, output: OutputOption = None, force: ForceOption = False) -> None:
    """A starting plan from the configurations."""
    from inkov.plan.starter import starter

    keep(output, force=force)
    session = start(options)
    Output(file=output).write(starter(session.fabric.campus))
    session.end()


@shared
def check(options: PlannedOptions) -> None:
    """Is it well-formed, and does each name mean something?"""
    from inkov.proofs.seats import ClaimNames

    session = start(options)
    says, names = session.plan.says, ClaimNames(session.fabric, session.plan)
    wrong = [
        f"{claim.origin.file}:{claim.origin.line}: {says}{nearest(name, known)}"
        for claim in says.claims
        for says, name, known in names.unknown(claim)
    ]
    wrong += [*no_rules(session.plan), *not_there(session)]
    for line in wrong:
        say(line)
    counts = {
        "VLAN": len(says.vlans),
        "segment": len(says.segments),
        "host": len(says.hosts),
        "claim": len(says.claims),
        "acceptance": len(says.accepted),
        "platform": len(says.platforms),
    }
    held = [counted(number, name) for name, number in counts.items() if number]
    say(f"The plan holds {', '.join(held) or 'nothing'}.")
    session.end(FINDINGS if wrong or session.plan.problems else ALL_WELL)


def schema(output: OutputOption = None) -> None:
    """The JSON Schema of plans, for editors."""
    from inkov.plan.starter import schema as made
    from inkov.render.text import to_json

    Output(file=output).write(to_json(made()))
