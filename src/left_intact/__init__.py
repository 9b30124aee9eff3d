"""Left Intact: upgrades programs in place and leaves what is the person's intact."""

__version__ = "0.2.0"
