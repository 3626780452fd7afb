from __future__ import annotations

from typing import Annotated, Any

import typer

from inkov.cli.common import (
    AsOption,
    ColourOption,
    Configs,
    LevelOption,
    Output,
    OutputOption,
    PlanOption,
    QuietOption,
    Report,
    ReportOption,
    Session,
    check_paths,
    fail,
    start,
    write_file,
)
from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.levels import Level, Outcome


def prove(
    configs: Configs,
    plan: PlanOption = None,
    level: LevelOption = Level.HONEST,
    strict: Annotated[
        bool,
        typer.Option(
            "--strict", help="Undecided, where a file, line or neighbour that matters is not known."
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
    form: ReportOption = Report.TABLE,
    output: OutputOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """The plan's claims; without any, that no VLAN leaks or is split."""
    from inkov.proofs import prove as run
    from inkov.render.grid import to_csv, to_markdown
    from inkov.render.proofs import (
        verdicts_grid,
        verdicts_json,
        verdicts_junit,
        verdicts_sarif,
        verdicts_text,
    )
    from inkov.render.text import to_json

    session = start(configs, quiet, plan, read_as=read_as)
    if matrix or hosts:
        _matrix(session, level, hosts, Output(form, output, no_colour))
        return
    verdicts = run(session.fabric, session.plan, level=level, unread=session.unread, strict=strict)
    view, locator = Output(form, output, no_colour), session.loaded.locator
    if certificate is not None:
        write_file(certificate, to_json(certificate_of(session, verdicts)))
    if form is Report.JSON:
        view.write(to_json(verdicts_json(verdicts, locator)))
    elif form is Report.CSV:
        view.write(to_csv(verdicts_grid(verdicts, locator)))
    elif form is Report.MARKDOWN:
        view.write(to_markdown(verdicts_grid(verdicts, locator)))
    elif form is Report.SARIF:
        view.write(verdicts_sarif(verdicts, locator))
    elif form is Report.JUNIT:
        view.write(verdicts_junit(verdicts))
    else:
        view.write(verdicts_text(verdicts, locator, view.screen))
    session.end(ALL_WELL if all(v.verdict == Outcome.HOLDS for v in verdicts) else FINDINGS)


def _matrix(session: Session, level: Level, hosts: bool, view: Output) -> None:
    from inkov.proofs.matrix import matrix
    from inkov.render.proofs import matrix_grid
    from inkov.render.text import plain

    if view.format in (Report.SARIF, Report.JUNIT):
        fail("the matrix is written as table, json, csv or markdown")
    cells = matrix(session.fabric, session.plan, level, hosts=hosts)
    view.result({"reach": plain(cells, session.loaded.locator)}, lambda: matrix_grid(cells))
    session.end()


def certificate_of(session: Session, verdicts: list[Any]) -> dict[str, Any]:
    """The certificate: the files with their digests, and of each claim what the verifier needs."""
    return {
        "inkov-certificate": 1,
        "files": session.digests,
        "claims": [
            {
                "claim": v.claim,
                "kind": v.kind,
                "level": v.level,
                "layer": v.layer,
                "verdict": v.verdict,
                **v.certificate,
            }
            for v in verdicts
        ],
    }


def verify(
    certificate: Annotated[
        str, typer.Argument(metavar="CERTIFICATE", help="What `inkov prove` wrote.")
    ],
    configs: Configs,
    plan: PlanOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
) -> None:
    """Check a certificate against the files, by independent code."""
    import msgspec

    from inkov.plan import vlan_names
    from inkov.verify.certificates import PacketModel, Refused, verify_entry
    from inkov.vlanset import VlanSet

    check_paths([certificate])
    try:
        with open(certificate, "rb") as file:
            said = msgspec.json.decode(file.read())
        if said["inkov-certificate"] != 1:
            raise KeyError
        files, claims = dict(said["files"]), list(said["claims"])
    except OSError as error:
        fail(f"cannot read {certificate}: {(error.strerror or str(error)).lower()}")
    except (msgspec.DecodeError, KeyError, TypeError, ValueError, RecursionError):
        fail(
            f"{certificate} is no certificate; make one with `inkov prove CONFIGS --certificate"
            " FILE`"
        )
    session = start(configs, quiet, plan, read_as=read_as)
    refused = []
    digests = session.digests
    for name in sorted(files.keys() | digests.keys()):
        if files.get(name) != digests.get(name):
            what = (
                "is not in the certificate"
                if name not in files
                else "is not there"
                if name not in digests
                else ("is not what it was")
            )
            refused.append(f"{name} {what}")
    cables = [
        (a.device, a.port, b.device, b.port)
        for link in session.fabric.wiring.links
        for a, b in link.cables
    ]
    net = PacketModel(session.fabric.campus, cables)
    names = vlan_names(session.plan, session.fabric.campus)
    stated = session.plan.says.claims
    checked, bare, covered = 0, 0, VlanSet()
    for number, entry in enumerate(claims):
        try:
            brings = verify_entry(net, stated, names, number, entry)
            checked, bare = (
                checked + brings,
                bare + (not brings and entry["verdict"] != "undecided"),
            )
            covered |= VlanSet.parse(entry["vlans"]) if entry["kind"] == "no-leak" else VlanSet()
        except Refused as why:
            refused.append(f"claim {number + 1}: {why}")
        except (KeyError, TypeError, ValueError, AttributeError, IndexError):
            refused.append(f"claim {number + 1}: the entry is not well-formed")
    if not stated:
        refused += [
            f"no claim is about VLAN {vid}"
            for vid in sorted(net.by_vid)
            if vid and vid not in covered
        ]
    if len(stated) > len(claims):
        refused.append(f"the plan has {len(stated)} claims, the certificate {len(claims)}")
    for line in refused:
        typer.echo(f"refused: {line}")
    without = len(claims) - checked
    also = f"; {without} without a certificate" if without else ""
    typer.echo(
        f"{checked} of {len(claims)} claims verified{also}."
        if not refused
        else "The certificate is refused."
    )
    session.end(
        FINDINGS if refused or bare else ALL_WELL
    )  # what is said to hold without a certificate is not verified
