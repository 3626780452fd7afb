"""What a document holds that is JSON or XML and no configuration: an error of the device, a
notification, or something else.
"""

from __future__ import annotations

from typing import Any

from inkov.readers.reading import REPORT

__all__ = ["remark_on"]

_MOST_NAMED = 4
_REPORTS = {"inkov-certificate", "findings", "claims", "testsuites"}
"""What Inkov's own answers hold, and reports of other tools that lie in the same place."""


def remark_on(form: str, tree: Any) -> str:
    """What a decoded document in a form (JSON, XML) holds that is no configuration."""
    holds = _what_else(tree)
    return holds if holds == REPORT else f"{form}, but {holds}"


def _what_else(tree: Any) -> str:
    names = list(tree) if isinstance(tree, dict) else []
    # Our own outputs lie beside configurations often, and would otherwise be told as faults.
    if _REPORTS & set(names) or {"$schema", "runs"} <= set(names):
        return REPORT
    plain = {name.rpartition(":")[2] for name in names}
    if plain & {"errors", "rpc-error"}:  # RFC 8040, 7.1; RFC 6241, 4.3
        tag = _first(tree, "error-message") or _first(tree, "error-tag") or "no reason is given"
        return f"an error that the device answered, no configuration: {tag}"
    # The same program's other output is read, so the cure is known.
    if "lldp" in plain:
        return "neighbours as lldpd prints them in XML, which is not read: print them with -f json"
    if plain & {"notification", "syncResponse", "update"}:
        return "a gNMI notification, which is not read: ask for the whole tree in one answer (Get)"
    listed = ", ".join(names[:_MOST_NAMED]) + (", ..." if len(names) > _MOST_NAMED else "")
    return f"with nothing that is read here (it holds: {listed or 'nothing'})"


def _first(tree: Any, name: str) -> str:
    """The first text of a name, anywhere in a tree."""
    todo = [tree]
    while todo:
        node = todo.pop()
        if isinstance(node, dict):
            for key, value in node.items():
                if key.rpartition(":")[2] == name and isinstance(value, str):
                    return value[:100]
                todo.append(value)
        elif isinstance(node, list):
            # Lists of errors are short; a long list is data, and the message is not in there.
            todo.extend(node[:_MOST_NAMED])
    return ""
