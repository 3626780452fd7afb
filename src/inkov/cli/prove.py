from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Annotated, Any

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import LevelOption, NowOption, ReportOptions, shared
from inkov.cli.output import write_file
from inkov.cli.says import alone, complain, fail
from inkov.cli.session import Session, spare, start
from inkov.cli.written import read_written
from inkov.faults import OURS
from inkov.levels import Level, Outcome

if TYPE_CHECKING:
    from inkov.forwarding import Fabric
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
    date: Annotated[
        str | None,
        typer.Option("--date", metavar="DAY", help="With --certificate: the day to write into it."),
    ] = None,
    baseline: Annotated[
        str | None,
        typer.Option(
            "--baseline",
            metavar="FILE",
            help="Without what an earlier `prove -f json` has: claims that do not hold for the same"
            " reason.",
        ),
    ] = None,
    matrix: Annotated[
        bool, typer.Option("--matrix", help="Who reaches whom instead: segments x segments.")
    ] = False,
    hosts: Annotated[bool, typer.Option("--hosts", help="With --matrix: hosts x hosts.")] = False,
    now: NowOption = False,
) -> None:
    """The plan's claims, or else that no VLAN leaks or is split."""
    from inkov.proofs import prove as run
    from inkov.render.proofs import verdicts_result
    from inkov.render.text import to_json

    if matrix or hosts:  # which has no claims
        others = {
            "--strict": strict,
            "--certificate": certificate,
            "--baseline": baseline,
        }
        alone("--matrix" if matrix else "--hosts", others)
    # The tree changes, a certificate is about all links.
    if now and certificate is not None:
        fail("a certificate is about all links: leave out --now")
    # A date has no place but in a certificate.
    if date is not None and certificate is None:
        fail("--date is written into a certificate: name one with --certificate")
    day = _day(date)
    earlier = _baseline(baseline) if baseline is not None else None
    session = start(options, digests=certificate is not None, tells=True)
    spare(session.loaded, certificate)
    # A matrix judges no claims.
    if matrix or hosts:
        options.out.show(_matrix(session, level, hosts=hosts, now=now))
        session.end()
        return
    judged = partial(run, plan=session.plan, level=level, unread=session.unread, strict=strict)
    verdicts = judged(session.fabric)
    if now:
        verdicts = _now(session, verdicts, partial(judged, losses=False))
    # A fault of ours in judging makes a claim undecided, and is told.
    session.admit(v.because for v in verdicts if v.because.startswith(OURS))
    # Before anything is left out: a certificate has all.
    if certificate is not None:
        write_file(certificate, to_json(certificate_of(session, verdicts, day)), private=True)
    since = ""
    if earlier is not None:
        verdicts, since = _new(verdicts, earlier)
    options.out.show(verdicts_result(verdicts, session.locator, session.lost, since))
    every = all(verdict.verdict == Outcome.HOLDS for verdict in verdicts)
    session.end(ALL_WELL if every else FINDINGS)


def _now(
    session: Session, over_all: list[Verdict], judged: Callable[[Fabric], list[Verdict]]
) -> list[Verdict]:
    """The verdicts by what forwards now."""
    from inkov.forwarding.trees.active import now
    from inkov.proofs.now import prove_now

    forwards = now(session.fabric)
    return prove_now(over_all, [judged(each) for each in forwards.fabrics], forwards.doubts)


_Earlier = dict[tuple[str, str, int], tuple[str, str]]
"""(claim, level, layer) -> (verdict, because)."""


def _baseline(path: str) -> _Earlier:
    """The verdicts in an earlier JSON report."""

    def read(report: Any) -> _Earlier:
        return {
            (v["claim"], v["level"], v["layer"]): (v["verdict"], v["because"])
            for v in report["claims"]
        }

    return read_written(path, "baseline", "inkov prove CONFIGS -f json -o FILE", read)


def _new(verdicts: list[Verdict], earlier: _Earlier) -> tuple[list[Verdict], str]:
    """The verdicts without those that did not hold before either, for the same reason; and a
    sentence about what was left out, and what is not judged any more.
    """
    from inkov.harmless import safe

    kept, left = [], dict(earlier)
    for verdict in verdicts:
        before = left.pop((safe(verdict.claim), verdict.level, verdict.layer), None)
        now = verdict.verdict, safe(verdict.because)
        # What holds is kept, and what does not for another reason.
        if verdict.verdict == Outcome.HOLDS or before != now:
            kept.append(verdict)
    known = len(verdicts) - len(kept)
    return kept, f"{known} known from the baseline, {len(left)} of it not judged any more"


def _matrix(session: Session, level: Level, *, hosts: bool, now: bool) -> Result:
    from inkov.forwarding.trees.active import now as what_forwards
    from inkov.proofs.matrix import in_each_outcome, matrix
    from inkov.render.proofs import matrix_result

    fabrics = [session.fabric]
    if now:
        # One matrix for each outcome.
        forwards = what_forwards(session.fabric)
        fabrics = forwards.fabrics
        for doubt in forwards.doubts:
            complain(f"the spanning tree is not sure: {doubt}")
    known = in_each_outcome(
        [matrix(fabric, session.plan, level, hosts=hosts) for fabric in fabrics]
    )
    return matrix_result(known, session.locator)


def _day(text: str | None) -> str | None:
    """A day as the calendar has it (ISO 8601)."""
    from datetime import date

    try:
        return None if text is None else date.fromisoformat(text).isoformat()
    except ValueError:
        fail(f"--date: {text!r} is no day such as 2026-03-31")


def certificate_of(session: Session, verdicts: list[Verdict], day: str | None) -> dict[str, Any]:
    """The certificate: by what and when it was made, the files with their digests, and of each
    claim what the verifier needs, and what it takes for granted, in words.

    Without a `day` the same files give the same bytes.
    """
    from inkov import __version__
    from inkov.harmless import safe
    from inkov.proofs.certificate import taken

    return {
        "inkov-certificate": 1,
        "made-by": f"inkov {__version__}",
        **({"made-on": day} if day else {}),
        "files": session.digests,
        "ports": taken(session.fabric),
        "claims": [
            {
                "claim": verdict.claim,
                "kind": verdict.kind,
                "level": verdict.level,
                "layer": verdict.layer,
                "verdict": verdict.verdict,
                "because": safe(verdict.because),
                "assumes": [safe(text) for text in verdict.assumes],
                **verdict.certificate,
            }
            for verdict in verdicts
        ],
    }
