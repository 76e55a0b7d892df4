#!/usr/bin/env bash
# Builds the package as it would be released, and tries it where nothing else is:
#   the wheel is the same whenever and wherever it is built, from the checkout or from the source archive;
#   in a fresh virtual environment, the wheel with nothing but what it asks for plays the whole demo, and takes less than 60 MB.
set -eu
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
SOURCE_DATE_EPOCH=$(git log -1 --format=%ct 2>/dev/null || date +%s)
export SOURCE_DATE_EPOCH

python3 -m venv "$work/builder"
"$work/builder/bin/pip" install -q 'setuptools>=77'
built() { (cd "$1" && "$work/builder/bin/python" -c 'import sys
from setuptools import build_meta
getattr(build_meta, f"build_{sys.argv[1]}")(sys.argv[2])' "$2" "$3" >"$work/log" 2>&1) || { cat "$work/log"; exit 1; }; }
copied() { mkdir "$2" && git -C "$1" ls-files -z | (cd "$1" && xargs -0 cp -P --parents -t "$2"); }

copied "$PWD" "$work/one"
copied "$PWD" "$work/two"
built "$work/one" sdist "$work/archive"
mkdir "$work/unpacked" && tar -xzf "$work"/archive/*.tar.gz -C "$work/unpacked" --strip-components=1
built "$work/one" wheel "$work/wheel"
built "$work/two" wheel "$work/again"
built "$work/unpacked" wheel "$work/from-archive"
for other in again from-archive; do
  cmp "$work"/wheel/*.whl "$work/$other"/*.whl || { echo "the wheel is not the same when it is built again ($other)"; exit 1; }
done

python3 -m venv "$work/fresh"
before=$(du -sm "$work/fresh" | cut -f1) began=$(date +%s)
"$work/fresh/bin/pip" install -qq -c constraints.txt "$work"/wheel/*.whl
installed=$(($(du -sm "$work/fresh" | cut -f1) - before))
echo "installed: $installed MB in $(($(date +%s) - began)) s"
[ "$installed" -lt 60 ] || { echo "the install takes 60 MB or more"; exit 1; }
"$work/fresh/bin/python" -m pip check
mkdir "$work/home" && cd "$work/home"
HOME="$work/home" "$work/fresh/bin/saltcart" demo >"$work/log" 2>&1 || { tail -20 "$work/log"; exit 1; }
echo "the demo plays to its end: $(grep -c "^\$ " "$work/log") commands"
HOME="$work/home" "$work/fresh/bin/saltcart" help manual | head -1 || true
