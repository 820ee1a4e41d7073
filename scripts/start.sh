#!/usr/bin/env bash
# Installs what is missing, starts PostgreSQL on loopback, builds, migrates, loads the demo, serves, prints the address.
. "$(dirname "$0")/common.sh"
install_postgres
install_modules
build_node
build_web
start_postgres
make_database gateclock
export GATE_CLOCK_DATABASE=$PG_BASE/gateclock
export GATE_CLOCK_WEB=$ROOT/apps/web/dist
export GATE_CLOCK_DEMO=$ROOT/designs
export GATE_CLOCK_PORT=${GATE_CLOCK_PORT:-4780}
exec node apps/server/dist/main.js
