"""Where a fault of ours is written down, so that no traceback reaches a person."""

from __future__ import annotations

import logging
import os
from logging.handlers import RotatingFileHandler


def write_fault(home: str, text: str) -> str:
    """Append a fault to the log below `home`; returns the log's path."""
    from left_intact.core.files.private import private_folder, write_private

    path = os.path.join(private_folder(os.path.join(home, "logs")), "left-intact.log")
    if not os.path.exists(path):
        write_private(path, "")
    log = logging.getLogger("left_intact.faults")
    handler = RotatingFileHandler(path, maxBytes=1 << 20, backupCount=3, encoding="utf-8", errors="replace")
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    log.addHandler(handler)
    log.error(text)
    log.removeHandler(handler)
    handler.close()
    return path
