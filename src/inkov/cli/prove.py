from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import LevelOption, ReportOptions, shared
from inkov.cli.output import write_file
from inkov.cli.session import Session, start
from inkov.levels import Level, Outcome

if TYPE_CHECKING:
    from inkov.proofs import Verdict
    from inkov.render.results import Result


@shared
def prove(
    options: ReportOptions,
    level: LevelOption = Level.HONEST,
    strict: Annotated[
        bool,
        typer.Option(
            "--strict",
            help="Undecided, where a file, line or neighbour that matters is not known.",
        ),
    ] = False,
    certificate: Annotated[
        str | None,
        typer.Option("--certificate", metavar="FILE", help="Write what `inkov verify` checks."),
    ] = None,
    matrix: Annotated[
        bool, typer.Option("--matrix", help="Who reaches whom instead: segments x segments.")
    ] = False,
    hosts: Annotated[bool, typer.Option("--hosts", help="With --matrix: hosts x hosts.")] = False,
) -> None:
    """The plan's claims; without any, that no VLAN leaks or is split."""
    from inkov.proofs import prove as run
    from inkov.render.proofs import verdicts_result
    from inkov.render.text import to_json

    session = start(options)
    if matrix or hosts:
        options.out.show(_matrix(session, level, hosts=hosts))
        session.end()
        return
    verdicts = run(session.fabric, session.plan, level=level, unread=session.unread, strict=strict)
    if certificate is not None:
        write_file(certificate, to_json(certificate_of(session, verdicts)))
    options.out.show(verdicts_result(verdicts, session.locator, session.lost))
    every = all(verdict.verdict == Outcome.HOLDS for verdict in verdicts)
    session.end(ALL_WELL if every else FINDINGS)


def _matrix(session: Session, level: Level, *, hosts: bool) -> Result:
    from inkov.proofs.matrix import matrix
    from inkov.render.proofs import matrix_grid
    from inkov.render.results import listing

    cells = matrix(session.fabric, session.plan, level, hosts=hosts)
    return listing("reach", cells, lambda: matrix_grid(cells), session.locator)


def certificate_of(session: Session, verdicts: list[Verdict]) -> dict[str, Any]:
    """The certificate: the files with their digests, and of each claim what the verifier needs."""
    return {
        "inkov-certificate": 1,
        "files": session.digests,
        "claims": [
            {
                "claim": verdict.claim,
                "kind": verdict.kind,
                "level": verdict.level,
                "layer": verdict.layer,
                "verdict": verdict.verdict,
                **verdict.certificate,
            }
            for verdict in verdicts
        ],
    }
