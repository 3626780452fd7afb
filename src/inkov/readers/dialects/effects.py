"""Effects: what a statement does to the neutral model, compiled from the text beside its form.

An effect is a list of clauses with `;` between them::

    clause = [ "on" KIND VALUE ":" ] [ ( "when" | "unless" ) "'" FORM "'" ":" ] what
    what   = ATTRIBUTE ( "=" | "+" | "-" ) VALUE | ATTRIBUTE "unset"
           | "is there" | "is gone" | "is bare"

VALUE is plain text with captures in it. `on` holds for the clauses after it; before it, a clause is
about what the block has opened. `when` holds up to the next `when`, `unless` or `on`: the clause
counts for those ports only of which a statement of the other form is said. `ATTRIBUTES` lists, for
each kind, what can be stated of it, and how its values are read: by the words of switch sheets.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from msgspec import Struct

from inkov.campus import Private, TreeMode, TreeRole, TreeState
from inkov.readers.dialects.forms import Captured, FormError
from inkov.readers.sheets.words import (
    DISTRIBUTION_KEYS,
    ON,
    PORT_KEYS,
    as_value,
    bridge_address,
    one_address,
    one_of,
    one_vid,
    values_of,
    vids_or_unset,
    whole_number,
)
from inkov.vlanset import VlanSet

__all__ = [
    "ATTRIBUTES",
    "KINDS",
    "NUMBERED",
    "OF_TREE_PORTS",
    "SINGLE_VLANS",
    "VLAN_SETS",
    "Clause",
    "Named",
    "Template",
    "TreeNumber",
    "parse_effect",
    "parse_template",
    "refuse_name",
    "shared_kind",
]


class Named(Struct, frozen=True):
    """A list of VLANs, by number or by name, to be looked up once the whole file has been read."""

    items: tuple[str, ...]


class TreeNumber(Struct, frozen=True):
    """A spanning tree by its number, where no VLANs name it; 0 is the common one."""

    number: int

    def __str__(self) -> str:
        return f"{NUMBERED} {self.number}"


_PORT: dict[str, Callable[[str], Any]] = {key: read for key, (_, read) in PORT_KEYS.items()} | {
    "bundle": as_value,
    "bridge": as_value,
    "address": one_address,
    "tree cost": whole_number,
    "tree external cost": whole_number,
    "tree priority": whole_number,
    "tree role": one_of(values_of(TreeRole)),
    "tree state": one_of(values_of(TreeState)),
    "takes": as_value,
    "neighbour": as_value,
    "filter in": as_value,
    "filter out": as_value,
}
ATTRIBUTES: dict[str, dict[str, Callable[[str], Any]]] = {
    "port": _PORT,
    "vlan": {
        "vid": one_vid,
        "name": as_value,
        "state": one_of({"active": True, "suspended": False}),
        "private": one_of(values_of(Private)),
        "secondaries": VlanSet.parse,
    },
    "gateway": {
        "vid": one_vid,
        "address": one_address,
        "vrf": as_value,
        "state": one_of(ON),
        "bridge": as_value,
        "filter in": as_value,
        "filter out": as_value,
    },
    "filter": {"entry": as_value},
    "bridge": {"ports": as_value},
    "device": (
        {
            "name": as_value,
            "tree mode": one_of(values_of(TreeMode)),
            "tree address": bridge_address,
            "tree region": as_value,
            "tree revision": whole_number,
        }
        | {key: read for key, (_, read) in DISTRIBUTION_KEYS.items()}
    ),
    "tree": {
        "number": whole_number,
        "priority": whole_number,
        "vlans": VlanSet.parse,
        "cost": as_value,
        "seen role": as_value,
        "seen state": as_value,
        "seen root": bridge_address,
    },
}
"""Kind -> attribute -> how its text is read. Bundles and sub-interfaces have the attributes of
ports.
"""

KINDS = {
    "port": "port",
    "ports": "port",
    "bundle": "bundle",
    "sub": "sub",
    "vlan": "vlan",
    "vlans": "vlan",
    "gateway": "gateway",
    "bridge": "bridge",
    "device": "device",
    "tree": "tree",
    "profile": "profile",
    "filter": "filter",
}
"""What may follow `on` -> the kind of thing it opens."""

VLAN_SETS = {key for key, (_, read) in PORT_KEYS.items() if read in (VlanSet.parse, vids_or_unset)}
VLAN_SETS |= {"secondaries", "vlans", "in_force"}
SETS = VLAN_SETS | {"address", "ports", "takes", "entry", "filter in", "filter out"}
"""Attributes that `+` and `-` change."""

OF_TREE_PORTS: dict[str, Callable[[str], Any]] = {
    "cost": whole_number,
    "seen role": one_of(values_of(TreeRole)),
    "seen state": one_of(values_of(TreeState)),
}
"""What is said of ports in a tree, as `{ports} VALUE` -> how the value is read."""

SINGLE_VLANS = {"vlan", "voice", "native", "pvid", "primary", "secondary", "tag"}
"""Attributes that are one VLAN: `-` takes it back, if it is the one that is named."""


def shared_kind(kind: str) -> str:
    """The kind whose attributes a kind has."""
    return "port" if kind in ("bundle", "sub", "profile") else kind


_TEXTS = frozenset({"word", "name", "words", "text"})
_EITHER = _TEXTS | {"yes"}
_NUMBER = _TEXTS | {"number", "vid"}
_ONE_VLAN = _NUMBER | {"vlan", "vids"}
_VLAN_LIST = _ONE_VLAN | {"vlans"}
_ONE_PORT = _NUMBER | {"port"}
_TAKE: dict[str, frozenset[str]] = {
    **dict.fromkeys(SINGLE_VLANS | {"vid"}, _ONE_VLAN),
    **dict.fromkeys(VLAN_SETS, _VLAN_LIST),
    **dict.fromkeys(
        ("number", "priority", "tree cost", "tree external cost", "tree priority"), _NUMBER
    ),
    **dict.fromkeys(("mtu", "speed", "version", "revision", "tree revision"), _NUMBER),
    **dict.fromkeys(("tree address", "seen root"), _TEXTS | {"address"}),
    "ports": _ONE_PORT | {"ports"},
    "of": _ONE_PORT,
    "bundle": _ONE_PORT,
    "address": _TEXTS | {"address"},
    **dict.fromkeys(("state", "native tagged", "ingress filtering", "protected"), _EITHER),
    **dict.fromkeys(("registration", "edge", "bpdu guard", "pruning"), _EITHER),
}
"""Attribute -> the types of capture that can be its value: all others are one word of a few. A text
is read by the words of switch sheets.
"""

_TEXT_OF = {
    "about",
    "name",
    "domain",
    "tree region",
    "vrf",
    "bridge",
    "filter in",
    "filter out",
    "entry",
    "cost",
    "seen role",
    "seen state",
}  # what is written, whatever it looks like
_NAMED_BY: dict[str, frozenset[str]] = {
    "port": _ONE_PORT | {"ports"},
    "vlan": _VLAN_LIST,
    "tree": _VLAN_LIST - {"number"},
    "gateway": _ONE_VLAN,
}
"""Kind -> the types of capture that can name what a head opens, or what follows `on`. A number
alone may be a VLAN of a tree or its own number: `number {n}` says that it is this.
"""

NUMBERED = "number"
"""The word before the number that names a tree."""


def refuse_name(kind: str, name: Template, known: Mapping[str, str], at: int) -> None:
    """FormError if a name is one capture, of a type that cannot name a thing of that kind."""
    taken = _NAMED_BY.get(shared_kind(kind))
    if taken is not None:
        _refuse(f"name a {kind}", taken, name, known, at)


def _refuse_value(attribute: str, value: Template, known: Mapping[str, str], at: int) -> None:
    """FormError if a value is one capture, of a type that the attribute has not."""
    if attribute not in _TEXT_OF:
        _refuse(f"be {attribute!r}", _TAKE.get(attribute, _TEXTS), value, known, at)


def _refuse(
    what: str, taken: frozenset[str], value: Template, known: Mapping[str, str], at: int
) -> None:
    if value.whole and known[value.whole] not in taken:
        kinds = ", ".join(f"{{{kind}}}" for kind in sorted(taken))
        says = f"{{{known[value.whole]}}} cannot {what}: one of these can: {kinds}"
        raise FormError(at, says)


# --- compiled -------------------------------------------------------------------------------------


class Template(Struct, frozen=True):
    """Text with captures in it: pieces and the labels between them. `whole` is the label of a
    template that is one.
    """

    pieces: tuple[str, ...]
    labels: tuple[str, ...]
    whole: str = ""

    def fill(self, captured: Mapping[str, Captured]) -> str:
        text = [self.pieces[0]]
        for label, piece in zip(self.labels, self.pieces[1:], strict=True):
            text += [captured[label].text, piece]
        return "".join(text)


class Clause(Struct, frozen=True):
    """One clause: of what (`on`, None for what the block opened), which attribute, how, and to what
    value. `several`: `where` is a list of ports, as the texts write it. `when` is a form that must
    be said of a port, or with False must not.
    """

    attribute: str
    operator: str
    value: Template | None = None
    on: str = ""
    where: Template | None = None
    several: bool = False
    when: tuple[str, bool] | None = None

    @property
    def labels(self) -> set[str]:
        return {
            label for template in (self.value, self.where) if template for label in template.labels
        }


_TEMPLATE = re.compile(r"\{([A-Za-z][\w-]*)\}")
_ON = re.compile(r"\s*on\s+([a-z]+)\s*([^:]*?)\s*:")
_STATEMENT = re.compile(r"\s*([a-z][a-z ]*?)\s*(=|\+|-)\s*(.*?)\s*\Z", re.DOTALL)
_WHEN = re.compile(r"\s*(when|unless)\s+'([^']+)'\s*:")
_WORDS = re.compile(r"\s*(?:([a-z][a-z ]*?)\s+(unset)|is\s+(there|gone|bare))\s*\Z")


def parse_template(text: str, known: Mapping[str, str], at: int = 0) -> Template:
    """A template, its captures among `known` (label -> type). FormError marks what is not."""
    pieces, labels, end = [], [], 0
    for capture in _TEMPLATE.finditer(text):
        # The captures of a form and of the blocks around it are all there is.
        if capture[1] not in known:
            names = ", ".join(sorted(known)) or "none"
            raise FormError(
                at + capture.start(), f"{{{capture[1]}}} is not captured here (captured: {names})"
            )
        # What a secret took may not get into any value.
        if known[capture[1]] == "secret":
            raise FormError(
                at + capture.start(),
                "a secret is never kept: state that it is set, without its value",
            )
        pieces.append(text[end : capture.start()])
        labels.append(capture[1])
        end = capture.end()
    pieces.append(text[end:])
    return Template(tuple(pieces), tuple(labels), labels[0] if pieces == ["", ""] else "")


def parse_effect(effect: str, kind: str, known: Mapping[str, str]) -> tuple[Clause, ...]:
    """The clauses of an effect in a block that opens `kind`. FormError marks what is wrong."""
    clauses: list[Clause] = []
    start = 0
    for part in _parts(effect):
        # An empty clause is a mark too many, as at the end of a line.
        if part.strip():
            before = clauses[-1] if clauses else Clause("", "")
            clauses.append(_clause(part, start, kind, known, before))
        start += len(part) + 1
    return tuple(clauses)


def _parts(effect: str) -> list[str]:
    """The clauses of an effect; a `;` in a form that `when` names ends none."""
    parts = [""]
    # A mark within a quoted form is part of the form.
    for piece in re.split(r"(;|\b(?:when|unless)\s+'[^']*')", effect):
        if piece == ";":
            parts.append("")
        else:
            parts[-1] += piece
    return parts


class _About(NamedTuple):
    """What a clause is about: a kind of thing (`on`, "" for what the block is about), named by
    `where`, `several` of them; and under which condition.
    """

    on: str
    where: Template | None
    several: bool
    when: tuple[str, bool] | None

    def says(self, attribute: str, operator: str, value: Template | None) -> Clause:
        """The clause that says something of it."""
        return Clause(attribute, operator, value, self.on, self.where, self.several, self.when)


def _clause(part: str, start: int, kind: str, known: Mapping[str, str], before: Clause) -> Clause:
    """One clause, `part` of an effect, from `start` on. What it is about holds on from the clause
    `before`. Raises FormError.
    """
    subject, at = _subject(part, start, known, before)
    about = shared_kind(subject.on or kind)
    condition = _WHEN.match(part, at)
    if condition:
        if about != "port":
            raise FormError(start + condition.start(1), "only what is said of ports has conditions")
        subject = subject._replace(when=(condition[2], condition[1] == "when"))
        at = condition.end()
    lead = len(part[at:]) - len(part[at:].lstrip())
    where_at = start + at + lead
    attributes = ATTRIBUTES.get(about, {})
    words = _WORDS.match(part, at)
    # `is there` and the like have no value.
    if words:
        if words[1] and words[1] not in attributes:
            raise FormError(where_at, _no_such(words[1], about, attributes))
        if words[3] == "bare" and about != "port":
            raise FormError(where_at, "only a port can be bare: `is gone` takes other things away")
        return subject.says(words[1] or "", words[2] or words[3], None)
    stated = _STATEMENT.match(part, at)
    if stated is None:
        raise FormError(
            where_at, "a clause is `ATTRIBUTE = VALUE`, with + or - for =, or `ATTRIBUTE unset`"
        )
    if stated[1] not in attributes:
        raise FormError(where_at, _no_such(stated[1], about, attributes))
    return subject.says(stated[1], stated[2], _stated_value(stated, start, known, attributes))


def _subject(part: str, start: int, known: Mapping[str, str], before: Clause) -> tuple[_About, int]:
    """What a clause is about, and where what it says begins. Raises FormError."""
    target = _ON.match(part)
    if target is None:
        return _About(before.on, before.where, before.several, before.when), 0
    # A word that is no kind would make everything behind it mean something else.
    if target[1] not in KINDS:
        raise FormError(start + target.start(1), f"{target[1]!r} is not one of: {', '.join(KINDS)}")
    on = KINDS[target[1]]
    where = parse_template(target[2], known, start + target.start(2))
    refuse_name(on, where, known, start + target.start(2))
    if not target[2] and on != "device":
        raise FormError(start + target.end(1), f"which {on}? write `on {on} NAME:`")
    # A new subject: the condition was about the one before.
    return _About(on, where, target[1] == "ports", None), target.end()


def _stated_value(
    stated: re.Match[str], start: int, known: Mapping[str, str], attributes: Mapping[str, Any]
) -> Template:
    """The value that a clause states for an attribute. Raises FormError."""
    attribute, operator = stated[1], stated[2]
    one_less = operator == "-" and attribute in SINGLE_VLANS
    # Only sets grow and shrink; one VLAN can be taken back by naming it.
    if operator != "=" and attribute not in SETS and not one_less:
        raise FormError(
            start + stated.start(2), f"{attribute!r} is no set: only = can be written here"
        )
    value = parse_template(stated[3], known, start + stated.start(3))
    if not stated[3]:
        raise FormError(start + stated.end(2), "a value is missing")
    _refuse_value(attribute, value, known, start + stated.start(3))
    # A constant is read here already: a dialect that states nonsense is not used at all.
    if not value.labels:
        try:
            attributes[attribute](stated[3])
        except ValueError as error:
            raise FormError(start + stated.start(3), str(error).partition("\n")[0]) from None
    return value


def _no_such(attribute: str, kind: str, attributes: Mapping[str, Any]) -> str:
    if not attributes:
        return (
            f"this block opens nothing that {attribute!r} could be said of: write `on KIND NAME:"
            " ...`"
        )
    return f"{attribute!r} cannot be said of a {kind}: {', '.join(attributes)}"
