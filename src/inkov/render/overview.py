"""A campus on one page."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from rich.console import RenderableType
from rich.table import Table
from rich.text import Text

from inkov.checks import Audit, Finding
from inkov.harmless import safe
from inkov.readers import Locator
from inkov.render.findings import finding_json, summary
from inkov.render.grid import Column, Grid, markdown_cell
from inkov.render.results import Result
from inkov.render.terminal import Screen
from inkov.render.text import plain, runs_in_words
from inkov.survey.overview import BlockRow, InRole, Overview
from inkov.survey.roles import Role
from inkov.vlanset import VlanSet
from inkov.words import agree, counted

__all__ = ["overview_lines", "overview_result"]

_NAMES = 6  # of switches, one by one
_BLOCKS = 8
_VLANS = 10
_WORST = 5  # findings
_PLURALS = {
    Role.CORE: "core",
    Role.DISTRIBUTION: "distribution",
    Role.ACCESS: "access",
    Role.ROUTER: "routers",
    Role.SERVER: "servers",
}


def overview_result(
    seen: Overview, audit: Audit, unread: Sequence[str], locator: Locator
) -> Result:
    """The page in every form. `unread` says what of the input was not read or understood."""

    def grids() -> list[Grid]:
        grid = Grid([Column("What", whole=True), Column("Says")])
        for what, says in overview_lines(seen, audit, unread):
            grid.add(what, says)
        return [grid]

    def text(screen: Screen) -> str:
        parts: list[RenderableType] = [Text(_head(seen), style="bold")]
        table = Table.grid(padding=(0, 2, 0, 0))
        table.add_column(no_wrap=True)
        table.add_column(overflow="fold")
        for what, says in overview_lines(seen, audit, unread):
            table.add_row(Text(safe(what), style="bold"), Text(safe(says)))
        return screen.render(*parts, Text(), table)

    def markdown() -> str:
        lines = [f"**{_head(seen)}**", ""]
        for what, says in overview_lines(seen, audit, unread):
            cell = markdown_cell(safe(says))
            lines.append(f"- **{safe(what)}**: {cell}" if what else f"  - {cell}")
        return "\n".join(lines) + "\n"

    def value() -> dict[str, Any]:
        counts = Counter(str(finding.severity) for finding in audit.findings)
        page: dict[str, Any] = plain(seen, locator)
        return page | {
            "findings": dict(sorted(counts.items())),
            "worst": [finding_json(finding, locator) for finding in audit.findings[:_WORST]],
            "unread": [safe(says) for says in unread],
        }

    return Result(value=value, grids=grids, text=text, markdown=markdown)


def _head(seen: Overview) -> str:
    routers = sum(len(row.switches) for row in seen.roles if row.role is Role.ROUTER)
    parts = [counted(seen.devices - routers, "switch")]
    # No routers, no word of them.
    parts += [counted(routers, "router")] if routers else []
    parts += [counted(len(seen.vlans), "VLAN")]
    parts += [counted(seen.host_ports, "host port")]
    return ", ".join(parts)


def overview_lines(
    seen: Overview, audit: Audit, unread: Sequence[str]
) -> Iterator[tuple[str, str]]:
    """What is said, under which head; "" goes on with the last one."""
    for row in seen.roles:
        yield _PLURALS[row.role], _role_in_words(row)
    yield from _titled("routed", _routing(seen))
    yield from _titled("blocks", _blocks(seen.blocks))
    yield from _titled("VLANs", _vlans(seen))
    yield from _titled("redundancy", _redundancy(seen))
    yield from _titled("odd", _odd(seen, unread))
    yield from _titled("findings", _findings(seen, audit))


def _titled(title: str, lines: Iterator[str]) -> Iterator[tuple[str, str]]:
    for number, says in enumerate(lines):
        yield "" if number else title, says


def _role_in_words(row: InRole) -> str:
    ports = f", {counted(row.ports, 'host port')}" if row.ports else ""
    names = runs_in_words(row.switches)
    return f"{len(row.switches)}: {names}{ports}" if len(row.switches) > 1 else f"{names}{ports}"


def _routing(seen: Overview) -> Iterator[str]:
    """Who routes more than one VLAN: with one alone, a switch is managed."""
    alike: dict[str, list[str]] = {}
    for row in seen.roles:
        for name, vlans in row.routes.items():
            # More than its own management VLAN.
            if len(vlans) > 1:
                alike.setdefault(_vlans_in_words(vlans), []).append(name)
    for numbers, names in list(alike.items())[:_NAMES]:
        yield f"{runs_in_words(names)}: VLAN {numbers}"
    if len(alike) > _NAMES:
        yield f"and {sum(map(len, list(alike.values())[_NAMES:]))} more"


def _vlans_in_words(vlans: VlanSet) -> str:
    text = str(vlans)
    return text if len(text) < 50 else f"{text[:40].rpartition(',')[0]},... ({len(vlans)} VLANs)"


def _blocks(blocks: list[BlockRow]) -> Iterator[str]:
    """The blocks, those of one switch together; where they are many, those of one shape."""
    large = [block for block in blocks if len(block.heads) + len(block.access) > 1]
    single = [name for b in blocks if b not in large for name in (*b.heads, *b.access)]
    # Many blocks are told by their shapes.
    if len(large) > _BLOCKS:
        shapes = Counter((len(block.heads), len(block.access)) for block in large)
        for (heads, access), number in sorted(shapes.items(), key=lambda item: (-item[1], item[0])):
            behind = f", each behind {counted(heads, 'switch')}" if heads else ""
            yield f"{counted(number, 'block')} of {access} access switches{behind}"
        sizes = [len(block.vlans) for block in large]
        # Of one size, or from the smallest to the largest.
        most = f" to {max(sizes)}" if max(sizes) > min(sizes) else ""
        yield f"{min(sizes)}{most} VLANs in a block"
    else:
        for block in large:
            behind = f"{runs_in_words(block.heads)} with " if block.heads else ""
            yield (
                f"{behind}{runs_in_words(block.access)}: VLAN {_vlans_in_words(block.vlans)},"
                f" {counted(block.ports, 'host port')}"
            )
    # A switch alone is no block.
    if single:
        where = "by itself" if len(single) == 1 else "each by itself"
        yield f"{runs_in_words(single)}: {where}"


def _vlans(seen: Overview) -> Iterator[str]:
    """The VLANs with most ports."""
    # Used by ports or gateways.
    used = [vlan for vlan in seen.vlans if vlan.ports or vlan.gateways]
    used.sort(key=lambda vlan: (-vlan.ports, vlan.vlan))
    for vlan in used[:_VLANS]:
        name = f" {vlan.name}" if vlan.name else ""
        ports = counted(vlan.ports, "port")
        on = f"{ports} on {counted(vlan.switches, 'switch')}"
        routers = runs_in_words(vlan.gateways, 2)
        gateway = f", gateway {routers}" if routers else ", no gateway"
        split = f", in {vlan.islands} parts" if vlan.islands > 1 else ""
        yield f"{vlan.vlan}{name}: {on}{gateway}{split}"
    # The rest is counted.
    if len(used) > _VLANS:
        yield f"and {len(used) - _VLANS} more in use; `inkov vlans` lists them"


def _redundancy(seen: Overview) -> Iterator[str]:
    own = seen.redundancy
    # Without links there is nothing to say of spares.
    if not own.links:
        yield "no links between switches are known"
        return
    # Links that nothing stands in for.
    if own.alone:
        yield (
            f"{own.alone} of {counted(own.links, 'link')} without a spare;"
            f" {runs_in_words(own.hang)} {'hangs' if len(own.hang) == 1 else 'hang'} on one"
        )
    else:
        yield f"each of {counted(own.links, 'link')} has a spare"
    # The switch whose loss cuts off most.
    if own.parted:
        are = agree(own.parted, "is", "are")
        yield f"without {own.worst}, {counted(own.parted, 'switch')} {are} cut off"


def _odd(seen: Overview, unread: Sequence[str]) -> Iterator[str]:
    if seen.split:
        be = "is" if len(seen.split) == 1 else "are"
        yield f"VLAN {seen.split} {be} in parts that do not reach each other"
    if seen.empty:
        yield f"VLAN {_vlans_in_words(seen.empty)}: defined, and nobody is in"
    if seen.outside:
        verb = "is" if len(seen.outside) == 1 else "are"
        yield f"{runs_in_words(seen.outside)} {verb} seen by neighbours, and not among the files"
    # On a campus of one switch that is no news.
    if seen.alone and seen.devices > 1:
        yield f"{runs_in_words(seen.alone)}: no link to others is known"
    if seen.second:
        yield f"{runs_in_words(seen.second)}: described by two sources"
    yield from unread


def _findings(seen: Overview, audit: Audit) -> Iterator[str]:
    yield summary(audit.findings, seen.devices, len(audit.accepted)).rstrip(".")
    for finding in audit.findings[:_WORST]:
        yield f"{finding.severity.upper()}: {_short(finding)}"
    if len(audit.findings) > _WORST:
        yield f"and {len(audit.findings) - _WORST} more; `inkov audit` tells all"


def _short(finding: Finding) -> str:
    says = finding.says
    # Long findings are cut at a word.
    return says if len(says) < 110 else f"{says[:100].rpartition(' ')[0]} ..."
