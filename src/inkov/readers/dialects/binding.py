"""Effects filled in: a clause with what the captures of a line took."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from msgspec import Struct

from inkov.readers.dialects.effects import (
    ATTRIBUTES,
    NUMBERED,
    OF_TREE_PORTS,
    SINGLE_VLANS,
    VLAN_SETS,
    Clause,
    Named,
    Template,
    TreeNumber,
    shared_kind,
)
from inkov.readers.dialects.forms import Captured
from inkov.readers.dialects.lists import Lists, Quoted, Wild
from inkov.readers.sheets.words import PORT_KEYS, BadLine, as_value, whole_number
from inkov.vlanset import VlanSet

__all__ = ["Bound", "bind", "keys_of"]


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
        # Negated, what is stated is taken back, and what is taken away comes.
        operator = {"=": "unset", "+": "-", "-": "+", "there": "gone", "gone": "there"}.get(
            operator, ""
        )
        # "Not this VLAN", without saying which: all of them.
        if operator == "-" and missing:
            operator = "unset"
        if not operator:
            return None
        # A negated statement that names nothing would undo something of everything.
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
    # What is there, gone or unset has no value.
    if clause.value is not None and operator in ("=", "+", "-"):
        read = ATTRIBUTES[shared_kind(clause.on or kind)][clause.attribute]
        value = _value(clause.attribute, clause.value, captured, read, lists)
    settable = (
        operator == "="
        and shared_kind(clause.on or kind) == "port"
        and not isinstance(value, Named)
    )
    # Most clauses just set an attribute: these are applied without looking anything up.
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
        # A list of ports that the dialect itself writes.
        if several and own is None:
            return (Wild("*"),) if text.strip() == "*" else tuple(lists.selected(text.split()))
        return (_port(template, captured, lists),)
    # By its number, not by its VLANs.
    word, _, number = text.strip().partition(" ")
    if kind == "tree" and word == NUMBERED:
        return (TreeNumber(whole_number(number.strip())),)
    if kind in ("vlan", "tree"):
        # A capture of a list names several things at once, by number or by name.
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
    # A bundle is one thing, even if the language writes it in several words.
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
    # `not {yes}` in an effect turns round what the word says.
    says = (word.lower() in lists.yes) is not (template.pieces[0].strip() == "not")
    for pair in (("off", "on"), ("no", "yes"), ("suspended", "active")):
        try:
            return read(pair[says])
        except ValueError:
            continue
    raise BadLine("yes or no cannot be said here")


def _port(template: Template, captured: Mapping[str, Captured], lists: Lists) -> str:
    """The one port that a template names."""
    # The capture is the name: words of its kind before it are left out as usual.
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
        # "all but" and a capture: everything that the list does not name.
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
        # A port or a VLAN plan writes device and port together.
        return tuple(lists.items(template.fill(captured).split()))
    elif attribute in SINGLE_VLANS and template.whole and captured[template.whole].type == "vlan":
        return Named((captured[template.whole].text,))
    elif attribute in OF_TREE_PORTS:
        # Ports first, and the value is the last word.
        *ports, value = template.fill(captured).split()
        return tuple(lists.ports(ports)), OF_TREE_PORTS[attribute](value)
    elif attribute == "entry":
        return _entry(template.fill(captured))
    elif attribute == "ports" and template.whole:
        return tuple(lists.ports(captured[template.whole].words))
    if len(template.labels) == 1 and captured[template.labels[0]].type == "yes":
        return _switched(template, captured[template.labels[0]].text, read, lists)
    text = template.fill(captured)
    # The template has captures and its value is a text: nothing of it is to be read further.
    if template.labels and read is as_value:
        # A captured text stands for itself, whatever it looks like.
        return _port(template, captured, lists) if attribute in ("bundle", "of") else text
    if attribute == "of":
        return _port(template, captured, lists)
    return read(text)
