from __future__ import annotations

import os
from collections.abc import Callable
from typing import Annotated

import typer

from inkov.cli import (
    audit,
    compare,
    dialect,
    draw,
    follow,
    hears,
    links,
    overview,
    ports,
    prove,
    read,
    report,
    tree,
    trunks,
    vlans,
    why,
    withstand,
)
from inkov.cli.options import CompareOptions, ListingOptions, PlannedOptions, ReportOptions
from inkov.cli.says import fail, reason, say


def demo(
    folder: Annotated[
        str, typer.Argument(metavar="[DIR]", help="Where to write it.")
    ] = "inkov-demo",
    force: Annotated[bool, typer.Option("--force", help="Replace what is there.")] = False,
) -> None:
    """Write the demo campus and run the tour on it."""
    from inkov.demo import MADE, DemoExists, copy_demo

    try:
        copy_demo(folder, replace=force)
    except DemoExists:
        fail(
            f"{folder} is there and is not the untouched demo; name another folder, or replace it"
            " with --force"
        )
    except OSError as error:
        fail(f"cannot write the demo to {folder}: {reason(error)}")
    garden, repaired = os.path.join(folder, "garden"), os.path.join(folder, "repaired")
    say("A botanic garden: thirteen switches in six formats, with the mistakes people make.\n")
    listing, findings = ListingOptions([garden]), ReportOptions([garden])
    mended = ReportOptions([repaired])
    _show("overview", garden, lambda: overview.overview(**vars(listing)))
    _show("read", garden, lambda: read.read(**vars(listing)))
    _show("vlans", garden, lambda: vlans.vlans(**vars(listing)))
    _show(
        "ports",
        garden,
        lambda: ports.ports(**vars(listing), switch="gate-1"),
        "--switch gate-1",
    )
    _show("links", garden, lambda: links.links(**vars(listing)))
    _show("trunks", garden, lambda: trunks.trunks(**vars(listing)))
    _show("audit", garden, lambda: audit.audit(**vars(findings)))
    _show("prove", garden, lambda: prove.prove(**vars(findings)))
    _show(
        "hears core-1:port-13",
        garden,
        lambda: hears.hears(place="core-1:port-13", **vars(listing)),
    )
    _show(
        "follow core-1:port-13 pond-1:port-1",
        garden,
        lambda: follow.follow(source="core-1:port-13", target="pond-1:port-1", **vars(listing)),
    )
    _show(
        "follow freezer-1 alarm-server",
        garden,
        lambda: follow.follow(source="freezer-1", target="alarm-server", **vars(listing)),
    )
    _show(
        "why freezer-1 alarm-server",
        garden,
        lambda: why.why(source="freezer-1", target="alarm-server", **vars(listing)),
    )
    texts = [os.path.join(repaired, name) for name in ("arbour.toml", "fern-2.txt")]
    walk = os.path.join(repaired, "walks", "fern-2.walk")
    _show(
        "dialect check",
        " ".join(texts),
        lambda: dialect.check(files=texts, against=[walk]),
        f"--against {walk}",
    )
    _show("audit", repaired, lambda: audit.audit(**vars(mended)))
    _show("prove", repaired, lambda: prove.prove(**vars(mended)))
    houses = ListingOptions([os.path.join(folder, "glasshouses")])
    _show("tree", houses.configs[0], lambda: tree.tree(**vars(houses)))
    _show("withstand", houses.configs[0], lambda: withstand.withstand(**vars(houses)))
    proposed = os.path.join(folder, "proposed")
    change = CompareOptions(repaired, proposed)
    _show("compare", repaired, lambda: compare.compare(**vars(change)), proposed)
    planned = PlannedOptions([garden])
    drawing, page = (os.path.join(folder, name) for name in MADE)
    _show("draw", garden, lambda: draw.draw(**vars(planned), output=drawing), f"-o {drawing}")
    _show("report", garden, lambda: report.report(**vars(planned), output=page), f"-o {page}")
    say("What to try next:")
    tries = (
        (f"inkov ports {garden} --switch core-1 --matrix", "VLAN × port of one switch"),
        (f"inkov vlans {garden} --vlan 60-70", "some VLANs only"),
        (f"inkov audit {garden} --format json", "findings for other programs"),
        (f"inkov trunks {garden} --because palm-1:port-24", "why a port does what it does"),
        (
            f"inkov hears orchard-1:6 {garden} --level hostile",
            "what a host gets at that sends any tag",
        ),
        (f"inkov prove {repaired} --matrix", "who reaches whom, and by which router"),
        (f"inkov compare {garden} {repaired}", "what all that was mended does"),
        ("inkov rules native-default", "one rule explained"),
        (f"inkov read {garden} --trace {garden}/fern-2.txt", "what each line of a text became"),
        (
            f"inkov ports {os.path.join(folder, 'languages')}",
            "two more languages: groups that ports take over, a table in columns",
        ),
        ("inkov dialect new FOLDER", "start a dialect for the language of your own switches"),
        ("inkov dialect learn FOLDER --from WALK", "or derive it from a walk of one of them"),
        ("inkov audit FOLDER", "your own exports, walks, sheets and texts"),
    )
    width = max(len(command) for command, _ in tries)
    for command, meaning in tries:
        say(f"  {command:<{width}}  {meaning}")


def _show(command: str, folder: str, run: Callable[[], None], options: str = "") -> None:
    say(f"$ inkov {command} {folder} {options}".rstrip())
    try:
        run()
    except typer.Exit as ended:  # findings are what the demo is for
        say(f"(exit status {ended.exit_code})")
    say()
