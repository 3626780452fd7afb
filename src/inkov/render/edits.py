"""Edits in words: what was, what is, and where that is said."""

from __future__ import annotations

from enum import Enum
from typing import Any

from msgspec import Struct

from inkov.campus import Device, Fact, FilterEntry, Origin, Platform, Port, Vlan
from inkov.edits import Edit, Kind
from inkov.edits.edit import in_words, same
from inkov.edits.things import attributes
from inkov.harmless import safe
from inkov.readers import Locator
from inkov.render.text import place, plain
from inkov.vlanset import VlanSet

__all__ = [
    "change_in_words",
    "edit_json",
    "name_of_edit",
    "place_of_edit",
    "value_in_words",
    "what_of_edit",
]

_SHOWN = 4  # attributes of a thing that is told as a whole


def name_of_edit(edit: Edit) -> str:
    """The thing that is edited: `stg-1:4`, `stg-1 VLAN 20`, `cable stg-1:1 - core-1:3`."""
    # A switch by its name, a port behind its switch.
    if edit.kind is Kind.SWITCH:
        return edit.switch
    if edit.kind is Kind.PORT:
        return f"{edit.switch}:{edit.name}"
    return f"{edit.switch} {in_words(edit.kind)} {edit.name}".strip()


def what_of_edit(edit: Edit) -> str:
    """The attribute; "" for a thing as a whole."""
    return in_words(edit.attribute)


def change_in_words(edit: Edit, *, short: bool = False) -> str:
    """What was, and what is: of a set of VLANs what comes and goes; what is not stated any more
    with the default that holds then, and whose that is, if not `short`.
    """
    # It comes or goes as a whole.
    if edit.whole:
        thing = edit.after if edit.after is not None else edit.before
        about = thing_in_words(thing)
        return f"{'new' if edit.before is None else 'gone'}{f': {about}' if about else ''}"
    before, after = (
        _stated(edit.before, edit.was, short=short),
        _stated(edit.after, edit.becomes, short=short),
    )
    sets = _set_of(edit.before), _set_of(edit.after)
    # Of sets what comes and what goes, not two long lists.
    if sets[0] is not None and sets[1] is not None:
        signs = [f"+{sets[1] - sets[0]}" if sets[1] - sets[0] else ""]
        signs += [f"-{sets[0] - sets[1]}" if sets[0] - sets[1] else ""]
        return "  ".join(filter(None, signs))
    if edit.attribute == "values":  # of a planned port, those that differ
        return _differing(edit.before or {}, edit.after or {})
    # The make is the same, and its defaults are others.
    if isinstance(edit.before, Platform) and edit.before.name == edit.after.name:
        return f"{after}, by default {_differing(edit.before.unstated, edit.after.unstated)}"
    if edit.attribute == "entries":  # of a filter, those that come and go
        lists = [list(map(value_in_words, entries)) for entries in (edit.before, edit.after)]
        signs = [f"+({entry})" for entry in lists[1] if entry not in lists[0]]
        signs += [f"-({entry})" for entry in lists[0] if entry not in lists[1]]
        return "  ".join(signs) or "in another order"
    return f"{before} -> {after}"


def _differing(was: dict[str, Any], becomes: dict[str, Any]) -> str:
    """The values that differ, by their names."""
    names = [name for name in {**was, **becomes} if not same(was.get(name), becomes.get(name))]
    return "; ".join(
        f"{in_words(name)} {value_in_words(was.get(name))} -> {value_in_words(becomes.get(name))}"
        for name in names
    )


def _set_of(value: Any) -> VlanSet | None:
    inner = value.value if isinstance(value, Fact) else value
    return inner if isinstance(inner, VlanSet) else None


def _stated(value: Any, default: Fact[Any] | None, *, short: bool) -> str:
    if value is not None:
        return value_in_words(value)
    # Not stated, and no default that is known.
    if default is None:
        return "not stated"
    if short:
        return f"{value_in_words(default)} by default"
    whose = default.origin.says.partition(":")[0]
    return f"{value_in_words(default)} (not stated: {f'as of {whose}' if whose else 'a default'})"


def value_in_words(value: Any) -> str:
    """A value of the model in a few words."""
    if isinstance(value, Fact):
        return value_in_words(value.value)
    # A truth value is a number as well: asked first.
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Platform):
        return value.name
    if isinstance(value, Enum):
        return str(value.value)
    if isinstance(value, dict):
        return ", ".join(map(str, value)) or "none"
    if isinstance(value, (list, tuple)):
        return ", ".join(map(value_in_words, value)) or "none"
    if isinstance(value, Struct):
        return thing_in_words(value)
    return str(value)


def thing_in_words(thing: Any) -> str:
    """The first of what is stated of a thing."""
    if isinstance(thing, FilterEntry):
        source, destination = (end or "any" for end in (thing.source, thing.destination))
        some = "some of " if thing.finer else ""
        return f"{'passes' if thing.accepts else 'stops'} {some}{source} to {destination}"
    if isinstance(thing, Device):
        return f"{len(thing.ports)} ports"
    if isinstance(thing, Vlan):
        return thing.name.value if thing.name is not None else ""
    # A port that is shut does nothing else worth telling.
    if isinstance(thing, Port) and not thing.on:
        return "shut"
    stated = []
    for attribute in attributes(thing) if isinstance(thing, Struct) else ():
        value = getattr(thing, attribute)
        # Only what is stated.
        if isinstance(value, Fact) or (isinstance(value, tuple) and value):
            stated.append(f"{' '.join(attribute.split('_'))} {value_in_words(value)}")
    more = f", and {len(stated) - _SHOWN} more" if len(stated) > _SHOWN else ""
    return ", ".join(stated[:_SHOWN]) + more


def place_of_edit(edit: Edit, locator: Locator) -> str:
    """The place after the change, or where nothing says it any more, the one before."""
    old, new = edit.where
    return place(new or old or Origin(), locator)


def edit_json(edit: Edit, locator: Locator) -> dict[str, Any]:
    """The fixed shape. `where` are the places before and after, null where nothing says it;
    `by_default` is true where a default decides now.
    """
    return {
        "switch": safe(edit.switch) or None,
        "kind": str(edit.kind),
        "name": safe(edit.name),
        "attribute": edit.attribute or None,
        "before": _json_value(edit.before if edit.before is not None else edit.was),
        "after": _json_value(edit.after if edit.after is not None else edit.becomes),
        "where": [plain(origin, locator) if origin is not None else None for origin in edit.where],
        **({"by_default": True} if edit.by_default else {}),
    }


def _json_value(value: Any) -> Any:
    """A plain value; a thing as a whole in words."""
    if isinstance(value, Fact):
        return _json_value(value.value)
    if value is None or isinstance(value, (bool, int)):
        return value
    # A text is a sequence as well.
    if isinstance(value, (list, tuple)) and not isinstance(value, str):
        return [_json_value(item) for item in value]
    return safe(value_in_words(value))
