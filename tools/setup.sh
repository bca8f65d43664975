# Sourced by ./start and ./check: makes the virtual environment and warms the compiled loops, once.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
PYTHON="${PYTHON:-python3}"
MARK=".setup/$(cat requirements.txt pyproject.toml | sha256sum | cut -c1-16)"

need_python() {
  "$PYTHON" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null || {
    echo "Ventaris needs Python 3.11 or newer; '$PYTHON' is not. Install it (apt-get install python3 python3-venv) or set PYTHON=/path/to/python3." >&2
    exit 1
  }
}

as_root() { if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo >/dev/null; then sudo "$@"; else return 1; fi; }

set_up() {
  [ -e "$MARK" ] && [ -x .venv/bin/python ] || install
  # Compiled loops are kept for each file by itself; what one file takes from another may be stale after a change.
  local loops; loops=".setup/loops-$(grep -rl numba ventaris --include=*.py | sort | xargs cat | sha256sum | cut -c1-16)"
  [ -e "$loops" ] && return 0
  find ventaris -name "*.nb[ci]" -delete
  warm
  rm -f .setup/loops-*
  touch "$loops"
}

install() {
  need_python
  echo "Setting up (once; a few minutes) …"
  if [ ! -x .venv/bin/python ]; then
    "$PYTHON" -m venv .venv 2>/dev/null || { as_root apt-get install -y -qq python3-venv >/dev/null && "$PYTHON" -m venv .venv; } || {
      echo "The virtual environment could not be made. On Debian: apt-get install python3-venv" >&2; exit 1; }
  fi
  .venv/bin/python -m pip install -qq --disable-pip-version-check -r requirements.txt
  .venv/bin/python -m pip install -qq --disable-pip-version-check --no-deps -e .
  # The kernel that reads solid models is linked against two libraries of the screen, though it draws nothing.
  .venv/bin/python -c "import OCP.STEPCAFControl" 2>/dev/null ||
    { as_root apt-get update -qq && as_root apt-get install -y -qq libgl1 libx11-6; } >/dev/null 2>&1 ||
    echo "STEP files cannot be read here. On Debian: apt-get install libgl1 libx11-6"
  mkdir -p .setup && touch "$MARK"
}

warm() {
  echo "Compiling the flow solver's loops …"
  .venv/bin/python tools/warm.py
}

browser() {
  command -v chromium >/dev/null || command -v chromium-browser >/dev/null && return 0
  echo "Installing the browser package for the interface tests …"
  as_root apt-get update -qq >/dev/null && as_root apt-get install -y -qq chromium >/dev/null || {
    echo "Chromium could not be installed. On Debian: apt-get install chromium" >&2; exit 1; }
}
