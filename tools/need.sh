#!/bin/sh
# Installs missing system packages where that is possible, and names them in one line where it is not.
missing=""
for package in "$@"; do
    case "$package" in
        xvfb) command -v Xvfb >/dev/null || missing="$missing $package" ;;
        fonts-*) dpkg -s "$package" >/dev/null 2>&1 || missing="$missing $package" ;;
        *) command -v "$package" >/dev/null || missing="$missing $package" ;;
    esac
done
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    { apt-get update -qq && apt-get install -y -qq $missing; } >/dev/null 2>&1 && exit 0
fi
echo "missing system packages:$missing. Install them with your package manager, then run this again." >&2
exit 1
