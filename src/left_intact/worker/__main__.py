"""The worker process: messages come in by its standard input, and go out by what was its standard output.

Its parent is gone when the input ends: then it stops at the next step, puts back what it had begun, and ends.
"""

from __future__ import annotations

import gc
import os
import pickle
import signal
import sys
import threading
from typing import BinaryIO

from left_intact.worker.call import Message, worded
from left_intact.worker.hands import Hands
from left_intact.worker.lanes import Lanes


def main() -> None:
    """Serve until the input ends."""
    gc.set_threshold(100_000, 20, 100)  # columns and rows by the hundred thousand are no cycles
    for name in ("SIGINT", "SIGHUP"):  # the terminal's signals are for the screen; its end is the input's end
        if hasattr(signal, name):
            signal.signal(getattr(signal, name), signal.SIG_IGN)
    down, up = _pipes()
    one_at_a_time = threading.Lock()

    def tell(message: Message) -> None:
        try:
            data = pickle.dumps(message, pickle.HIGHEST_PROTOCOL)
        except Exception as error:  # noqa: BLE001 (a result that cannot cross is a fault of ours, and is said)
            data = pickle.dumps(("failed", message[1], worded(error)))
        with one_at_a_time:
            try:
                up.write(data)
                up.flush()
            except (OSError, ValueError):
                pass  # nobody listens any more; the input's end says so too

    hands = Hands(sys.argv[1])
    lanes = Lanes(hands, tell)
    threading.Thread(target=hands.warm_up, daemon=True).start()
    while True:
        try:
            lanes.take(pickle.load(down))
        except (EOFError, OSError, pickle.UnpicklingError):
            break
    lanes.end()


def _pipes() -> tuple[BinaryIO, BinaryIO]:
    """(from the parent, to the parent). What anything prints goes nowhere."""
    down, up = os.dup(0), os.dup(1)
    nowhere = os.open(os.devnull, os.O_RDWR)
    for number in (0, 1, 2):
        os.dup2(nowhere, number)
    os.close(nowhere)
    return os.fdopen(down, "rb"), os.fdopen(up, "wb")


if __name__ == "__main__":
    main()
