#!/usr/bin/env bash
# Fails when one of the programs given links a Qt library. --may Core,Network: these it may.
set -eu
may='^$'
if [ "${1:-}" = --may ]; then
  may="libQt6($(tr , '|' <<<"$2"))\."
  shift 2
fi
for program in "$@"; do
  if ldd "$program" | grep -i 'libqt' | grep -v -E "$may"; then
    echo "$program links Qt"
    exit 1
  fi
done
echo "none of $# programs links a Qt library that it may not"
