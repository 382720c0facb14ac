#!/usr/bin/env bash
# Installs the Debian packages that are missing: database, browser, software GL.
set -euo pipefail
missing=() browser=""
[ -x /usr/lib/postgresql/15/bin/postgres ] || missing+=(postgresql-15)
if [ "${1:-}" = browser ]; then
  # the browser without its own windows: these cost more than our pages do
  command -v chromium-headless-shell >/dev/null || browser=chromium-headless-shell
  for p in libgl1-mesa-dri libegl1 libgles2; do
    dpkg -s "$p" >/dev/null 2>&1 || missing+=("$p")
  done
fi
[ ${#missing[@]} -eq 0 ] && [ -z "$browser" ] && exit 0
echo "Installing ${missing[*]} $browser"
as_root=""
[ "$(id -u)" = 0 ] || as_root=sudo
install() { DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq --no-install-recommends "$@" >/dev/null; }
$as_root apt-get update -qq
[ ${#missing[@]} -eq 0 ] || install "${missing[@]}"
# where it cannot be had the whole one does as well, more slowly
[ -z "$browser" ] || install "$browser" || command -v chromium >/dev/null || install chromium
