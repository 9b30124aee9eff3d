"""`python -m tests.torture`; see `run`."""

import sys

from tests.torture.run import main

if __name__ == "__main__":
    sys.exit(main())
