"""Lines that are shown as they stand may hold secrets: what looks like one is left out.

Three things are taken for a secret: what follows a word such as "password", in a score of tongues,
what looks like a hash or a key by itself, and what follows a word that stands before a hash or a
key elsewhere. The last is learnt from the files of a run (`words_before_secrets`): a command
language has its own word for a password, and shows some of them encrypted, others not.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache

__all__ = ["without_secrets", "words_before_secrets"]

_AFTER = re.compile(
    r"(?:(?<![A-Za-z])|(?<=[a-z])(?=[A-Z]))"  # `key`, `shared-key`, `PrivateKey`; not `monkey`
    r"((?i:(?:[a-z]+[-_])?(?:pass(?:word|wd|phrase|code)?|secret|psk|key|community|"
    r"token|credentials?|hash|auth[a-z]*|md5|sha[0-9]*|snmp)(?:[-_][a-z]+)?))"
    r"(?![A-Za-z])([\s:=\"'>]+)(?=\S).*",
    re.DOTALL,
)
_ELSEWHERE = re.compile(  # the same words in other tongues
    r"(?i)((?:\b|(?<=[-_]))(?:pass?wort|kennwort|geheim\w*|schl(?:ü|ue)ssel|mot[ -]?de[ -]?passe|"
    r"cl(?:é|ef)|contrase(?:ñ|n)a|clave|senha|chave|parola|segreto|wachtwoord|sleutel|"
    r"l(?:ö|o)senord|adgangskode|passord|salasana|has(?:ł|l)o|heslo|jelsz(?:ó|o)|parool|şifre|"
    r"sifre|пароль|ключ|κωδικός)(?=[\s:=\"'>])|密码|密碼|口令|パスワード|暗証|암호|비밀번호)"
    r"([\s:=\"'>]*)(?=\S).*",
    re.DOTALL,
)
_HASH = re.compile(
    r"\$[0-9A-Za-z]{1,8}\$\S+"
    r"|(?<![\w+/.-])(?=[A-Za-z+/]*[0-9])(?=[0-9+/]*[A-Za-z])"
    r"[A-Za-z0-9+/]{20,}=*(?:[._-][A-Za-z0-9+/_=-]+)*"
    r"|(?<![\w.:-])(?=[0-9]*[A-Fa-f])[0-9A-Fa-f]{16,}(?![\w.:-])"
)
_SURE = re.compile(r"\$[0-9A-Za-z]{1,8}\$\S+|(?=(?:\D*\d){3})(?=\d*[A-Za-z])[A-Za-z0-9+/]{20,}=*\Z")
"""A hash or a key, and not just a long name: what a word is learnt from."""
_WORD = re.compile(r"[A-Za-z][A-Za-z-]+\Z")


_MOST_WORDS = 50  # a language has one or two; more are made up to cost time


def words_before_secrets(lines: Iterable[str]) -> frozenset[str]:
    """The words that stand before what looks like a hash or a key, in small letters."""
    telling: set[str] = set()
    for line in lines:
        words = line.split()
        for at, word in enumerate(words):
            # The first word of a line cannot follow a word.
            if at and _SURE.match(word.strip("\"';")):
                # A number between the two says how the secret is written.
                before = [w for w in words[:at] if _WORD.match(w)]
                telling.update(w.lower() for w in before[-1:])
                if len(telling) >= _MOST_WORDS:
                    return frozenset(telling)
    return frozenset(telling)


@lru_cache(maxsize=16)
def _after(words: frozenset[str]) -> re.Pattern[str]:
    listed = "|".join(map(re.escape, sorted(words)))
    return re.compile(rf"(?is)(?<![A-Za-z])({listed})(?![A-Za-z])(\s+)(?=\S).*")


def without_secrets(text: str, words: frozenset[str] = frozenset()) -> str:
    """The text with what follows a word such as "password" or one of `words`, and what looks like a
    hash, replaced by `...`.
    """
    # Words learnt from the files come first: they know more of the language than we do.
    if words:
        text = _after(words).sub(r"\1\2...", text)
    text = _ELSEWHERE.sub(r"\1\2...", _AFTER.sub(r"\1\2...", text))
    # Last what looks like a secret wherever it stands: some follow no word at all.
    return _HASH.sub("...", text)
