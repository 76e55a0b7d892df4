#!/usr/bin/env bash
# Runs the tests that can run there under a real Windows Python, with D:, E: and G: as drives.
#
#   tools/on_windows.sh [TEST...]      default: tests.windows
#   tools/on_windows.sh demo           the whole story of `saltcart demo` instead
#
# What is needed: a folder that holds a Windows CPython in `python/` and a compatibility layer's system in `prefix/`,
# named by SALTCART_WINDOWS (default: ~/.cache/saltcart-windows), and wine64.  Without these it says so, and that is
# no failure.  The system is copied, so that no test leaves anything behind; of this machine it sees nothing else.
set -eu
cd "$(dirname "$0")/.."
built=${SALTCART_WINDOWS:-$HOME/.cache/saltcart-windows}
layer=/usr/lib/wine/wine64
[ -x "$layer" ] && [ -e "$built/python/python.exe" ] || { echo "Windows: skipped, for it is not built on this machine"; exit 0; }

work=$(mktemp -d)
trap 'WINEPREFIX="$work/system" "${layer%wine64}wineserver64" -k 2>/dev/null || true; rm -rf "$work"' EXIT
cp -r --reflink=auto "$built/prefix" "$work/system"
rm -f "$work"/system/dosdevices/*
find "$work/system/drive_c/users" -type l -delete # links into the home folder of this machine
rm -rf "$work"/system/drive_c/users/*/Temp/* "$work"/system/drive_c/user*/me "$work"/system/drive_c/user
home="$work/system/drive_c/Program Files/Python"
cp -r --reflink=auto "$built/python" "$home"
mkdir "$work/d" "$work/e" "$work/g"
ln -s ../drive_c "$work/system/dosdevices/c:"
ln -s "$work/d" "$work/system/dosdevices/d:"
ln -s "$work/e" "$work/system/dosdevices/e:"
ln -s "$work/g" "$work/system/dosdevices/g:" # where a drive may come back

# The wheel of this checkout and what it needs, as they are for Windows.
quietly() { "$@" >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }; }
quietly python3 -m pip wheel -q --no-deps -w "$work" .
needs=$(python3 -c 'import tomllib; print(*tomllib.load(open("pyproject.toml", "rb"))["project"]["dependencies"])')
quietly python3 -m pip download -q --platform win_amd64 --python-version 311 --implementation cp --only-binary=:all: \
  -d "$work" $needs 'hypothesis>=6.90'
mkdir "$work/d/wheels" && mv "$work"/*.whl "$work/d/wheels"
cp -r tests "$home/Lib/site-packages/"

export WINEPREFIX="$work/system" WINEDEBUG=-all
cd "$work/d"
echo 0 > "$work/status"
# The layer knows pipes as standard streams, and no files.
on_windows() {
  { timeout "${SECONDS_AT_MOST:-2400}" "$layer" "$home/python.exe" -X utf8 "$@" </dev/null 2>&1 ||
    echo $? > "$work/status"; } | cat
}
on_windows -m ensurepip > "$work/log"
on_windows -m pip install -q --no-warn-script-location --no-index --find-links 'D:\wheels' saltcart hypothesis >> "$work/log"
[ "$(cat "$work/status")" = 0 ] || { cat "$work/log"; exit 1; }
rm -r "$work/d/wheels"
case ${1:-} in
  demo) on_windows -m saltcart demo ;;
  *) on_windows -m tests.windows "$@" ;;
esac
exit "$(cat "$work/status")"
