#!/usr/bin/env bash
# Vet for our packages alone: those that they use hand nothing on. Without this the library of Go and
# all that go.mod names is looked through in a fresh build, which takes half a minute.
set -euo pipefail
cfg=${*: -1}
if [[ $cfg == *.cfg ]]; then
  text=$(<"$cfg")
  if [[ $text =~ \"VetxOnly\":\ *true ]]; then
    [[ $text =~ \"VetxOutput\":\ *\"([^\"]*)\" ]] && : >"${BASH_REMATCH[1]}"
    exit 0
  fi
fi
exec "$(go env GOTOOLDIR)/vet" "$@"
