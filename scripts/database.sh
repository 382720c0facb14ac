#!/usr/bin/env bash
# Starts the project's own PostgreSQL cluster on loopback, creating it when it is
# not there, and prints the connection string of the database named by $1.
# The system's cluster is never touched. Started by root it runs as user postgres.
#
# Who connects needs a password, which is made with the cluster and can be read by its
# owner alone ($data/password). The application's role owns its databases and nothing else;
# pages of the cluster have checksums.
set -euo pipefail
name=${1:-velvetgrime}
bin=/usr/lib/postgresql/15/bin
data=${VELVETGRIME_DATA:-${XDG_DATA_HOME:-$HOME/.local/share}/velvetgrime}
run() { "$@"; }
if [ "$(id -u)" = 0 ]; then
  # user postgres cannot enter /root
  case "$data" in /root/*) data=/var/lib/velvetgrime ;; esac
  run() { (cd / && runuser -u postgres -- "$@"); }
fi
cluster=$data/cluster
secret=$data/password
mkdir -p "$data"
[ "$(id -u)" = 0 ] && chown postgres "$data"
exec 9>"$data/.lock" && flock 9
secret() { (umask 077 && od -An -N24 -tx1 /dev/urandom | tr -d ' \n' >"$1"); }
admin=velvetgrime_admin
if [ ! -f "$cluster/PG_VERSION" ]; then
  rm -rf "$cluster"
  secret "$secret"
  secret "$secret.admin"
  [ "$(id -u)" = 0 ] && chown postgres "$secret.admin"
  run "$bin/initdb" -D "$cluster" -U $admin --pwfile="$secret.admin" -A scram-sha-256 --data-checksums -E UTF8 --locale=C.UTF-8 >/dev/null
  echo "listen_addresses = '127.0.0.1'
unix_socket_directories = ''
max_connections = 60" >>"$cluster/postgresql.conf"
elif [ ! -f "$secret" ]; then # a cluster from before there was a password: it gets one, and checksums
  run "$bin/pg_ctl" -D "$cluster" -w -m fast stop >/dev/null 2>&1 || true
  run "$bin/pg_checksums" --enable -D "$cluster" >/dev/null
  secret "$secret"
  echo "velvetgrime" >"$data/.old"
fi
if ! run "$bin/pg_ctl" -D "$cluster" status >/dev/null 2>&1; then
  port=$(python3 -c 'import socket; s=socket.socket(); s.bind(("127.0.0.1",0)); print(s.getsockname()[1])' 2>/dev/null ||
    node -e 'const s=require("net").createServer().listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})')
  run "$bin/pg_ctl" -D "$cluster" -o "-p $port" -l "$cluster/server.log" -w start >/dev/null 9>&-
fi
port=$(sed -n 4p "$cluster/postmaster.pid")
at="host=127.0.0.1 port=$port sslmode=disable"
[ -f "$data/.old" ] && admin=velvetgrime # it was made with the application as its own administrator
[ -f "$secret.admin" ] || cp -p "$secret" "$secret.admin"
# by the environment, so that no list of processes shows a password
psql() { PGPASSWORD=$(cat "$secret.admin") "$bin/psql" "$at user=$admin dbname=postgres" -qAt -c "$1"; }
if [ ! -f "$data/.ready" ]; then
  if [ -f "$data/.old" ]; then
    psql "ALTER ROLE velvetgrime PASSWORD '$(cat "$secret")'"
    sed -i 's/\btrust$/scram-sha-256/' "$cluster/pg_hba.conf"
    run "$bin/pg_ctl" -D "$cluster" reload >/dev/null
  else
    psql "CREATE ROLE velvetgrime LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE PASSWORD '$(cat "$secret")'"
  fi
  touch "$data/.ready"
fi
[ "$(psql "SELECT 1 FROM pg_database WHERE datname='$name'")" = 1 ] || psql "CREATE DATABASE \"$name\" OWNER velvetgrime"
echo "$at user=velvetgrime password=$(cat "$secret") dbname=$name"
