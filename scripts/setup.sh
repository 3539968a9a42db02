# Sets up what is missing. Sourced by ./start and ./check; they run from the top of the repository.
set -euo pipefail
# Packages are not compiled when they are installed, but each module once, when it is first used: without what is
# kept of that, each of the many processes takes three seconds more to begin.
unset PYTHONDONTWRITEBYTECODE
export PIP_DISABLE_PIP_VERSION_CHECK=1 npm_config_update_notifier=false npm_config_fund=false npm_config_audit=false

say() { printf '%s\n' "$*"; }
stop_with() { printf 'fairlay: %s\n' "$*" >&2; exit 1; }

# need_package COMMAND PACKAGE: install a Debian package when its command is missing.
need_package() {
  command -v "$1" >/dev/null 2>&1 && return 0
  [ -x "/usr/sbin/$1" ] && return 0
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
    say "Installing $2 ..."
    if { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$2"; } >var/setup-packages.log 2>&1; then return 0; fi
    stop_with "$2 could not be installed (see var/setup-packages.log); install it by hand: apt-get install $2"
  fi
  stop_with "$1 is missing; install it as root: apt-get install $2"
}

find_python() {
  for python in python3.11 python3.12 python3.13 python3; do
    if command -v "$python" >/dev/null 2>&1 && "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then printf '%s' "$python"; return 0; fi
  done
  stop_with "Python 3.11 or newer is missing; install it as root: apt-get install python3.11 python3.11-venv"
}

# by_uv LOCKFILE: uv unpacks the packages of a lock file in a third of the time that pip takes.
by_uv() {
  .venv/bin/python -m pip install -q --require-hashes --no-deps --no-compile -r requirements-uv.lock &&
    VIRTUAL_ENV=.venv .venv/bin/uv pip install -q --require-hashes --no-deps -r "$1"
}

# set_up_python LOCKFILE: the virtual environment with just what the lock file names.
set_up_python() {
  local mark=".venv/.set-up-$1" python
  if [ ! -x .venv/bin/python ]; then
    python=$(find_python)
    "$python" -m venv .venv 2>var/setup.log || stop_with "no virtual environment could be made (see var/setup.log); install it as root: apt-get install python3-venv"
  fi
  if ! cmp -s "$1" "$mark" || [ ! -x .venv/bin/fairlay ]; then
    say "Installing Python packages of $1 ..."
    by_uv "$1" >var/setup.log 2>&1 || .venv/bin/python -m pip install -q --require-hashes --no-deps --no-compile -r "$1" >>var/setup.log 2>&1 || stop_with "Python packages could not be installed (see var/setup.log)"
    .venv/bin/python -m pip install -q --no-deps --no-build-isolation -e . >>var/setup.log 2>&1 || stop_with "fairlay itself could not be installed (see var/setup.log)"
    cp "$1" "$mark"
  fi
}

# What the built front end was built from, as one number.
ui_sources() { (cd ui && find src index.html package.json package-lock.json vite.config.ts tsconfig.json -type f -print0 | sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1); }

set_up_ui() {
  local sources
  command -v node >/dev/null 2>&1 || stop_with "Node 20 is missing; install it and npm"
  if ! cmp -s ui/package-lock.json ui/node_modules/.set-up 2>/dev/null; then
    say "Installing front-end packages ..."
    # Not "npm ci": it wants builds for every other machine in the lock, which not every mirror has.
    (cd ui && npm install --no-save --silent --no-progress) >var/setup-ui.log 2>&1 || stop_with "front-end packages could not be installed (see var/setup-ui.log)"
    cp ui/package-lock.json ui/node_modules/.set-up
  fi
  sources=$(ui_sources)
  if [ "$(cat ui/dist/.built-from 2>/dev/null)" != "$sources" ]; then
    say "Building the front end ..."
    (cd ui && npm run --silent build) >var/setup-ui.log 2>&1 || { cat var/setup-ui.log >&2; stop_with "the front end could not be built"; }
    printf '%s' "$sources" >ui/dist/.built-from
  fi
}

# Kernels are compiled once for each state of their sources, and kept beside them. They use each other alone.
warm_kernels() {
  local sources
  sources=$(find fairlay/core '(' -name '*kernels.py' -o -name compiled.py -o -name warm.py ')' -print0 | sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1)
  if [ "$(cat var/warmed 2>/dev/null)" != "$sources" ]; then
    say "Compiling kernels (once) ..."
    # What is kept is known by its own file alone, and one kernel is compiled into another.
    find fairlay/core -name '*.nb[ic]' -delete
    .venv/bin/fairlay warm
    printf '%s' "$sources" >var/warmed
  fi
}
