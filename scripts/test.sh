#!/usr/bin/env bash
# Everything that is tested: format and lint, types, core, command line, server with its database, the real interface.
# With arguments, only the named test projects: npm test -- core server
. "$(dirname "$0")/common.sh"
install_postgres
install_modules
projects=("$@")
[ ${#projects[@]} -gt 0 ] || projects=(core server e2e)
args=()
for project in "${projects[@]}"; do args+=(--project "$project"); done
if [[ " ${projects[*]} " == *" e2e "* ]]; then install_chromium; fi
npx biome check --error-on-warnings .
npx tsc -b
bundle_programs
build_web
was_running=1
pgrep -f "^.*postgres -D $LOCAL/postgres" >/dev/null 2>&1 || was_running=0
start_postgres
if [ "$was_running" -eq 0 ]; then trap stop_postgres EXIT; fi
export GATE_CLOCK_TEST_POSTGRES=$PG_BASE
npx vitest run "${args[@]}"
