"""Surveying an install: the tree, the classes, the version."""

from __future__ import annotations

import os
import time
from collections.abc import Mapping, Sequence
from dataclasses import replace

from left_intact.core.files.tree import Tree, read_tree, text_reader
from left_intact.core.files.versions import main_platform, read_binaries, read_versions
from left_intact.core.model.entry import Entry
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.release import Reading
from left_intact.core.model.survey import Survey
from left_intact.core.survey.classify import Known, classify

_BINARY_LIMIT = 64 << 20


def survey_install(
    root: str,
    known: Known,
    *,
    name: str = "",
    remembered: Mapping[str, Entry] | None = None,
    rules: Sequence[tuple[str, str]] = (),
    extra_readings: Sequence[Reading] = (),
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> tuple[Survey, Tree]:
    """Read and classify everything below `root`; changes nothing.

    `remembered` are entries of an earlier reading. Raises `LeftIntactError` (`no-folder`,
    `no-rights`) where the root itself cannot be read.
    """
    began = time.monotonic()
    tree = read_tree(root, known=remembered, report=report, cancel=cancel)
    report(Progress(stage="sorting", done=0, total=len(tree.entries)))
    survey = survey_tree(tree, known, name=name, rules=rules, extra_readings=extra_readings, cancel=cancel)
    return replace(survey, seconds=time.monotonic() - began), tree


def survey_tree(
    tree: Tree,
    known: Known,
    *,
    name: str = "",
    rules: Sequence[tuple[str, str]] = (),
    extra_readings: Sequence[Reading] = (),
    cancel: CancelToken | None = None,
) -> Survey:
    """Classify a tree that was read before, and read its version."""
    entries = tree.by_path()
    base = os.path.basename(tree.root)
    readings = list(extra_readings)
    readings += read_versions(base, entries, text_reader(tree.root), rules=rules)
    readings += read_binaries(name or base, entries, text_reader(tree.root, _BINARY_LIMIT))
    readings.sort(key=lambda r: -r.weight)
    return Survey(
        root=tree.root,
        findings=classify(tree.entries, known, cancel),
        folders=tree.folders,
        readings=tuple(dict.fromkeys(readings)),
        platform=main_platform(tree.entries, name or base),
        baseline=known.baseline.version_text or "on record" if known.baseline else "",
    )
