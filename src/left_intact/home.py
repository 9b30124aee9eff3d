"""Where the library, settings and logs live when nobody says otherwise."""

from __future__ import annotations


def default_home() -> str:
    """The platform's user data folder for Left Intact."""
    import platformdirs

    return platformdirs.user_data_dir("left-intact", appauthor=False)
