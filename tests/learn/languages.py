"""Random command languages, and random switches described in them: what each port does is decided
first, and then written down. No two of them are alike, and none is anybody's.
"""

from __future__ import annotations

import random
from typing import NamedTuple

from inkov.learn import Question
from inkov.readers.walk.objects import OBJECTS

_SYLLABLES = [
    "ba",
    "dro",
    "fi",
    "gul",
    "ke",
    "lim",
    "mos",
    "nar",
    "pel",
    "quo",
    "ris",
    "tor",
    "vex",
]


class Does(NamedTuple):
    """What a port does: on; the VLAN of untagged frames, 0 for none; the VLANs that are tagged."""

    on: bool
    untagged: int
    tagged: frozenset[int]


class Switch(NamedTuple):
    name: str
    vlans: dict[int, str]
    ports: dict[int, Does]


class Language:
    """Words and habits, drawn at random."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        used: set[str] = set()

        def word() -> str:
            while True:
                new = "".join(rng.choice(_SYLLABLES) for _ in range(rng.randint(2, 3)))
                if new not in used:
                    used.add(new)
                    return new

        self.hello, self.port, self.vlan = word(), word(), word()
        self.named, self.access, self.trunk = word(), word(), word()
        self.native, self.off, self.about = word(), word(), word()
        self.noise = [word() for _ in range(3)]
        self.also = f"{self.trunk} {word()}" if rng.random() < 0.5 else ""
        self.range = rng.choice([" to ", "-", "~", ".."])
        self.comment = rng.choice(["%", "!", "#", "//"])
        self.flat = rng.random() < 0.3
        self.vlan_centred = rng.random() < 0.25
        self.members, self.tagged_members = word(), word()
        self.by_name = rng.random() < 0.3
        self.quote = '"' if rng.random() < 0.3 else ""
        self.together = rng.random() < 0.5  # ports that are alike in one section
        self.braced = not self.flat and rng.random() < 0.3
        self.lead = f"{word()} " if self.flat and rng.random() < 0.4 else ""
        self.close = word() if not self.flat and not self.braced and rng.random() < 0.3 else ""
        self.less = word() if rng.random() < 0.3 else ""  # takes VLANs out of a list
        self.undo = word() if not self.flat and rng.random() < 0.3 else ""
        self.turned = not self.flat and rng.random() < 0.2  # the number before the word
        self.kinds = (word(), word()) if rng.random() < 0.25 else ()
        self.group, self.joins = word(), word()
        self.grouped = not self.flat and not self.vlan_centred and rng.random() < 0.4
        self.from_group = self.grouped and rng.random() < 0.3  # groups list their ports

    def text(self, switch: Switch) -> str:
        """A switch in this language."""
        end = ";" if self.braced else ""
        lines = [f"{self.hello} {switch.name}{end}"]
        lines += [] if self.lead else [f"{self.comment} of {switch.name}"]
        lines += [f"{noise} {self.rng.choice(_SYLLABLES)}{end}" for noise in self.noise[:2]]
        for vid, name in switch.vlans.items():
            body = [f"{self.named} {self.quote}{name}{self.quote}"] if vid != 1 else []
            if self.vlan_centred:
                plain = [n for n, d in switch.ports.items() if d.on and d.untagged == vid]
                tagged = [n for n, d in switch.ports.items() if d.on and vid in d.tagged]
                body += [f"{self.members} {self.listed(plain)}"] if plain and vid != 1 else []
                body += [f"{self.tagged_members} {self.listed(tagged)}"] if tagged else []
            lines += self.block(f"{self.vlan} {vid}", body)
        groups = self.groups(switch) if self.grouped else {}
        written = [
            line for does, group in groups.items() for line in self.of_group(switch, does, group)
        ]
        before = self.rng.random() < 0.5
        lines += written if before else []
        sections: dict[tuple[Does, str], list[int]] = {}
        for number, does in switch.ports.items():
            about = self.rng.choice(["", "lamp", "pump at the gate"])
            key = (does, about) if self.together else (does, f"{about} {number}")
            sections.setdefault(key, []).append(number)
        for (does, about), numbers in sections.items():
            body = [f'{self.about} "{about.strip()}"'] if about.strip() else []
            if does in groups:
                # An own setting of now and then one replaces what the group says.
                body += [] if self.from_group else [f"{self.joins} {groups[does]}"]
            else:
                body += self.settings(switch, does)
            body += [self.noise[2]] if self.rng.random() < 0.2 else []
            lines += self.block(
                f"{self.port} {self.listed(numbers)}", body or [f'{self.about} "x"']
            )
        lines += [] if before else written
        return "\n".join(f"{self.lead}{line}" for line in lines) + "\n"

    def groups(self, switch: Switch) -> dict[Does, str]:
        """What several ports do, by a name of its own."""
        kinds = list(switch.ports.values())
        common = [does for does in dict.fromkeys(kinds) if kinds.count(does) > 1 and does.on]
        names = [f"{self.rng.choice(_SYLLABLES)}{chr(97 + n)}" for n in range(len(common))]
        return {
            does: name
            for does, name in zip(common, names, strict=True)
            if self.settings(switch, does)
        }

    def of_group(self, switch: Switch, does: Does, name: str) -> list[str]:
        ports = [number for number, one in switch.ports.items() if one == does]
        holds = [f"{self.joins} {self.listed(ports)}"] if self.from_group else []
        return self.block(f"{self.group} {name}", [*self.settings(switch, does), *holds])

    def settings(self, switch: Switch, does: Does) -> list[str]:
        if not does.on:
            return [self.off]
        if self.vlan_centred:
            return []
        if not does.tagged:
            name = f"{self.quote}{switch.vlans[does.untagged]}{self.quote}"
            shown = name if self.by_name else str(does.untagged)
            said = f"{shown} {self.access}" if self.turned else f"{self.access} {shown}"
            if does.untagged == 1 and self.undo and not self.turned:
                other = max(switch.vlans)
                return [f"{self.access} {other}", f"{self.undo} {self.access}"]
            before = [self.off, f"{self.undo} {self.off}"] if self.undo else []
            return [*before[: self.rng.choice([0, 2])], said] if does.untagged != 1 else []
        vids = sorted({*does.tagged, *({does.untagged} - {0})})
        native = [f"{self.native} {does.untagged}"] if does.untagged else []
        others = [vid for vid in switch.vlans if vid not in (1, *vids)]
        if self.less and others:
            wider = sorted({*vids, others[0]})
            return [f"{self.trunk} {self.vids(wider)}", f"{self.less} {others[0]}", *native]
        if self.also and len(vids) > 1:
            cut = self.rng.randint(1, len(vids) - 1)
            first, more = self.vids(vids[:cut]), self.vids(vids[cut:])
            return [f"{self.trunk} {first}", f"{self.also} {more}", *native]
        return [f"{self.trunk} {self.vids(vids)}", *native]

    def answer(self, question: Question) -> int | None:
        """What somebody who knows this language answers."""
        wanted = [
            (f"{self.range.strip()!r} between numbers", "a range"),
            ("between numbers", "neither"),
            ("of which nothing is said", "untagged in VLAN 1"),
            *([(self.also, "allowed +")] if self.also else []),
            (f"{self.trunk} ", "allowed ="),
            (f"{self.access} ", "access; vlan ="),
            (f"{self.native} ", "native ="),
            (self.off, "state = off"),
            *([(f"{self.less} ", "allowed -")] if self.less else []),
            (f"{self.members} ", "untagged +"),
            (f"{self.tagged_members} ", "; tagged +"),
            (f"{self.joins} ", "takes +"),
            *((noise, "nothing") for noise in self.noise),
        ]
        meant = next((answer for about, answer in wanted if about in question.says), None)
        fits = [n for n, one in enumerate(question.answers) if meant is not None and meant in one]
        return fits[0] if fits else None

    def block(self, head: str, body: list[str]) -> list[str]:
        if self.flat:
            return [f"{head} {line}" for line in body] or [head]
        if self.braced:
            return [f"{head} {{", *(f"    {line};" for line in body), "}"]
        return [head, *(f"    {line}" for line in body), *([self.close] if self.close else [])]

    def called(self, number: int) -> str:
        """The name of a port: those from 100 on are of the second kind, if there are kinds."""
        return f"{self.kinds[number // 100]} {number % 100}" if self.kinds else str(number)

    def listed(self, numbers: list[int]) -> str:
        runs: list[list[int]] = []
        for number in sorted(numbers):
            if runs and number == runs[-1][1] + 1:
                runs[-1][1] = number
            else:
                runs.append([number, number])
        shown: list[str] = []
        for low, high in runs:
            last = str(high % 100 if self.kinds else high)
            ends = sorted({low, high})
            whole = [f"{self.called(low)}{self.range}{last}"]
            shown += whole if high > low + 1 else map(self.called, ends)
        return ", ".join(shown) if self.range == " to " or self.kinds else ",".join(shown)

    @staticmethod
    def vids(vids: list[int]) -> str:
        return ",".join(map(str, vids))


def switches(rng: random.Random, count: int, *, kinds: bool = False) -> list[Switch]:
    """Switches of one campus. `kinds`: some of their ports are of a second kind."""
    vids = rng.sample(range(100, 4000), rng.randint(3, 6))
    vlans = {vid: f"v{'aeiou'[n % 5]}{chr(98 + n)}" for n, vid in enumerate(vids)}
    found = []
    for number in range(count):
        own = {vid: name for vid, name in vlans.items() if rng.random() < 0.8 or vid == vids[0]}
        own = {1: "first", **own}
        ports = {}
        number_of_ports = rng.randint(9, 19)
        second = rng.randint(2, 5) if kinds else 0
        first = range(1, number_of_ports + 1 - second)
        for port in (*first, *range(101, 101 + second)):
            some = [vid for vid in own if vid != 1]
            kind = rng.random()
            if kind < 0.55 or len(some) < 2:
                ports[port] = Does(True, rng.choice([*some, *some, 1]), frozenset())
            elif kind < 0.75:
                ports[port] = Does(False, 0, frozenset())
            else:
                tagged = set(rng.sample(some, rng.randint(2, len(some))))
                untagged = rng.choice([0, min(tagged)])
                ports[port] = Does(True, untagged, frozenset(tagged - {untagged}))
        found.append(Switch(f"sw{'abcdefgh'[number]}", own, ports))
    return found


def sheet(switch: Switch, language: Language) -> str:
    """The same switch as a switch sheet: the other source."""
    lines = ["inkov sheet 1", f"switch: {switch.name}", "[vlans]"]
    lines += [f"{vid}: {name}" for vid, name in switch.vlans.items()]
    for number, does in switch.ports.items():
        lines.append(f'[port "{language.called(number)}"]')
        if not does.on:
            lines.append("state: off")
        elif does.tagged:
            vids = sorted({*does.tagged, *({does.untagged} - {0})})
            lines += ["mode: trunk", f"allowed: {','.join(map(str, vids))}"]
            lines.append(f"native: {does.untagged or 'none'}")
        else:
            lines.append(f"vlan: {does.untagged}")
    return "\n".join(lines) + "\n"


def walk(switch: Switch, language: Language) -> str:
    """The same switch as its SNMP agent tells it: the other source."""
    ports = list(switch.ports.items())
    lines = [f'.{OBJECTS["sysName"]}.0 = STRING: "{switch.name}"']

    def column(name: str, values: dict[int, str]) -> None:
        lines.extend(f".{OBJECTS[name]}.{row} = {value}" for row, value in values.items())

    def listed(those: list[bool]) -> str:
        octets = bytearray(8)
        for at, there in enumerate(those):
            octets[at // 8] |= there * (0x80 >> at % 8)
        return f"Hex-STRING: {octets.hex(' ').upper()}"

    rows = dict(enumerate(ports, 1))
    column("ifDescr", {n: f'STRING: "{language.called(port)}"' for n, (port, _) in rows.items()})
    column("ifType", dict.fromkeys(rows, "INTEGER: 6"))
    column("ifAdminStatus", {n: f"INTEGER: {1 if one.on else 2}" for n, (_, one) in rows.items()})
    column("dot1dBasePortIfIndex", {n: f"INTEGER: {n}" for n in rows})
    vlans = sorted(switch.vlans.items())
    column("dot1qVlanStaticName", {vid: f'STRING: "{name}"' for vid, name in vlans})
    for name, tagged in (("dot1qVlanStaticEgressPorts", 1), ("dot1qVlanStaticUntaggedPorts", 0)):
        members = {
            vid: [one.untagged == vid or (tagged and vid in one.tagged) for _, one in ports]
            for vid, _ in vlans
        }
        column(name, {vid: listed([bool(one) for one in of]) for vid, of in members.items()})
    column("dot1qPvid", {n: f"Gauge32: {one.untagged or 1}" for n, (_, one) in rows.items()})
    only_tagged = {n: 1 if one.untagged or not one.on else 2 for n, (_, one) in rows.items()}
    column("dot1qPortAcceptableFrameTypes", {n: f"INTEGER: {v}" for n, v in only_tagged.items()})
    column("dot1qPortIngressFiltering", dict.fromkeys(rows, "INTEGER: 1"))
    return "\n".join(lines) + "\n"
