#!/bin/sh
# Captures ten seconds from a board in a rack and judges them: for a pipeline. The exit status is that of the check: 0 when
# every rule held, 1 when one failed, else why it could not be done. `bexto-rig instrument` stands in for the rack.
set -u
source=${1:?"usage: check-board.sh scpi://HOST:PORT"}
bexto-cli capture --source "$source" --rate 20MHz --for 10s \
  --bus sensors=i2c,scl=SCL,sda=SDA \
  --bus drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000 \
  --out board.bexto || exit $?
exec bexto-cli check board.bexto --format junit --out report.xml
