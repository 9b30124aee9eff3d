"""A check of 40 installs against 40 feeds, beside the outlet stand-in. The aim is at most 2 seconds."""

from __future__ import annotations

import os
import statistics
import tempfile
import time

from left_intact.core.model.progress import Progress
from left_intact.demo.build import build_demo
from left_intact.standins.outlet import OutletServer
from left_intact.workbench import Workbench

INSTALLS, ROUNDS, HANGING = 40, 7, 10


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        room = build_demo(os.path.join(folder, "room"))
        server = OutletServer(room.outlet).start()
        bench = Workbench(os.path.join(folder, "home"))
        for number in range(INSTALLS):
            root = os.path.join(folder, "many", f"brindlemere-{number}")
            os.makedirs(root)
            with open(os.path.join(root, "VERSION"), "w", encoding="utf-8") as file:
                file.write("4.4.2\n")
            install = bench.surveys.library.register(root)
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
        _with_some_that_hang(bench, room.outlet, folder)
        server.shutdown()


def _with_some_that_hang(bench: Workbench, served: str, folder: str) -> None:
    """The same with ten more that never answer: when the others are known, and when all is over."""
    hanging = OutletServer(served, 0, "hang").start()
    for number in range(HANGING):
        root = os.path.join(folder, "more", f"brindlemere-{number}")
        os.makedirs(root)
        with open(os.path.join(root, "VERSION"), "w", encoding="utf-8") as file:
            file.write("4.4.2\n")
        bench.outlets.follow(bench.surveys.library.register(root), f"{hanging.url}/feed/{number}.xml")
    began, others = time.perf_counter(), [0.0]

    def report(progress: Progress) -> None:
        if progress.done == INSTALLS:
            others.append(time.perf_counter() - began)

    bench.outlets.look_for_news(report=report)
    whole = time.perf_counter() - began
    known = max(others)
    print(f"{HANGING} more that hang: the others known after {known:.2f} s, all over after {whole:.1f} s")
    hanging.shutdown()


if __name__ == "__main__":
    main()
