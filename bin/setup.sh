# Sourced by bin/demo and bin/test: installs what is missing. Quick when nothing is.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
# Servers and workers begin in half the time when they need not compile the program anew.
unset PYTHONDONTWRITEBYTECODE

need_packages() {
  local missing=()
  local package
  for package in "$@"; do
    dpkg-query -W -f='${db:Status-Status}' "$package" 2>/dev/null | grep -q '^installed$' || missing+=("$package")
  done
  [ ${#missing[@]} -eq 0 ] && return
  local as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    if ! command -v sudo >/dev/null; then
      echo "Missing Debian packages: ${missing[*]}. Install them as root (apt-get install ${missing[*]}), then run this again." >&2
      exit 1
    fi
    as_root=(sudo)
  fi
  echo "Installing Debian packages: ${missing[*]} …"
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get update -qq </dev/null
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" </dev/null >/dev/null
}

need_python() {
  local python
  for python in python3.13 python3.12 python3.11 python3; do
    if command -v "$python" >/dev/null && "$python" -c 'import sys, venv, ensurepip; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      break
    fi
    python=
  done
  if [ -z "$python" ]; then
    need_packages python3 python3-venv
    python=python3
    "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Schoon needs Python 3.11 or newer." >&2; exit 1; }
  fi
  local stamp
  stamp=$(cat requirements.lock pyproject.toml | sha256sum | cut -c1-16)
  if [ ! -x .venv/bin/schoon ] || [ "$(cat .venv/stamp 2>/dev/null)" != "$stamp" ]; then
    echo "Setting up the Python environment in .venv …"
    [ -x .venv/bin/python ] || "$python" -m venv .venv
    .venv/bin/python -m pip install --quiet --require-hashes -r requirements.lock
    .venv/bin/python -m pip install --quiet --no-deps --no-build-isolation -e .
    echo "$stamp" > .venv/stamp
  fi
}
