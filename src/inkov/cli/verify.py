from __future__ import annotations

from collections import Counter
from typing import Annotated, Any

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import LevelOption, PlannedOptions, shared
from inkov.cli.says import say
from inkov.cli.session import check_paths, start
from inkov.cli.written import read_written
from inkov.levels import Level


@shared
def verify(
    certificate: Annotated[
        str, typer.Argument(metavar="CERTIFICATE", help="What `inkov prove` wrote.")
    ],
    options: PlannedOptions,
    level: LevelOption = Level.HONEST,
) -> None:
    """Check a certificate against the files, by independent code."""
    from inkov.harmless import safe
    from inkov.plan import vlan_names
    from inkov.verify import PacketModel, check_certificate, check_ports, wires_of

    check_paths([certificate])
    files, claims, taken = _certificate(certificate)
    session = start(options, digests=True)
    refused = _changed(files, session.digests)
    net = PacketModel(session.fabric.campus, *wires_of(session.loaded.campus))
    refused += check_ports(net, taken)
    names = vlan_names(session.plan, session.fabric.campus)
    plan = session.plan.says
    result = check_certificate(net, plan.claims, names, claims, level, plan.together)
    refused += result.refused
    for line in refused:
        say(f"refused: {safe(line)}")
    for line in result.left:
        say(f"not verified: {safe(line)}")
    # One entry that is not true, and nothing of it counts.
    if refused:
        say("The certificate is refused.")
    else:
        say(f"{result.verified} of {len(claims)} claims verified.")
    # Only what holds, and is shown to, is verified.
    session.end(FINDINGS if refused or result.left else ALL_WELL)


def _certificate(path: str) -> tuple[dict[str, str], list[dict[str, Any]], dict[str, Any]]:
    """The digests and the entries of a certificate, and what it takes the ports for."""

    def read(stated: Any) -> tuple[dict[str, str], list[dict[str, Any]], dict[str, Any]]:
        # Another version says other things.
        if stated["inkov-certificate"] != 1:
            raise KeyError
        return dict(stated["files"]), list(stated["claims"]), dict(stated["ports"])

    made_by = "inkov prove CONFIGS --certificate FILE"
    return read_written(path, "certificate", made_by, read)


def _changed(certified: dict[str, str], read: dict[str, str]) -> list[str]:
    """The files that are not what the certificate is about. What they hold counts, not what they
    are called or where they lie.
    """
    before, now = Counter(certified.values()), Counter(read.values())
    lines = []
    for name in sorted(certified.keys() | read.keys()):
        was, is_ = certified.get(name, ""), read.get(name, "")
        gone, new = before[was] > now[was], now[is_] > before[is_]
        # There on both sides, and not the same.
        if was and is_ and (gone or new):
            lines.append(f"{name} is not what it was")
        elif was and gone:
            lines.append(f"{name} is not there")
        elif is_ and new:
            lines.append(f"{name} is not in the certificate")
    return lines
