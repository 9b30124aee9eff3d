"""The layers that a run put on record, as one row of the library: laid out in docs/formats.md."""

from __future__ import annotations

import json
import struct
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

from left_intact.core.model.layers import Layer
from left_intact.core.model.page_packing import pages_from_bytes, pages_to_bytes, squeezed, unsqueezed
from left_intact.core.model.pages import PagedEntries, pages_in
from left_intact.core.model.records import from_record, to_text
from left_intact.core.model.release import Reading, Release
from left_intact.core.model.stages import LayerKind

_LENGTHS = struct.Struct("<4sI")
_LENGTH = struct.Struct("<I")
_MAGIC, _ONE_RELEASE = b"LIL1", b"LIR1"


@dataclass(frozen=True, slots=True, kw_only=True)
class _Said:
    """What is said of a layer beside its entries."""

    name: str
    platform: str
    texts: Mapping[str, bytes]
    readings: tuple[Reading, ...]
    kind: LayerKind = LayerKind.RELEASE
    source: str = ""
    is_on: bool = True
    raises: bool = True
    is_mine: bool = False

    @staticmethod
    def of(layer: Layer) -> _Said:
        release = layer.release
        return _Said(
            name=release.name,
            platform=release.platform,
            texts=release.texts,
            readings=tuple(release.readings),
            kind=layer.kind,
            source=layer.source,
            is_on=layer.is_on,
            raises=layer.raises,
            is_mine=layer.is_mine,
        )

    def layer(self, entries: bytes) -> Layer:
        release = Release(
            name=self.name,
            entries=PagedEntries(pages_from_bytes(unsqueezed(entries))),
            texts=MappingProxyType(dict(self.texts)),
            readings=self.readings,
            platform=self.platform,
        )
        return Layer(
            kind=self.kind,
            release=release,
            source=self.source,
            is_on=self.is_on,
            raises=self.raises,
            is_mine=self.is_mine,
        )


def layers_to_row(layers: Iterable[Layer]) -> bytes:
    """What is said of them in JSON, then the entries of each as pages, all squeezed."""
    every = tuple(layers)
    head = squeezed(to_text(tuple(map(_Said.of, every))).encode())
    entries = [squeezed(pages_to_bytes(pages_in(layer.release.entries))) for layer in every]
    return b"".join((_LENGTHS.pack(_MAGIC, len(head)), head, *(_LENGTH.pack(len(e)) + e for e in entries)))


def layers_from_row(row: bytes) -> tuple[Layer, ...]:
    """The reverse; a row of version 0.2 is one release. Raises ValueError for anything else."""
    magic, length = _LENGTHS.unpack_from(row)
    end = _LENGTHS.size + length
    if magic == _ONE_RELEASE:
        said = from_record(_Said, json.loads(unsqueezed(row[_LENGTHS.size : end])))
        return (said.layer(row[end:]),)
    if magic != _MAGIC:
        raise ValueError("another beginning")
    layers = []
    for said in from_record(tuple[_Said, ...], json.loads(unsqueezed(row[_LENGTHS.size : end]))):
        (length,) = _LENGTH.unpack_from(row, end)
        start, end = end + _LENGTH.size, end + _LENGTH.size + length
        layers.append(said.layer(row[start:end]))
    return tuple(layers)
