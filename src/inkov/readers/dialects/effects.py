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
from typing import Any

from msgspec import Struct

from inkov.campus import Private, TreeMode
from inkov.readers.dialects.forms import Captured, FormError
from inkov.readers.dialects.lists import Lists, Quoted, Wild
from inkov.readers.sheets.words import (
    DISTRIBUTION_KEYS,
    ON,
    PORT_KEYS,
    BadLine,
    as_value,
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
    "VLAN_SETS",
    "Bound",
    "Clause",
    "Named",
    "Template",
    "bind",
    "parse_effect",
    "parse_template",
    "refuse_name",
    "shared_kind",
]


class Named(Struct, frozen=True):
    """A list of VLANs, by number or by name, to be looked up once the whole file has been read."""

    items: tuple[str, ...]


_PORT: dict[str, Callable[[str], Any]] = {key: read for key, (_, read) in PORT_KEYS.items()} | {
    "bundle": as_value,
    "bridge": as_value,
    "address": one_address,
    "tree cost": whole_number,
    "tree priority": whole_number,
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
        {"name": as_value, "tree mode": one_of(values_of(TreeMode))}
        | {key: read for key, (_, read) in DISTRIBUTION_KEYS.items()}
    ),
    "tree": {
        "number": whole_number,
        "priority": whole_number,
        "vlans": VlanSet.parse,
        "cost": as_value,
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

_VLANS = {"vlan", "voice", "native", "pvid", "primary", "secondary", "tag"}
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
    **dict.fromkeys(_VLANS | {"vid"}, _ONE_VLAN),
    **dict.fromkeys(VLAN_SETS, _VLAN_LIST),
    **dict.fromkeys(("number", "priority", "tree cost", "tree priority"), _NUMBER),
    **dict.fromkeys(("mtu", "speed", "version", "revision"), _NUMBER),
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
    "vrf",
    "bridge",
    "filter in",
    "filter out",
    "entry",
    "cost",
}  # what is written, whatever it looks like
_NAMED_BY: dict[str, frozenset[str]] = {
    "port": _ONE_PORT | {"ports"},
    "vlan": _VLAN_LIST,
    "tree": _VLAN_LIST,
    "gateway": _ONE_VLAN,
}
"""Kind -> the types of capture that can name what a head opens, or what follows `on`."""


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


class Bound(Struct, frozen=True, gc=False):
    """A clause with its captures filled in. `keys` are the names or numbers that `on` names.

    `plain` is the port's attribute where the clause just sets it to a value that is known.
    `constant`: the value stands in the dialect, not in the text.
    """

    attribute: str
    operator: str
    value: Any = None
    on: str = ""
    keys: tuple[Any, ...] = ()
    plain: str = ""
    constant: bool = False
    when: tuple[str, bool] | None = None


_TEMPLATE = re.compile(r"\{([A-Za-z][\w-]*)\}")
_ON = re.compile(r"\s*on\s+([a-z]+)\s*([^:]*?)\s*:")
_STATEMENT = re.compile(r"\s*([a-z][a-z ]*?)\s*(=|\+|-)\s*(.*?)\s*\Z", re.DOTALL)
_WHEN = re.compile(r"\s*(when|unless)\s+'([^']+)'\s*:")
_WORDS = re.compile(r"\s*(?:([a-z][a-z ]*?)\s+(unset)|is\s+(there|gone|bare))\s*\Z")


def parse_template(text: str, known: Mapping[str, str], at: int = 0) -> Template:
    """A template, its captures among `known` (label -> type). FormError marks what is not."""
    pieces, labels, end = [], [], 0
    for capture in _TEMPLATE.finditer(text):
        if capture[1] not in known:
            names = ", ".join(sorted(known)) or "none"
            raise FormError(
                at + capture.start(), f"{{{capture[1]}}} is not captured here (captured: {names})"
            )
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
        if part.strip():
            before = clauses[-1] if clauses else Clause("", "")
            clauses.append(_clause(part, start, kind, known, before))
        start += len(part) + 1
    return tuple(clauses)


def _parts(effect: str) -> list[str]:
    """The clauses of an effect; a `;` in a form that `when` names ends none."""
    parts = [""]
    for piece in re.split(r"(;|\b(?:when|unless)\s+'[^']*')", effect):
        if piece == ";":
            parts.append("")
        else:
            parts[-1] += piece
    return parts


def _clause(part: str, start: int, kind: str, known: Mapping[str, str], before: Clause) -> Clause:
    on, where, several, when, at = before.on, before.where, before.several, before.when, 0
    target = _ON.match(part)
    if target:
        if target[1] not in KINDS:
            raise FormError(
                start + target.start(1), f"{target[1]!r} is not one of: {', '.join(KINDS)}"
            )
        on, several, at = KINDS[target[1]], target[1] == "ports", target.end()
        where = parse_template(target[2], known, start + target.start(2))
        refuse_name(on, where, known, start + target.start(2))
        if not target[2] and on != "device":
            raise FormError(start + target.end(1), f"which {on}? write `on {on} NAME:`")
        when = None
    condition = _WHEN.match(part, at)
    if condition:
        if shared_kind(on or kind) != "port":
            raise FormError(start + condition.start(1), "only what is said of ports has conditions")
        when, at = (condition[2], condition[1] == "when"), condition.end()
    about = shared_kind(on or kind)
    lead = len(part[at:]) - len(part[at:].lstrip())
    where_at = start + at + lead
    attributes = ATTRIBUTES.get(about, {})
    words = _WORDS.match(part, at)
    if words:
        if words[1] and words[1] not in attributes:
            raise FormError(where_at, _no_such(words[1], about, attributes))
        if words[3] == "bare" and about != "port":
            raise FormError(where_at, "only a port can be bare: `is gone` takes other things away")
        return Clause(words[1] or "", words[2] or words[3], None, on, where, several, when)
    stated = _STATEMENT.match(part, at)
    if stated is None:
        raise FormError(
            where_at, "a clause is `ATTRIBUTE = VALUE`, with + or - for =, or `ATTRIBUTE unset`"
        )
    attribute, operator = stated[1], stated[2]
    if attribute not in attributes:
        raise FormError(where_at, _no_such(attribute, about, attributes))
    one_less = operator == "-" and attribute in _VLANS
    if operator != "=" and attribute not in SETS and not one_less:
        raise FormError(
            start + stated.start(2), f"{attribute!r} is no set: only = can be written here"
        )
    value = parse_template(stated[3], known, start + stated.start(3))
    if not stated[3]:
        raise FormError(start + stated.end(2), "a value is missing")
    _refuse_value(attribute, value, known, start + stated.start(3))
    if not value.labels:
        try:
            attributes[attribute](stated[3])
        except ValueError as error:
            raise FormError(start + stated.start(3), str(error).partition("\n")[0]) from None
    return Clause(attribute, operator, value, on, where, several, when)


def _no_such(attribute: str, kind: str, attributes: Mapping[str, Any]) -> str:
    if not attributes:
        return (
            f"this block opens nothing that {attribute!r} could be said of: write `on KIND NAME:"
            " ...`"
        )
    return f"{attribute!r} cannot be said of a {kind}: {', '.join(attributes)}"


# --- filled in ------------------------------------------------------------------------------------


def bind(
    clause: Clause, captured: Mapping[str, Captured], kind: str, lists: Lists, *, negated: bool
) -> Bound | None:
    """The clause with its captures filled in; None where a negated statement leaves nothing to do.

    BadLine or VlanListError where a value is no value of the attribute.
    """
    operator = clause.operator
    value: Any = None
    missing = any(label not in captured for label in clause.labels)
    if missing and not negated:
        # Of several heads of a block each has captures of its own.
        raise BadLine("the head above does not say what this statement is about")
    if negated:
        operator = {"=": "unset", "+": "-", "-": "+", "there": "gone", "gone": "there"}.get(
            operator, ""
        )
        if operator == "-" and missing:
            operator = "unset"
        if not operator:
            return None
        of_what = clause.where is not None and any(
            label not in captured for label in clause.where.labels
        )
        if of_what or (operator == "+" and missing):
            raise BadLine(
                "the negated statement leaves out what it is about", "give it a form of its own"
            )
    keys: tuple[Any, ...] = ()
    if clause.where is not None:
        keys = keys_of(clause.on, clause.where, captured, lists, several=clause.several)
    if clause.value is not None and operator in ("=", "+", "-"):
        read = ATTRIBUTES[shared_kind(clause.on or kind)][clause.attribute]
        value = _value(clause.attribute, clause.value, captured, read, lists)
    settable = (
        operator == "="
        and shared_kind(clause.on or kind) == "port"
        and not isinstance(value, Named)
    )
    plain = PORT_KEYS[clause.attribute][0] if settable and clause.attribute in PORT_KEYS else ""
    constant = clause.value is not None and not clause.value.labels
    return Bound(clause.attribute, operator, value, clause.on, keys, plain, constant, clause.when)


def keys_of(
    kind: str,
    template: Template,
    captured: Mapping[str, Captured],
    lists: Lists,
    *,
    several: bool = False,
) -> tuple[Any, ...]:
    """The ports, VLANs, ... that a template names. `several`: a list of ports is meant."""
    own = captured[template.whole] if template.whole else None
    text = template.fill(captured)
    if kind == "port":
        if own is not None and own.type == "ports":
            return tuple(lists.selected(own.words))
        if several and own is None:
            return (Wild("*"),) if text.strip() == "*" else tuple(lists.selected(text.split()))
        return (_port(template, captured, lists),)
    if kind in ("vlan", "tree"):
        if own is not None and own.type in ("vids", "vlans"):
            return (
                (Named(tuple(lists.items(own.words))),)
                if own.type == "vlans"
                else (lists.vlans(own.words),)
            )
        if kind == "tree" or own is None or own.type == "vid":
            return (VlanSet.parse(text),)
        return (Named((text,)),)
    if kind == "gateway":
        return (Named((text,)),)
    if kind in ("bundle", "sub") and own is not None:
        return (lists.one_name(own.words),)
    if kind == "filter":
        return (text,)
    return () if kind == "device" else (lists.spelled(text),)


def _neighbour(text: str) -> tuple[str, str]:
    """A far device and its port, as `core-1:7` or `core-1 7`."""
    device, mark, port = text.partition(":") if ":" in text else text.partition(" ")
    if not device.strip() or not mark or not port.strip():
        raise BadLine(f"{text!r} is no device and port", "write the effect as {name}:{port}")
    return device.strip(), port.strip()


def _entry(text: str) -> tuple[str, str]:
    """The number of a filter's entry, "" for the next one, and the entry."""
    number, colon, entry = text.partition(":")
    return (number.strip(), entry) if colon and number.strip().isdigit() else ("", text)


def _switched(template: Template, word: str, read: Callable[[str], Any], lists: Lists) -> Any:
    """The value of an attribute that is one of two, by the language's words for yes and no; `not
    {yes}` in an effect turns it round.
    """
    says = (word.lower() in lists.yes) is not (template.pieces[0].strip() == "not")
    for pair in (("off", "on"), ("no", "yes"), ("suspended", "active")):
        try:
            return read(pair[says])
        except ValueError:
            continue
    raise BadLine("yes or no is no value here")


def _port(template: Template, captured: Mapping[str, Captured], lists: Lists) -> str:
    """The one port that a template names."""
    if template.whole:
        return lists.port(captured[template.whole].words)
    if not template.labels:
        return lists.port(template.fill(captured).split())
    # Made of several pieces, the name stands as it is put together.
    return lists.port([Quoted(lists.spelled(template.fill(captured)))])


def _value(
    attribute: str,
    template: Template,
    captured: Mapping[str, Captured],
    read: Callable[[str], Any],
    lists: Lists,
) -> Any:
    if attribute in VLAN_SETS:
        but = template.pieces[0].strip().lower() == "all but" and len(template.labels) == 1
        if template.whole or but:
            own = captured[template.labels[0]]
            vlans: Any = (
                Named(("but", *lists.items(own.words)) if but else tuple(lists.items(own.words)))
                if own.type in ("vlan", "vlans")
                else lists.vlans(own.words)
            )
            return ~vlans if but and isinstance(vlans, VlanSet) else vlans
    elif attribute == "neighbour":
        return _neighbour(template.fill(captured))
    elif attribute == "takes":
        return tuple(lists.items(template.fill(captured).split()))
    elif attribute in _VLANS and template.whole and captured[template.whole].type == "vlan":
        return Named((captured[template.whole].text,))
    elif attribute == "cost":
        *ports, cost = template.fill(captured).split()
        return tuple(lists.ports(ports)), whole_number(cost)
    elif attribute == "entry":
        return _entry(template.fill(captured))
    elif attribute == "ports" and template.whole:
        return tuple(lists.ports(captured[template.whole].words))
    if len(template.labels) == 1 and captured[template.labels[0]].type == "yes":
        return _switched(template, captured[template.labels[0]].text, read, lists)
    text = template.fill(captured)
    if template.labels and read is as_value:
        # A captured text stands for itself, whatever it looks like.
        return _port(template, captured, lists) if attribute in ("bundle", "of") else text
    if attribute == "of":
        return _port(template, captured, lists)
    return read(text)
