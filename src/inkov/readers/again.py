"""Files that were read before, byte for byte: what they gave is taken from there.

Whoever compares two states of a campus reads most files twice. A file is read again only if its
bytes, its path below what was named, or a dialect is another one, or if anything was odd about it.
What is taken over names the file that was read first as its source: the line is the same in both.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.readers.reading import FileReport, Part

__all__ = ["Found", "Readings", "names_below"]

Found = dict[str, tuple[FileReport, Part]]


class Readings(Struct):
    """What files gave, by their paths below what was named, and the dialects they were read with
    (name -> bytes).
    """

    dialects: dict[str, bytes] = field(default_factory=dict)
    files: dict[str, tuple[bytes, FileReport, Part]] = field(default_factory=dict)

    def keep(self, name: str, data: bytes, report: FileReport, part: Part) -> None:
        """Keep what a file gave, if that is one whole device and nothing is odd about it."""
        # Odd is also a device told of by several files: it is put together anew each time.
        whole = len(part.devices) == 1 and not part.problems and not report.remark
        if whole and not part.pieces and not part.bindings and part.named:
            self.files[name] = data, report, part

    def same(self, names: dict[str, str], data_of: dict[str, bytes]) -> Found:
        """What files gave before, by file, of those that are the same ones. `names` are their paths
        below what was named, `data_of` their bytes.

        The devices are copies: what is done to a whole device later is not done to both. Their
        ports and tables are shared, so files that could be halves of a device (`assembly`) are left
        out: all of a folder, unless two of them tell of the same things.
        """
        unchanged: Found = {}
        told: dict[str, Counter[str]] = {}
        for file, data in data_of.items():
            # Equal bytes, not an equal time stamp: a file that was touched and put back is the
            # same.
            known = self.files.get(names[file])
            if known is not None and known[0] == data:
                _, report, part = known
                devices = [replace(device) for device in part.devices]
                unchanged[file] = replace(report, file=file), replace(part, devices=devices)
                told.setdefault(os.path.dirname(file), Counter()).update(part.about)
        twice = {folder for folder, about in told.items() if max(about.values(), default=0) > 1}
        return {
            file: result
            for file, result in unchanged.items()
            if not result[1].about or os.path.dirname(file) in twice
        }


def names_below(paths: Iterable[str], files: Iterable[str]) -> dict[str, str]:
    """File -> its path below the folder that was named; of a file that was named, its name."""
    folders = [os.path.join(path, "") for path in paths if os.path.isdir(path)]
    return {
        file: next(
            (file[len(folder) :] for folder in folders if file.startswith(folder)),
            os.path.basename(file),
        )
        for file in files
    }
