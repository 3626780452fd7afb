from __future__ import annotations

from collections import Counter
from typing import Annotated, Any

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import PlannedOptions, shared
from inkov.cli.session import check_paths, start
from inkov.cli.written import read_written


@shared
def verify(
    certificate: Annotated[
        str, typer.Argument(metavar="CERTIFICATE", help="What `inkov prove` wrote.")
    ],
    options: PlannedOptions,
) -> None:
    """Check a certificate against the files, by independent code."""
    from inkov.plan import vlan_names
    from inkov.verify import PacketModel, check_certificate, check_ports

    check_paths([certificate])
    files, claims, taken = _certificate(certificate)
    session = start(options)
    refused = _changed(files, session.digests)
    wiring = session.fabric.wiring
    links = [*wiring.links, *wiring.shared]
    cables = [(a.device, a.port, b.device, b.port) for link in links for a, b in link.cables]
    occupied = [(*outside.near, outside.far) for outside in wiring.outside]
    net = PacketModel(session.fabric.campus, cables, occupied)
    refused += check_ports(net, taken)
    result = check_certificate(
        net,
        session.plan.says.claims,
        vlan_names(session.plan, session.fabric.campus),
        claims,
    )
    refused += result.refused
    for line in refused:
        typer.echo(f"refused: {line}")
    if refused:
        typer.echo("The certificate is refused.")
    else:
        without = len(claims) - result.verified
        also = f"; {without} without a certificate" if without else ""
        typer.echo(f"{result.verified} of {len(claims)} claims verified{also}.")
    # What is said to hold without a certificate is not verified.
    session.end(FINDINGS if refused or result.uncertified else ALL_WELL)


def _certificate(path: str) -> tuple[dict[str, str], list[dict[str, Any]], dict[str, Any]]:
    """The digests and the entries of a certificate, and what it takes the ports for."""

    def read(stated: Any) -> tuple[dict[str, str], list[dict[str, Any]], dict[str, Any]]:
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
        if was and is_ and (gone or new):
            lines.append(f"{name} is not what it was")
        elif was and gone:
            lines.append(f"{name} is not there")
        elif is_ and new:
            lines.append(f"{name} is not in the certificate")
    return lines
