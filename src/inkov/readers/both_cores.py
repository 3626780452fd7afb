"""Reading on more than one core: another process reads a share of the files, and hands over what it
found.

What a file gave is sent as MessagePack, which msgspec writes and reads by the types of the model
several times faster than it could be pickled. A platform is sent as its name. Only systems that can
fork do this; on others, and for few files, one process reads all. Whatever becomes of the other
process, no file is left out: what it does not hand over is read here.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Mapping, Sequence
from ipaddress import (
    IPv4Interface,
    IPv4Network,
    IPv6Interface,
    IPv6Network,
    ip_interface,
    ip_network,
)
from typing import IO, Any

import msgspec

from inkov.campus import Address, Platform, Subnet
from inkov.campus.origin import FileName
from inkov.readers.reading import FileReport, Part
from inkov.vlanset import VlanSet

__all__ = ["Share", "read_share", "worth_it"]

Found = dict[str, tuple[FileReport, Part]]
_LEAST_FILES = 64
_LEAST_BYTES = 8 << 20


def worth_it(sizes: Sequence[int]) -> bool:
    """True if there is a second core, and enough to read that starting a process pays."""
    if not hasattr(os, "fork") or not hasattr(os, "sched_getaffinity"):
        return False
    many = len(sizes) >= _LEAST_FILES and sum(sizes) >= _LEAST_BYTES
    return many and len(os.sched_getaffinity(0)) > 1


class Share:
    """Files that another process reads; `collect` waits for it."""

    def __init__(self, child: int, file: IO[bytes], platforms: Mapping[str, Platform]) -> None:
        self._child = child
        self._file = file
        self._platforms = platforms

    def collect(self) -> Found:
        """What the other process found, by file; empty if it came to harm."""
        _, status = os.waitpid(self._child, 0)
        with self._file:
            # A child that died may have left half of its answer: nothing of it is used.
            self._file.seek(0)
            data = self._file.read() if status == 0 else b""
        try:
            results: Found = _DECODER.decode(data) if data else {}
        except msgspec.MsgspecError:
            return {}
        for _, part in results.values():
            for device in part.devices:
                # A platform that this process does not know cannot be put back: all is read here
                # then.
                if device.platform.name not in self._platforms:
                    return {}
                device.platform = self._platforms[device.platform.name]
        return results


def read_share(
    files: Sequence[str],
    read: Callable[[str], tuple[FileReport, Part] | None],
    platforms: Mapping[str, Platform],
) -> Share:
    """Start reading files in another process. `read` gives None for a file that is to be read here
    after all.
    """
    # Opened before the fork, so that both have it; it has no name and goes with the last of them.
    file = tempfile.TemporaryFile()  # noqa: SIM115
    child = os.fork()
    if child:
        return Share(child, file, platforms)
    status = 1
    try:
        results: Found = {}
        for name in files:
            result = read(name)
            # Pieces are put together from objects that do not travel; such files are read by the
            # parent.
            if result is not None and not result[1].pieces:
                for device in result[1].devices:
                    # Defaults are the same for thousands of ports: the name says which they are.
                    device.platform = Platform(device.platform.name, {})
                results[name] = result
        file.write(_ENCODER.encode(results))
        file.flush()
        status = 0
    finally:
        # Nothing of the parent's is to be run down here: no buffers, no exit handlers.
        os._exit(status)


def _encode(value: Any) -> Any:
    if isinstance(value, VlanSet):
        return value.bits.to_bytes((value.bits.bit_length() + 7) // 8, "little")
    if isinstance(value, IPv4Network | IPv6Network | IPv4Interface | IPv6Interface):
        return str(value)
    raise NotImplementedError(type(value))


def _decode(kind: Any, value: Any) -> Any:
    if kind is VlanSet:
        return VlanSet(int.from_bytes(value, "little"))
    if kind is FileName:
        return _NAMES.setdefault(value, value)
    if kind is Address:
        return ip_interface(value)
    if kind is Subnet:
        return ip_network(value)
    raise NotImplementedError(kind)


_NAMES: dict[str, str] = {}
_ENCODER = msgspec.msgpack.Encoder(enc_hook=_encode)
_DECODER: Any = msgspec.msgpack.Decoder(Found, dec_hook=_decode)
