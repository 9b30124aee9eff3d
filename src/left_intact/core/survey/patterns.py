"""Path patterns of rulings and keepsheets.

`saves/` is a folder with all below it; `*` and `?` stay within one name; `**` crosses
folders; a pattern without a slash and with a star is met in any folder. Case counts.
"""

from __future__ import annotations

import re
from functools import lru_cache

_TOKEN = re.compile(r"\*\*/?|\*|\?|\[[^\]]+\]|[^*?\[]+|\[")


@lru_cache(maxsize=4096)
def _compiled(pattern: str) -> re.Pattern[str]:
    text = pattern
    out = "" if "/" in text.rstrip("/") or not re.search(r"[*?]", text) else "(?:.*/)?"
    for token in _TOKEN.findall(text.rstrip("/") if text != "/" else text):
        if token == "**/":
            out += "(?:.*/)?"
        elif token == "**":
            out += ".*"
        elif token == "*":
            out += "[^/]*"
        elif token == "?":
            out += "[^/]"
        elif token.startswith("[") and token.endswith("]"):
            out += token.replace("[!", "[^")
        else:
            out += re.escape(token)
    if text.endswith("/"):
        out += "(?:/.*)?"
    return re.compile(out, re.DOTALL)


def matches(pattern: str, path: str) -> bool:
    """Whether a path meets a pattern."""
    if pattern == path:
        return True
    return _compiled(pattern).fullmatch(path) is not None


def is_pattern(text: str) -> bool:
    return text.endswith("/") or any(c in text for c in "*?[")
