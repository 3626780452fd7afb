"""Bridges that send each other messages until nobody hears anything new: spanning trees by the
letter of IEEE 802.1Q, clause 13, without any thought of where it ends.

Nothing here is shared with the program. A bridge is a dict: `id` (priority, address), `region`
(None: it knows of none), `legacy`; a port is a dict: `bridge`, `wire`, `cost`, `id` (priority,
number), `restricted`.
"""

from __future__ import annotations

from typing import Any

Bridge = dict[str, Any]
Port = dict[str, Any]


def settle(bridges: dict[int, Bridge], ports: dict[int, Port]) -> dict[int, str]:
    """The role of every port, once all is quiet."""
    own = {
        number: (one["id"], 0, one["id"], 0, one["id"], (0, 0), (0, 0))
        for number, one in bridges.items()
    }
    best = dict(own)
    came_by: dict[int, int | None] = dict.fromkeys(bridges)
    held: dict[int, tuple[Any, ...]] = {}  # port -> the best message from others on its wire
    legacy = {port["wire"] for port in ports.values() if bridges[port["bridge"]]["legacy"]}

    def message(number: int) -> tuple[Any, ...]:
        port = ports[number]
        bridge = bridges[port["bridge"]]
        root, external, regional, internal = best[port["bridge"]][:4]
        if port["wire"] in legacy:
            regional = bridge["id"]
        return root, external, regional, internal, bridge["id"], port["id"]

    def inside(sender: int, receiver: int) -> bool:
        one, other = (bridges[ports[number]["bridge"]] for number in (sender, receiver))
        same = one["region"] is not None and one["region"] == other["region"]
        return same and ports[sender]["wire"] not in legacy

    def heard(sender: int, receiver: int) -> tuple[Any, ...]:
        """A message as the receiver reads it."""
        root, external, regional, internal, bridge, port = message(sender)
        if bridges[ports[receiver]["bridge"]]["region"] is None:
            # A bridge without regions reads the field of the regional root as the sender.
            return root, external, regional, 0, regional, port
        return root, external, regional, internal if inside(sender, receiver) else 0, bridge, port

    quiet = False
    while not quiet:
        quiet = True
        for receiver, port in ports.items():
            for sender, other in ports.items():
                if sender == receiver or other["wire"] != port["wire"]:
                    continue
                if sender in held and held[sender] < message(sender):
                    continue  # it hears somebody better on the wire, and is silent
                news = heard(sender, receiver)
                if receiver not in held or news < held[receiver]:
                    held[receiver], quiet = news, False
        for number, bridge in bridges.items():
            choices: list[tuple[tuple[Any, ...], int | None]] = [(own[number], None)]
            for name, port in ports.items():
                if port["bridge"] != number or port["restricted"] or name not in held:
                    continue
                root, external, regional, internal, sender, far = held[name]
                if sender == bridge["id"]:
                    continue  # its own
                if _from_inside(held[name], name, bridges, ports, legacy):
                    way = (root, external, regional, internal + port["cost"], sender, far)
                else:
                    between = port["external"] or port["cost"]
                    way = (root, external + between, bridge["id"], 0, sender, far)
                choices.append(((*way, port["id"]), name))
            chosen, by = min(choices, key=lambda one: one[0])
            if (chosen, by) != (best[number], came_by[number]):
                best[number], came_by[number], quiet = chosen, by, False
    roles = {}
    for name, port in ports.items():
        if name not in held or message(name) < held[name]:
            roles[name] = "designated"
        elif came_by[port["bridge"]] == name:
            roles[name] = "root"
        else:
            own_message = held[name][4] == bridges[port["bridge"]]["id"]
            roles[name] = "backup" if own_message else "alternate"
    return roles


def _from_inside(
    news: tuple[Any, ...],
    receiver: int,
    bridges: dict[int, Bridge],
    ports: dict[int, Port],
    legacy: set[int],
) -> bool:
    """Whether the sender of a message is of the receiver's region."""
    region = bridges[ports[receiver]["bridge"]]["region"]
    if region is None or ports[receiver]["wire"] in legacy:
        return False
    return any(
        bridge["id"] == news[4] and bridge["region"] == region for bridge in bridges.values()
    )
