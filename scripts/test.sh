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
for tests in packages/core/test apps/server/test apps/web/test e2e; do npx tsc -p "$tests"; done
bundle_programs
build_web
was_running=1
pgrep -f "^.*postgres -D $LOCAL/postgres" >/dev/null 2>&1 || was_running=0
start_postgres
if [ "$was_running" -eq 0 ]; then trap stop_postgres EXIT; fi
export GATE_CLOCK_TEST_POSTGRES=$PG_BASE
status=0
# vitest by itself would leave one of two cores idle
if wanted core; then npx vitest run --project core --maxWorkers="$(($(nproc) > 2 ? $(nproc) - 1 : 2))" || status=$?; fi
if wanted server; then npx vitest run --project server || status=$?; fi
if wanted e2e; then npx vitest run --project e2e || status=$?; fi
exit "$status"
