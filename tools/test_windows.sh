#!/bin/sh
# The core's tests and the whole demo (every route, there and back) with a Windows Python; says so in one line where that cannot
# be had. `sh tools/test_windows.sh tests/routes tests/hostile` runs other tests there instead.
set -u
cd "$(dirname "$0")/.."
sh tools/windows.sh build/windows
case $? in
    0) ;;
    3) echo "the tests on Windows were left out" >&2; exit 0 ;;
    *) exit 1 ;;
esac
run=build/windows/python
# What a law says in its thousand examples is looked at where that is quick (those of the routes only
# there); here a few show what differs.
export LEFT_INTACT_LAWS="${LEFT_INTACT_LAWS:-few}"
[ $# -gt 0 ] || set -- tests/core
"$run" -m pytest "$@" --ignore tests/routes/test_laws.py -o addopts= -q -p no:cacheprovider -n 2 --dist worksteal -rs || exit 1
rm -rf build/windows/room
"$run" -m left_intact --home build/windows/home demo --dir build/windows/room --unattended || exit 1
