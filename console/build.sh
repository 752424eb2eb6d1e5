#!/usr/bin/env bash
# Builds the console into dist/, doing again only what a change makes necessary. With "true" as its argument it skips linters and tests.
set -euo pipefail
cd "$(dirname "$0")"
skip_tests=${1:-false}

if [ ! -f node_modules/.stamp ] || [ package-lock.json -nt node_modules/.stamp ]; then
  npm ci --no-audit --no-fund --loglevel=error
  touch node_modules/.stamp
fi

newer() { # whether a source is newer than the file
  [ ! -f "$1" ] || [ -n "$(find src public index.html openapi.json package.json ./*.ts ./*.js -newer "$1" -print -quit)" ]
}

if [ "$skip_tests" != true ] && newer node_modules/.verified; then
  npm run --silent lint
  npm run --silent test
  touch node_modules/.verified
fi
if newer dist/.stamp; then
  npx vite build --logLevel warn
  touch dist/.stamp
fi
