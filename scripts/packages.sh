#!/usr/bin/env bash
# Installs the Debian packages that are missing: database, browser, software GL.
set -euo pipefail
missing=()
[ -x /usr/lib/postgresql/15/bin/postgres ] || missing+=(postgresql-15)
if [ "${1:-}" = browser ]; then
  command -v chromium >/dev/null || missing+=(chromium)
  for p in libgl1-mesa-dri libegl1 libgles2; do
    dpkg -s "$p" >/dev/null 2>&1 || missing+=("$p")
  done
fi
[ ${#missing[@]} -eq 0 ] && exit 0
echo "Installing ${missing[*]}"
as_root=""
[ "$(id -u)" = 0 ] || as_root=sudo
$as_root apt-get update -qq
DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
