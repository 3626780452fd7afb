"""Lines that are shown as they stand may hold secrets: what looks like one is left out."""

from __future__ import annotations

import re

__all__ = ["without_secrets"]

_AFTER = re.compile(
    r"(?i)(?<![A-Za-z])((?:[a-z]+[-_])?(?:pass(?:word|wd|phrase|code)?|secret|psk|key|community|"
    r"token|credentials?|hash|"
    r"auth[a-z]*|md5|sha[0-9]*|snmp)(?:[-_][a-z]+)?)(?![A-Za-z])([\s:=\"'>]+)(?=\S).*",
    re.DOTALL,
)
_HASH = re.compile(
    r"\$[0-9A-Za-z]{1,8}\$\S+|"
    r"(?<![\w+/.-])(?=[A-Za-z+/]*[0-9])(?=[0-9+/]*[A-Za-z])[A-Za-z0-9+/]{20,}=*"
)


def without_secrets(text: str) -> str:
    """The text with what follows a word such as "password", and what looks like a hash, replaced by
    `...`.
    """
    return _HASH.sub("...", _AFTER.sub(r"\1\2...", text))
