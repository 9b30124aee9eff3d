"""A check of 40 installs against 40 feeds, beside the outlet stand-in. The aim is at most 2 seconds."""

from __future__ import annotations

import os
import statistics
import tempfile
import time

from left_intact.demo.build import build_demo
from left_intact.standins.outlet import OutletServer
from left_intact.workbench import Workbench

INSTALLS, ROUNDS = 40, 7


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        room = build_demo(os.path.join(folder, "room"))
        server = OutletServer(room.outlet).start()
        bench = Workbench(os.path.join(folder, "home"))
        for number in range(INSTALLS):
            root = os.path.join(folder, "many", f"brindlemere-{number}")
            os.makedirs(root)
            with open(os.path.join(root, "VERSION"), "w", encoding="utf-8") as file:
                file.write("4.6.1\n")
            install = bench.library.register(root)
            bench.surveys.survey(install)
            bench.outlets.follow(
                install,
                f"{server.url}/feed/{('Brindlemere', 'Patchwright', 'Tarnlight')[number % 3]}.xml?{number}",
            )
        times = []
        for _ in range(ROUNDS):
            began = time.perf_counter()
            bench.outlets.look_for_news()
            times.append(time.perf_counter() - began)
        again = statistics.median(times[1:])
        print(
            f"{INSTALLS} installs, {INSTALLS} feeds: first {times[0]:.2f} s, then (304) median {again:.2f} s"
        )
        server.shutdown()


if __name__ == "__main__":
    main()
