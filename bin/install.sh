# What bin/start and bin/test share: each step says what it does, and is skipped when nothing changed.

say() { printf '\033[1m%s\033[0m\n' "wemble: $*"; }
fail() { printf 'wemble: %s\n' "$*" >&2; exit 2; }

# hash FILE...: one hash over names and contents
hash_of() { sha256sum -- "$@" | sha256sum | cut -c1-16; }
# stamped NAME HASH: whether a step ran with just this input
stamped() { [ "$(cat ".venv/.stamp-$1" 2>/dev/null)" = "$2" ]; }
stamp() { printf '%s' "$2" > ".venv/.stamp-$1"; }

install_python() {
  local python wanted
  python=$(command -v python3.11 || command -v python3) || fail "Python 3.11 or newer is needed; install it and try again"
  "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || fail "Python 3.11 or newer is needed, $python is older"
  if [ ! -x .venv/bin/python ]; then
    say "making a Python environment in .venv"
    "$python" -m venv .venv || fail "python venv is missing; try: apt-get install python3-venv"
  fi
  wanted=$(hash_of requirements.txt pyproject.toml)
  if ! stamped python "$wanted"; then
    say "installing the Python packages"
    .venv/bin/python -m pip install --quiet --disable-pip-version-check -r requirements.txt
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
    stamp python "$wanted"
  fi
  .venv/bin/python -m compileall -q src  # every process starts half a second sooner, whatever the environment says of bytecode
}

install_node() {
  command -v node >/dev/null || fail "Node 20.19 or newer is needed; install it and try again"
  node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' ||
    fail "Node 20.19 or newer is needed, this is $(node --version)"
  local wanted
  wanted=$(hash_of frontend/package-lock.json)
  if ! stamped node "$wanted"; then
    say "installing the interface's packages"
    # npm 10 skips some of Vite's native packages; npm 11 does not.
    if [ "$(npm --version | cut -d. -f1)" -ge 11 ]; then (cd frontend && npm ci --no-audit --no-fund --loglevel=error)
    else (cd frontend && npx --yes npm@11 ci --no-audit --no-fund --loglevel=error); fi
    stamp node "$wanted"
  fi
}

build_interface() {
  local wanted
  wanted=$(find frontend/src frontend/public frontend/index.html frontend/vite.config.ts frontend/package-lock.json -type f | sort | xargs sha256sum | sha256sum | cut -c1-16)
  if ! stamped interface "$wanted" || [ ! -f src/wemble/web/static/index.html ]; then
    install_node
    say "building the interface"
    (cd frontend && npx vite build --logLevel error)
    stamp interface "$wanted"
  fi
}
