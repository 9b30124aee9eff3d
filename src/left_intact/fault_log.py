"""Where a fault of ours is written down, so that no traceback reaches a person."""

from __future__ import annotations

import logging
import os
from logging.handlers import RotatingFileHandler


def write_fault(home: str, text: str) -> str:
    """Append a fault to the log below `home`; returns the log's path."""
    folder = os.path.join(home, "logs")
    os.makedirs(folder, exist_ok=True)
    path = os.path.join(folder, "left-intact.log")
    log = logging.getLogger("left_intact.faults")
    handler = RotatingFileHandler(path, maxBytes=1 << 20, backupCount=3, encoding="utf-8", errors="replace")
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    log.addHandler(handler)
    log.error(text)
    log.removeHandler(handler)
    handler.close()
    return path
