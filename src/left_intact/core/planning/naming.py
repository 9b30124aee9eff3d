"""What a folder is called by its version, and what one for another version would be called."""

from __future__ import annotations

import os

from left_intact.core.model.survey import Survey
from left_intact.core.model.version import version_in_name


def bears_its_version(root: str, survey: Survey) -> bool:
    """Whether the folder of an install bears its version: whoever keeps it so gives each build a folder."""
    named = version_in_name(os.path.basename(root))
    here = survey.reading.version if survey.reading is not None else None
    return named is not None and here is not None and named.compare(here) == 0


def named_for(root: str, version: str) -> str:
    """A sibling of a folder that is named for a version: in place of the one in its name, else after it."""
    above, base = os.path.split(root)
    clean = "".join(c if c.isalnum() or c in ".-_ " else "-" for c in version)
    known = version_in_name(base)
    if known is not None and known.text in base:
        return os.path.join(above, base.replace(known.text, clean))
    return os.path.join(above, f"{base}-{clean}")
