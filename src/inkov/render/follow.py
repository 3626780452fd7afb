"""Stories of frames: hop by hop, who hears, and what a ping would do."""

from __future__ import annotations

from typing import Any

from inkov.forwarding.follow import Event, Step, Story, heard_instead
from inkov.forwarding.ping import Ping
from inkov.forwarding.reach import Sending
from inkov.forwarding.reasons import Reason
from inkov.forwarding.stations import Heard
from inkov.harmless import safe
from inkov.levels import Level
from inkov.readers import Locator
from inkov.render.grid import Column, Grid
from inkov.render.text import brief, plain, runs_in_words
from inkov.vlanset import VlanSet, bits_to_text, union
from inkov.wiring import End
from inkov.words import counted

__all__ = [
    "because_grid",
    "hears_grid",
    "hears_json",
    "ping_grid",
    "ping_json",
    "step_json",
    "story_grid",
    "story_json",
]

_SHOWN = 6


def hears_json(
    sender: End, sendings: list[Sending], level: Level, heard: list[Heard]
) -> dict[str, Any]:
    """The fixed shape. `vlan` of `from` is null where frames enter in several; `certain` is there
    only if false.
    """
    mask = union(sending.mask for sending in sendings)
    vids = list(VlanSet(mask)) if mask.bit_count() == 1 else []
    return {
        "from": {"switch": sender.device, "port": sender.port, "vlan": vids[0] if vids else None},
        "level": level,
        "heard": [
            {"switch": h.switch, "port": h.port, "vlan": h.vlan, "tagged": h.tagged}
            | ({} if h.certain else {"certain": False})
            for h in heard
        ],
        "sent_in": bits_to_text(mask),
    }


def hears_grid(
    label: str, result: dict[str, Any], assumed: list[str], *, brief: bool = False
) -> Grid:
    """Who hears a frame: a row for each port, or if `brief` for the ports of a switch that hear it
    alike.
    """
    columns = [Column("Switch"), Column("VLAN", True), Column("Tagged"), Column("Remarks")]
    grid = Grid([columns[0], Column("Ports" if brief else "Port"), *columns[1:]])
    groups: dict[tuple[str, str, str, str], list[str]] = {}
    for row in result["heard"]:
        remark = (
            ""
            if row.get("certain", True)
            else "not settled: no way within one spanning tree is known, or chance decides"
        )
        key = row["switch"], str(row["vlan"]), "yes" if row["tagged"] else "no", remark
        # In short, ports that hear alike share a row.
        if brief:
            groups.setdefault(key, []).append(row["port"])
        else:
            grid.add(key[0], row["port"], *key[1:])
    for (switch, *more), ports in groups.items():
        grid.add(switch, runs_in_words(ports, len(ports)), *more)
    number = len({(row["switch"], row["port"]) for row in result["heard"]})
    heard = f"heard at {counted(number, 'host port')}"
    # Nobody hears it: the reason, and where it is said.
    if "because" in result:
        at = result["origin"]
        where = f"{at['file']}:{at['line']}" if at["line"] else at["file"]
        grid.notes.append(f"Nobody hears it: {safe(result['because'])} ({safe(where)})")
    else:
        grid.notes.append(
            f"Sent at {safe(label)} in VLAN {result['sent_in']}, {result['level']}: {heard}"
        )
    _note_assumptions(grid, assumed)
    return grid


def _note_assumptions(grid: Grid, assumed: list[str]) -> None:
    grid.notes += [f"Rests on: {safe(text)}" for text in assumed[:_SHOWN]]
    # Some are told, others counted.
    if len(assumed) > _SHOWN:
        grid.notes.append(f"... and {len(assumed) - _SHOWN} more; --format json lists them")


def step_json(step: Step, locator: Locator) -> dict[str, Any]:
    return {
        "switch": step.switch,
        "port": step.port,
        "event": step.event,
        "vlan": step.vlan,
        "tagged": step.tagged,
        "because": step.because,
        "origin": plain(step.origin, locator),
    }


def story_json(
    one: str, other: str, story: Story, assumed: list[str], locator: Locator
) -> dict[str, Any]:
    """The fixed shape, and what the answer rests on."""
    return {
        "from": one,
        "to": other,
        "arrives": story.arrives,
        "steps": [step_json(step, locator) for step in story.steps],
        **({} if story.simple else {"certain": False}),
        **({} if story.arrives else {"instead": heard_instead(story.instead)}),
        "assumes": assumed,
    }


_COLUMNS = [
    Column("Switch"),
    Column("Port"),
    Column("Event"),
    Column("VLAN", True),
    Column("Wire"),
    Column("Because"),
    Column("Said at"),
]


def _add(grid: Grid, steps: list[Step], locator: Locator, *before: str) -> None:
    for step in steps:
        vlan = str(step.vlan) if step.vlan is not None else "-"
        wire = "tagged" if step.tagged else "untagged" if step.event != Event.STOPS else ""
        marked = (len(before) + 2,) if step.event == Event.STOPS else ()
        grid.add(
            *before,
            step.switch,
            step.port,
            step.event,
            vlan,
            wire,
            step.because,
            brief(step.origin, locator),
            marked=marked,
        )


def story_grid(one: str, other: str, story: Story, assumed: list[str], locator: Locator) -> Grid:
    grid = Grid(list(_COLUMNS))
    _add(grid, story.steps, locator)
    # It arrives, if a way for it can happen.
    if story.arrives:
        grid.notes.append(f"A frame from {safe(one)} arrives at {safe(other)}.")
        if story.simple is not True:
            grid.notes.append(
                "Not settled: every way found passes a switch twice, which a single tree does not"
                " allow."
            )
    else:
        grid.notes.append(
            f"A frame from {safe(one)} does not arrive at {safe(other)}:"
            f" {heard_instead(story.instead)}."
        )
    _note_assumptions(grid, assumed)
    return grid


def ping_json(
    one: str, other: str, result: Ping, assumed: list[str], locator: Locator
) -> dict[str, Any]:
    return {
        "from": one,
        "to": other,
        "arrives": result.works,
        "steps": [step_json(step, locator) for part in result.parts for step in part.steps],
        "parts": [
            {"way": p.name, "holds": p.holds, "says": p.says, "origin": plain(p.origin, locator)}
            for p in result.parts
        ],
        "assumes": [*result.assumes, *assumed],
    }


def ping_grid(one: str, other: str, result: Ping, assumed: list[str], locator: Locator) -> Grid:
    grid = Grid([Column("Way"), *_COLUMNS], grouped=True)
    for part in result.parts:
        at = brief(part.origin, locator)
        grid.add(
            part.name,
            "",
            "",
            "holds" if part.holds else "fails",
            "",
            "",
            part.says,
            at,
            marked=() if part.holds else (3,),
        )
        _add(grid, part.steps, locator, part.name)
    verdict = "works" if result.works else "does not work"
    grid.notes.append(f"A ping between {safe(one)} and {safe(other)} {verdict}.")
    _note_assumptions(grid, [*result.assumes, *assumed])
    return grid


def because_grid(end: End, chain: list[Reason], locator: Locator) -> Grid:
    grid = Grid([Column("Stage", whole=True), Column("What holds, and why"), Column("Said at")])
    for number, reason in enumerate(chain):
        # The stage is named once.
        same = number and chain[number - 1].stage == reason.stage
        grid.add("" if same else reason.stage, reason.says, brief(reason.origin, locator))
    return grid
