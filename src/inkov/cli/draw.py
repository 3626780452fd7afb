from __future__ import annotations

import os
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli import complete
from inkov.cli.options import PlannedOptions, VlanOption, shared
from inkov.cli.output import write_bytes, write_file
from inkov.cli.overview import roles_of
from inkov.cli.places import one_vlan, two_places
from inkov.cli.says import complain, fail, nearest
from inkov.cli.session import Session, spare, start
from inkov.words import counted

if TYPE_CHECKING:
    from collections.abc import Mapping

    from inkov.campus import Campus
    from inkov.drawing import Drawing, Look
    from inkov.drawing.wires import Wire
    from inkov.forwarding.trees.active import Now


_HOSTS = 3  # of a switch, by name
_GONE = 8  # switches that are named
_DOUBTS = 3  # about the spanning tree, that are told


@shared
def draw(
    options: PlannedOptions,
    output: Annotated[
        str, typer.Option("--output", "-o", metavar="FILE", help=".svg or .html, .png or .pdf.")
    ],
    vlan: VlanOption = None,
    switch: Annotated[
        str | None,
        typer.Option(
            "--switch",
            metavar="S",
            help="One switch instead: its ports.",
            autocompletion=complete.switches,
        ),
    ] = None,
    way: Annotated[
        tuple[str, str] | None,
        typer.Option("--path", metavar="A B", help="The way from A to B: hosts, or switch:port."),
    ] = None,
    old: Annotated[
        str | None,
        typer.Option("--compare", metavar="OLD", help="What changed since OLD."),
    ] = None,
    tree: Annotated[bool, typer.Option("--tree", help="The roots of the spanning trees.")] = False,
    hosts: Annotated[
        bool, typer.Option("--hosts", help="How many host ports each switch has, and named hosts.")
    ] = False,
) -> None:
    """The campus, or one switch, as a drawing: links, ports, VLANs."""
    ending = os.path.splitext(output)[1].lower()
    # By its ending it is known how to write it.
    if ending not in _WRITERS:
        fail(f"--output {output}: a drawing ends in {', '.join(_WRITERS)}")
    if os.path.isdir(output):
        fail(f"--output {output}: a folder is there")
    session = start(options)
    spare(session.loaded, output)
    # One switch has no ways and no trees.
    if switch is not None:
        if way is not None or tree or old is not None:
            fail("--switch draws one switch: leave out --path, --tree and --compare")
        drawing = _front(session, switch, one_vlan(vlan))
    elif old is not None:
        if way is not None or tree or vlan is not None:
            fail("--compare draws what changes: leave out --vlan, --path and --tree")
        drawing = _changed(session, options, old)
    else:
        drawing = drawn(session, one_vlan(vlan), way, tree=tree, hosts=hosts)
    _WRITERS[ending](drawing, output)
    complain(f"{output} is written")
    session.end()


def drawn(
    session: Session,
    vid: int | None = None,
    way: tuple[str, str] | None = None,
    *,
    tree: bool = False,
    hosts: bool = False,
) -> Drawing:
    """The drawing of a campus."""
    from msgspec.structs import replace

    from inkov.drawing import Look, draw_campus
    from inkov.drawing.wires import wires
    from inkov.forwarding.trees.active import are_stated, now

    fabric = session.fabric
    trees = now(fabric) if are_stated(fabric) else None
    links = wires(fabric, session.plan.wanted(fabric.campus.devices), trees)
    look = Look(title=title_of(session))
    # Where chance decides, no link is drawn as blocked.
    if trees is not None and trees.outcomes > 1:
        look.rests = ["chance decides what the spanning tree blocks: it is left out"]
    elif trees is not None and trees.blocks:
        look.rests = trees.doubts[:_DOUBTS]
    if vid is not None:
        look = _of_vlan(session, vid, look)
    if way is not None:
        look = _of_way(session, way, links, vid, look)
    # Notes of several kinds stand behind each other.
    if tree:
        look = replace(look, notes=_added(look.notes, _roots(session, trees, vid)))
    if hosts:
        look = replace(look, notes=_added(look.notes, _hosts(session)))
    outside = [
        (outside.near.device, outside.near.port, outside.far) for outside in fabric.wiring.outside
    ]
    return draw_campus(roles_of(session), links, outside, look)


def _changed(session: Session, options: PlannedOptions, text: str) -> Drawing:
    """The drawing of what is otherwise than in an older state."""
    from inkov.campus import natural
    from inkov.drawing import Look, draw_campus
    from inkov.drawing.changes import link_changes
    from inkov.drawing.shapes import Tone
    from inkov.drawing.wires import wires
    from inkov.edits import difference, renamed, renames
    from inkov.forwarding import resolve
    from inkov.wiring import wire

    fabric, campus = session.fabric, session.loaded.campus
    before = _older(options, text)
    before = renamed(before, renames(before, campus))
    if not before.devices.keys() & campus.devices.keys():
        fail(f"--compare {text}: it has no switch in common with what is drawn")
    was = resolve(before, wire(before))
    wanted = session.plan.wanted(campus.devices)
    links, changes = link_changes(wires(was), wires(fabric, wanted))
    counts: dict[str, int] = {}
    for edit in difference(before, campus):
        # A switch that is gone has no box to note it at.
        if edit.switch in campus.devices:
            counts[edit.switch] = counts.get(edit.switch, 0) + 1
    notes = {name: counted(number, "edit") for name, number in counts.items()}
    notes |= dict.fromkeys(campus.devices.keys() - before.devices.keys(), "new")
    gone = sorted(before.devices.keys() - campus.devices.keys(), key=natural)
    says = [f"gone: {', '.join(gone[:_GONE])}"] if gone else []
    says += [f"and {len(gone) - _GONE} more"] if len(gone) > _GONE else []
    says += ["no switch and no link changes"] if not (notes or changes or gone) else []
    look = Look(
        title=f"{title_of(session)}, against {text}",
        notes=notes,
        members=frozenset(notes),
        changes=changes,
        says=says,
        signs={Tone.MARKED: "what changes", Tone.SHUT: "gone, or shut now"},
    )
    outside = [
        (outside.near.device, outside.near.port, outside.far) for outside in fabric.wiring.outside
    ]
    return draw_campus(roles_of(session), links, outside, look)


def _older(options: PlannedOptions, text: str) -> Campus:
    """The campus of an older state: of files, or of a revision of a git repository."""
    from inkov.cli.session import check_paths, read_only
    from inkov.cli.sides import reading
    from inkov.readers.revision import BadRevision, parse

    try:
        revision = parse(text)
        if revision is None:
            check_paths([text])
        with reading(text, options.configs[0]) as configs:
            plan = os.path.abspath(options.plan) if options.plan is not None else None
            own = PlannedOptions(
                configs=configs, plan=plan, read_as=options.read_as, quiet=options.quiet
            )
            return read_only(own).loaded.campus
    except BadRevision as bad:
        fail(f"--compare: {bad}")


def _front(session: Session, name: str, vid: int | None) -> Drawing:
    """The drawing of one switch."""
    from inkov.drawing import draw_front
    from inkov.drawing.front import FrontVlan
    from inkov.drawing.wires import wires
    from inkov.survey.ports import memberships, port_rows

    fabric = session.fabric
    if name not in fabric.campus.devices:
        # Nothing to draw.
        fail(f"--switch {name}: no such switch{nearest(name, fabric.campus.devices)}")
    device = fabric.device(name)
    hosts: dict[str, str] = {}
    for host in fabric.campus.hosts:
        if host.device == name:
            hosts[host.port] = ", ".join(filter(None, (hosts.get(host.port), host.name)))
    gateways = {gateway.vid: gateway for gateway in device.gateways}
    vlans = []
    for row in memberships(fabric, name):
        known, gateway = device.row(row.vlan), gateways.get(row.vlan)
        addresses = [str(fact.value) for fact in gateway.addresses] if gateway is not None else []
        says = f"gateway {', '.join(addresses)}".strip() if gateway is not None else ""
        called = known.name.value if known is not None and known.name is not None else ""
        untagged, tagged = (
            [port for port, how in row.ports.items() if how == sign] for sign in ("U", "T")
        )
        vlans.append(FrontVlan(row.vlan, called, untagged, tagged, says))
    own = [
        wire
        for wire in wires(fabric, session.plan.wanted(fabric.campus.devices))
        if name in (wire.a.device, wire.b.device)
    ]
    ports = port_rows(fabric, name)
    role = roles_of(session).of[name].value
    number = counted(len(ports), "port")
    title = f"{name} ({role}): {number}"
    return draw_front(title, ports, own, hosts, vlans, vid)


def title_of(session: Session) -> str:
    """The folder that was read, and how many switches are in it."""
    devices = session.fabric.campus.devices
    files = [device.origin.file for device in devices.values() if device.origin.file]
    folder = os.path.commonpath(files) if files else ""
    folder = folder if os.path.isdir(folder) else os.path.dirname(folder)
    name = os.path.basename(os.path.abspath(folder)) if files else ""
    count = f"{len(devices)} switch{'es' * (len(devices) != 1)}"
    return f"{name}: {count}" if name else count


def _of_vlan(session: Session, vid: int, look: Look) -> Look:
    """One VLAN: who is in it, in which part, and who routes it."""
    from msgspec.structs import replace

    from inkov.survey.vlans import vlan_rows
    from inkov.vlanset import VlanSet

    rows = vlan_rows(session.fabric, VlanSet.of(vid))
    # Nobody has the VLAN: an empty drawing would say that all is well.
    if not rows:
        fail(f"--vlan {vid}: no switch has it, and no port is in it")
    [row] = rows
    notes: dict[str, str] = {}
    for number, island in enumerate(row.islands, 1):
        for name in island:
            # In one part, no part has to be named.
            notes[name] = f"part {number} of {len(row.islands)}" if len(row.islands) > 1 else ""
    for at in row.at:
        words = [notes.get(at.switch, "")]
        words += [counted(at.ports, "port")] if at.ports else []
        words += ["gateway"] if at.gateway else []
        words += ["not defined"] if at.defined is False else []
        notes[at.switch] = ", ".join(filter(None, words))
    name = f" {row.names[0]}" if row.names else ""
    members = frozenset(at.switch for at in row.at)
    title = f"VLAN {vid}{name} on {look.title}"
    return replace(look, vlan=vid, notes=notes, members=members, title=title)


def _of_way(
    session: Session, way: tuple[str, str], links: list[Wire], vid: int | None, look: Look
) -> Look:
    """The way of a frame from one place to another."""
    from msgspec.structs import replace

    from inkov.cli.why import host_at
    from inkov.mend.judged import judged
    from inkov.wiring import End

    places = two_places(session, *way)
    answer = judged(session.fabric, *(host_at(place, vid) for place in places))
    by_end = {end: wire.number for wire in links for end in (wire.a, wire.b)}
    numbers: dict[int, int] = {}
    passed: dict[str, None] = {}
    for step in (step for part in answer.ping.parts for step in part.steps):
        passed[step.switch] = None
        end = End(step.switch, step.port)
        if end in session.fabric.ports:  # a gateway in a VLAN is at none
            end = session.fabric.end_of(*end)
        number = by_end.get(end)
        # A link that is passed twice keeps its first number.
        if number is not None and number not in numbers:
            numbers[number] = len(numbers) + 1
    ends = f"{places[0].label} to {places[1].label}"
    title = f"From {ends}" if answer.works else f"From {ends}: it does not arrive"
    return replace(look, way=numbers, members=frozenset(passed), title=title)


def _added(notes: Mapping[str, str], more: Mapping[str, str]) -> dict[str, str]:
    """Notes with more behind them."""
    names = dict.fromkeys([*notes, *more])
    return {name: ", ".join(filter(None, (notes.get(name), more.get(name)))) for name in names}


def _roots(session: Session, trees: Now | None, vid: int | None) -> dict[str, str]:
    """What is said of the roots of the spanning trees."""
    from inkov.survey.trees import distinct_trees, tree_row

    # Nothing is drawn, and that is said.
    if trees is None:
        complain("no switch says what spanning tree it runs: no roots are drawn")
        return {}
    fabric, notes = session.fabric, dict[str, list[str]]()
    wanted = None if vid is None else 1 << vid
    shown = distinct_trees(fabric, trees.trees, None, wanted)
    for vlans, tree in shown:
        row = tree_row(fabric, tree, vlans, None, seen_only=True)
        of = "" if len(shown) == 1 else f" of VLAN {row.vlans}"
        if row.root is not None:
            notes.setdefault(row.root, []).append(f"root{of}")
        # Where chance decides, all that may be root.
        for name in row.roots if row.root is None else ():
            notes.setdefault(name, []).append(f"root{of}, if chance has it so")
    return {name: ", ".join(sentences) for name, sentences in notes.items()}


def _hosts(session: Session) -> dict[str, str]:
    """What is said of the hosts at each switch."""
    from collections import Counter

    fabric = session.fabric
    ports = Counter(
        port.end.device
        for port in fabric.bridge_ports
        if fabric.has_hosts(port.end) and not fabric.is_implied(port) and not port.outer
    )
    named: dict[str, list[str]] = {}
    for host in fabric.campus.hosts:
        named.setdefault(host.device, []).append(host.name)
    notes = {}
    for name, number in ports.items():
        hosts = named.get(name, [])
        more = f" and {len(hosts) - _HOSTS} more" if len(hosts) > _HOSTS else ""
        which = f": {', '.join(hosts[:_HOSTS])}{more}" if hosts else ""
        notes[name] = f"{counted(number, 'host port')}{which}"
    return notes


# --- files ----------------------------------------------------------------------------------------


def _svg(drawing: Drawing, path: str) -> None:
    from inkov.render.svg import to_svg

    write_file(path, to_svg(drawing))


def _html(drawing: Drawing, path: str) -> None:
    from inkov.render.page import page_of
    from inkov.render.svg import to_svg

    write_file(path, page_of(drawing.title, to_svg(drawing, document=False)))


def _picture(drawing: Drawing, path: str) -> None:
    try:
        from inkov.render.picture import to_picture
    except ImportError:
        # The library for pictures is an extra.
        fail("pictures need Matplotlib: pip install 'inkov[pictures]', or write .svg")
    write_bytes(path, to_picture(drawing, os.path.splitext(path)[1].lower().removeprefix(".")))


_WRITERS = {".svg": _svg, ".html": _html, ".png": _picture, ".pdf": _picture}
