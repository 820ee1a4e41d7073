#!/usr/bin/env bash
# Everything that is tested: format and lint, types, core, command line, server with its database, the real interface.
# With arguments, only the named test projects: npm test -- core server
. "$(dirname "$0")/common.sh"
install_postgres
install_modules
projects=("$@")
[ ${#projects[@]} -gt 0 ] || projects=(core server e2e)
wanted() { [[ " ${projects[*]} " == *" $1 "* ]]; }
for project in "${projects[@]}"; do
  case $project in
  core | server | e2e) ;;
  *) say "No tests are named '$project': there are core, server and e2e."; exit 2 ;;
  esac
done
if wanted e2e; then install_chromium; fi
npx biome check --error-on-warnings .
npx tsc -b
bundle_programs
build_web
was_running=1
pgrep -f "^.*postgres -D $LOCAL/postgres" >/dev/null 2>&1 || was_running=0
start_postgres
server_tests=
leave() {
  if [ -n "$server_tests" ]; then kill "$server_tests" 2>/dev/null || true; fi
  if [ "$was_running" -eq 0 ]; then stop_postgres; fi
}
trap leave EXIT
trap 'exit 130' INT TERM
export GATE_CLOCK_TEST_POSTGRES=$PG_BASE
status=0
# vitest by itself would leave one of two cores idle
if wanted core; then npx vitest run --project core --maxWorkers="$(($(nproc) > 2 ? $(nproc) - 1 : 2))" || status=$?; fi
# a good part of both is waiting, so they go side by side
if wanted server; then
  npx vitest run --project server >"$LOCAL/server-tests.log" 2>&1 &
  server_tests=$!
fi
if wanted e2e; then npx vitest run --project e2e || status=$?; fi
if wanted server; then
  wait "$server_tests" || status=$?
  server_tests=
  cat "$LOCAL/server-tests.log"
fi
exit "$status"
