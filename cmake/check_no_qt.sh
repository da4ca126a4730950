#!/usr/bin/env bash
# Fails when one of the programs given links a Qt library.
set -eu
for program in "$@"; do
  if ldd "$program" | grep -i 'libqt'; then
    echo "$program links Qt"
    exit 1
  fi
done
echo "none of $# programs links Qt"
