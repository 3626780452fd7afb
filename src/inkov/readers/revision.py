"""The files of a revision of a git repository, read by git itself: no checkout is touched, and what
attributes would do to files in one (leave them out, rewrite them) is not done.

The files are laid into a folder of their own, under names such as `main:configs/core-1.sheet`, so
that every place in an answer says which revision it is in.
"""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import PurePosixPath
from tempfile import TemporaryDirectory
from typing import NamedTuple

from inkov.readers.files import MAX_FILE_BYTES

__all__ = [
    "PREFIX",
    "BadRevision",
    "Changed",
    "Revision",
    "commit_of",
    "laid_out",
    "last_changed",
    "parse",
]

PREFIX = "rev:"
_LINK, _SUBMODULE = "120000", "160000"
_OF_HOOKS = ("GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE", "GIT_PREFIX")
_MOST_LINKS = 20  # one after another
_PATIENCE = 5.0  # seconds, for what is told besides


class BadRevision(ValueError):
    """What is wrong with a revision, and what to do about it, in one line."""


class Revision(NamedTuple):
    """A revision by its name in git, and the path within it; "" for that of the other side."""

    name: str
    path: str = ""


def parse(text: str) -> Revision | None:
    """`rev:NAME` or `rev:NAME:PATH`; None for what is a path."""
    # A file that is really called so is meant.
    if not text.startswith(PREFIX) or os.path.lexists(text):
        return None
    name, _, path = text.removeprefix(PREFIX).partition(":")
    if not name:
        raise BadRevision(f"{text} names no revision; write rev:main, or rev:main:configs")
    return Revision(name, path)


class _Blob(NamedTuple):
    mode: str
    object: str
    size: int
    path: str


@contextmanager
def laid_out(revision: Revision, beside: str = "") -> Iterator[tuple[str, list[str]]]:
    """A folder with the files of a revision, and what to read in it (paths from it). `beside` is
    the path of the other side, which is meant where the revision has none. Raises BadRevision.
    """
    path = revision.path or beside or "."
    top = os.fsdecode(_git(_where(revision, beside), "rev-parse", "--show-toplevel").rstrip(b"\n"))
    inside = os.path.relpath(os.path.realpath(path), os.path.realpath(top)).replace(os.sep, "/")
    # git would read another repository, or a part of this one that nobody named.
    if inside.startswith(".."):
        raise BadRevision(f"{path} is outside the repository {top}")
    inside = "" if inside == "." else inside
    commit = _commit(top, revision.name)
    blobs = _listed(top, commit, inside)
    if not blobs:
        raise BadRevision(f"there is no {inside or 'file'} in the revision {revision.name}")
    with TemporaryDirectory(prefix="inkov-") as folder:
        label = _label(revision.name, commit)
        links = any(blob.mode == _LINK for blob in blobs)
        every = _listed(top, commit, "") if inside and links else blobs  # a link may lead there
        try:
            _lay_out(top, blobs, every, folder, label)
        except OSError as error:
            says = f"cannot lay out the files of {revision.name} in {folder}"
            raise BadRevision(f"{says}: {(error.strerror or str(error)).lower()}") from None
        yield folder, [f"{label}:{inside}"] if inside else sorted(os.listdir(folder))


def _label(name: str, commit: str) -> str:
    """What a revision is called in names of files."""
    # A name that a path cannot hold as it is (with "..", hidden, an option) is told as the commit.
    parts = PurePosixPath(name).parts
    plain = name == "/".join(parts) and not any(p in ("..", "/") or p[:1] == "." for p in parts)
    return name if plain and not name.startswith("-") else commit[:12]


def commit_of(revision: Revision, beside: str = "") -> str:
    """The name of the commit that a revision means. Raises BadRevision."""
    return _commit(_where(revision, beside), revision.name)


class Changed(NamedTuple):
    """When a line was last changed: the day (ISO 8601), the commit ("" if it is in none yet), and
    the first line of what its author says of it.
    """

    day: str
    commit: str
    title: str


def last_changed(file: str, line: int = 0) -> Changed | None:
    """When a line of a file was last changed, or the file as a whole, as git knows it; None if it
    does not.
    """
    folder, name = os.path.split(os.path.realpath(file))
    safe = ("-c", "core.fsmonitor=false")  # what a repository wants to be run is not
    blame = (*safe, "blame", "--no-textconv", "--porcelain", "-L", f"{line},{line}", "--", name)
    log = (*safe, "log", "-1", "--no-show-signature", "--format=%H %ct %s", "--", name)
    try:
        out = _git(folder, *(blame if line else log), timeout=_PATIENCE)
    except BadRevision:
        return None
    # The whole file: the last commit that touched it.
    if not line:
        commit, _, more = out.decode("utf-8", "replace").strip().partition(" ")
        seconds, _, title = more.partition(" ")
        return Changed(_day(seconds), commit[:12], title) if seconds else None
    header = dict(row.partition(" ")[::2] for row in out.decode("utf-8", "replace").splitlines())
    commit = out[:40].decode("ascii", "replace")
    if "committer-time" not in header:
        return None
    day = _day(header["committer-time"])
    # git has a commit of zeros for lines that are in none yet.
    if not commit.strip("0"):
        return Changed(day, "", "")
    return Changed(day, commit[:12], header.get("summary", ""))


def _day(seconds: str) -> str:
    return datetime.fromtimestamp(int(seconds), UTC).date().isoformat()


def _where(revision: Revision, beside: str) -> str:
    """The folder whose repository is meant: where the user is, or what is at the other side."""
    if revision.path or not beside:
        return "."
    start = beside if os.path.isdir(beside) else os.path.dirname(beside)
    return start if os.path.isdir(start) else "."


def _commit(where: str, name: str) -> str:
    verify = ("rev-parse", "--verify", "--quiet", "--end-of-options", f"{name}^{{commit}}")
    try:
        return os.fsdecode(_git(where, *verify)).strip()
    except BadRevision as bad:
        # With --quiet git says nothing where it only does not know the name.
        if str(bad):
            raise
        raise BadRevision(f"git knows no revision {name!r} here") from None


def _listed(top: str, commit: str, inside: str) -> list[_Blob]:
    """The files at and below a path."""
    listing = _git(top, "ls-tree", "-r", "-l", "-z", "--full-tree", commit, "--", inside or ".")
    blobs = []
    for entry in listing.split(b"\0"):
        about, _, path = entry.partition(b"\t")
        if not path:
            continue
        mode, _, name, size = about.decode().split()
        # Its files are in another repository: without them the campus would have holes.
        if mode == _SUBMODULE:
            where = os.fsdecode(path)
            raise BadRevision(f"{where} is a repository of its own: compare it from within")
        blobs.append(_Blob(mode, name, int(size), os.fsdecode(path)))
    return blobs


def _lay_out(top: str, blobs: list[_Blob], every: list[_Blob], folder: str, label: str) -> None:
    """Write the files. One that is too large to be read gets its size, and nothing else; a link
    that leads out of the repository is left as one that leads nowhere.
    """
    by_path = {blob.path: blob for blob in every}
    targets = _contents(top, [blob.object for blob in every if blob.mode == _LINK])
    led = {blob.path: _led(blob, by_path, targets) for blob in blobs}
    read = [blob for blob in led.values() if blob is not None and blob.size <= MAX_FILE_BYTES]
    data = _contents(top, [blob.object for blob in read])
    for path, blob in led.items():
        target = os.path.join(folder, f"{label}:{path}")
        # Git itself refuses such names; a repository made by hand may hold one that leads
        # elsewhere.
        if any(part in ("", ".", "..") for part in path.split("/")):
            raise BadRevision(f"a file called {path!r} in a revision is not read")
        os.makedirs(os.path.dirname(target), exist_ok=True)
        # A reader then says of it what it says of any link that leads nowhere.
        if blob is None:
            os.symlink("nowhere", target)
            continue
        with open(target, "wb") as file:
            if blob.object in data:
                file.write(data[blob.object])
            else:
                # The reader only looks at the size, and says that it is too large.
                file.truncate(blob.size)


def _led(blob: _Blob, by_path: dict[str, _Blob], targets: dict[str, bytes]) -> _Blob | None:
    """The file that one is, or that links lead to from it; None if they lead to none."""
    reached: _Blob | None = blob
    for _ in range(_MOST_LINKS):
        if reached is None or reached.mode != _LINK:
            return reached
        beside = os.path.dirname(reached.path)
        leads = os.path.normpath(os.path.join(beside, os.fsdecode(targets[reached.object])))
        reached = by_path.get(leads)
    # Links that go round, or on for longer than a file system follows them.
    return None


def _contents(top: str, objects: list[str]) -> dict[str, bytes]:
    """Object -> its bytes."""
    wanted = list(dict.fromkeys(objects))
    out = _git(top, "cat-file", "--batch", given="".join(f"{name}\n" for name in wanted).encode())
    contents: dict[str, bytes] = {}
    at = 0
    for name in wanted:
        # Each answer is "NAME TYPE SIZE", a line end, the bytes, a line end.
        end = out.index(b"\n", at)
        size = int(out[at:end].split()[2])
        contents[name] = out[end + 1 : end + 1 + size]
        at = end + 1 + size + 1
    return contents


def _git(where: str, *arguments: str, given: bytes = b"", timeout: float | None = None) -> bytes:
    """What git answers. BadRevision with its own words, if it fails, or takes too long."""
    git = shutil.which("git")
    if git is None:
        raise BadRevision("git is not installed, and only git can read a revision")
    # In a hook these say which repository is meant, from a folder that is not ours.
    inherited = {name: text for name, text in os.environ.items() if name not in _OF_HOOKS}
    quiet = {**inherited, "GIT_OPTIONAL_LOCKS": "0", "LC_ALL": "C"}
    command = [git, "-C", where or ".", *arguments]
    try:
        done = subprocess.run(
            command, check=False, input=given, capture_output=True, env=quiet, timeout=timeout
        )
    except subprocess.TimeoutExpired:
        raise BadRevision("git takes too long") from None
    if done.returncode:
        says = done.stderr.decode("utf-8", "replace").strip().partition("\n")[0]
        says = says.removeprefix("fatal: ")
        # Git names a folder as it sees it ("."), which tells a reader of the message nothing.
        if says.startswith("not a git repository"):
            says = f"{os.path.abspath(where or '.')}: not a git repository, nor within one"
        raise BadRevision(says)
    return done.stdout
