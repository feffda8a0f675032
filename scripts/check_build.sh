#!/usr/bin/env bash
# Builds the wheel and the source archive, installs each in a clean environment with every Python that
# is here, and runs the demo: what a user gets from them must work.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
python3 -m venv "$work/build"
"$work/build/bin/python" -m pip install --quiet --disable-pip-version-check build
"$work/build/bin/python" -m build --outdir "$work/dist" . >/dev/null
ls "$work/dist"
for version in 3.11 3.12 3.13 3.14; do
  python=$(command -v "python$version" || true)
  if [ -z "$python" ] || ! "$python" --version >/dev/null 2>&1; then
    echo "$version: not here"
    continue
  fi
  for made in "$work"/dist/*; do
    rm -rf "$work/venv" "$work/demo"
    "$python" -m venv "$work/venv"
    "$work/venv/bin/python" -m pip install --quiet --disable-pip-version-check "$made"
    export BOREOTABULA_CACHE="$work/cache"
    "$work/venv/bin/boreotabula" demo "$work/demo" >"$work/said" 2>&1 || true
    grep -q "3,392 records from 24 of 24 files" "$work/said"
    "$work/venv/bin/python" - "$work/demo/stock.toml" <<'END'
import sys, pathlib, boreotabula
run = boreotabula.extract(boreotabula.Layout.load(sys.argv[1]))
assert run.records.num_rows == 3392 and run.exit_status == 1
assert pathlib.Path(boreotabula.__file__).with_name("py.typed").is_file()
END
    echo "$("$python" --version): $(basename "$made") works"
  done
done
