# Shared by start, test and bench. Sourced, not run. Everything it does is safe to repeat.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
ROOT=$PWD
LOCAL=$ROOT/.local
mkdir -p "$LOCAL"

say() { printf '%s\n' "$*" >&2; }

as_root() {
  if [ "$(id -u)" -eq 0 ]; then "$@"
  elif command -v sudo >/dev/null 2>&1; then sudo "$@"
  else say "Needed, but not possible without root: $*"; return 1
  fi
}

# Debian packages that are not there yet: install_debian COMMAND-OR-FILE PACKAGE ...
install_debian() {
  local missing=()
  while [ $# -gt 1 ]; do
    if ! command -v "$1" >/dev/null 2>&1 && ! compgen -G "$1" >/dev/null 2>&1; then missing+=("$2"); fi
    shift 2
  done
  [ ${#missing[@]} -eq 0 ] && return 0
  say "Installing from Debian: ${missing[*]}"
  as_root apt-get update -qq
  DEBIAN_FRONTEND=noninteractive as_root apt-get install -y -qq --no-install-recommends "${missing[@]}" >"$LOCAL/apt.log" 2>&1 || { tail -n 20 "$LOCAL/apt.log" >&2; return 1; }
}

install_postgres() { install_debian '/usr/lib/postgresql/*/bin/postgres' postgresql; }
install_chromium() { install_debian chromium chromium chromedriver chromium-driver; }

# Node modules, again only when the lock file has changed.
install_modules() {
  local stamp=$LOCAL/modules.sha
  local now
  now=$(cat package-lock.json package.json | sha256sum | cut -c1-64)
  if [ -d node_modules ] && [ "$(cat "$stamp" 2>/dev/null || true)" = "$now" ]; then return 0; fi
  say "Installing node modules"
  # not `npm ci`: it wants every platform's optional packages in the lock file, ours holds this platform's
  npm install --no-save --no-fund --no-audit --loglevel=error >"$LOCAL/npm.log" 2>&1 || { tail -n 30 "$LOCAL/npm.log" >&2; return 1; }
  printf '%s' "$now" >"$stamp"
}

build_node() { npx tsc -b packages/core packages/contract apps/server apps/cli; }

# The web application, again only when something it is made of has changed.
build_web() {
  local stamp=$LOCAL/web.sha
  local now
  now=$(find apps/web packages -path '*/node_modules' -prune -o -path '*/dist' -prune -o -path '*/test' -prune -o -type f -print0 | sort -z | xargs -0 sha256sum | cat - package-lock.json | sha256sum | cut -c1-64)
  if [ -f apps/web/dist/index.html ] && [ "$(cat "$stamp" 2>/dev/null || true)" = "$now" ]; then return 0; fi
  say "Building the web application"
  npm run --silent build -w @gate-clock/web >"$LOCAL/web.log" 2>&1 || { tail -n 40 "$LOCAL/web.log" >&2; return 1; }
  printf '%s' "$now" >"$stamp"
}

# PostgreSQL on loopback, in a folder of the project. It refuses to run as root, so root hands it to the account that
# its package made; if that account cannot reach the project's folder, the data goes to a folder of its own.
start_postgres() {
  PG_BIN=$(ls -d /usr/lib/postgresql/*/bin | sort -V | tail -n 1)
  PG_DATA=$LOCAL/postgres
  PG_RUN=()
  if [ "$(id -u)" -eq 0 ]; then
    PG_RUN=(runuser -u postgres --)
    mkdir -p "$PG_DATA"
    chown postgres "$PG_DATA"
    if ! runuser -u postgres -- test -w "$PG_DATA"; then
      PG_DATA=/var/tmp/gate-clock-$(printf '%s' "$ROOT" | sha256sum | cut -c1-12)
      mkdir -p "$PG_DATA"
      chown postgres "$PG_DATA"
    fi
  fi
  mkdir -p "$PG_DATA"
  chmod 700 "$PG_DATA"
  # run from a folder that the account may read
  pushd / >/dev/null
  if ! "${PG_RUN[@]}" test -f "$PG_DATA/PG_VERSION"; then
    say "Making the database"
    "${PG_RUN[@]}" "$PG_BIN/initdb" -D "$PG_DATA" -U gateclock -A trust -E UTF8 --locale=C.UTF-8 >/dev/null
  fi
  if ! "${PG_RUN[@]}" "$PG_BIN/pg_ctl" -D "$PG_DATA" status >/dev/null 2>&1; then
    PG_PORT=$(node -e 'const s=require("net").createServer().listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})')
    "${PG_RUN[@]}" "$PG_BIN/pg_ctl" -D "$PG_DATA" -l "$PG_DATA/server.log" -w -o "-p $PG_PORT -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c fsync=on" start >/dev/null
  fi
  PG_PORT=$("${PG_RUN[@]}" sed -n 4p "$PG_DATA/postmaster.pid")
  popd >/dev/null
  PG_BASE=postgres://gateclock@127.0.0.1:$PG_PORT
}

stop_postgres() { (cd / && "${PG_RUN[@]}" "$PG_BIN/pg_ctl" -D "$PG_DATA" -m fast stop >/dev/null 2>&1) || true; }

make_database() {
  if [ -z "$("$PG_BIN/psql" "$PG_BASE/postgres" -tAc "SELECT 1 FROM pg_database WHERE datname='$1'")" ]; then
    "$PG_BIN/createdb" -h 127.0.0.1 -p "$PG_PORT" -U gateclock "$1"
  fi
}
