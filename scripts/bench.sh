#!/usr/bin/env bash
# Benchmarks, as ratios within one run. `npm run bench -- clients` asks the server alone: fifty clients with
# ten builds; `npm run bench -- queue`: how soon a build begins.
. "$(dirname "$0")/common.sh"
install_modules
if [ "${1:-}" = clients ] || [ "${1:-}" = queue ]; then
  install_postgres
  build_node
  start_postgres
  GATE_CLOCK_TEST_POSTGRES=$PG_BASE node "bench/$1.js" "${@:2}"
  exit
fi
npx tsc -b packages/core
node bench/language.js
echo
node --expose-gc bench/synthesis.js "$@"
echo
node bench/run.js "$@"
echo
node bench/timing.js
echo
node bench/pins.js
echo
node bench/layout.js "$@"
