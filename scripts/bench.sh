#!/usr/bin/env bash
# Benchmarks, as ratios within one run.
. "$(dirname "$0")/common.sh"
install_modules
npx tsc -b packages/core
node bench/language.js
echo
node --expose-gc bench/synthesis.js "$@"
echo
node bench/run.js "$@"
