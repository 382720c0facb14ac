#!/usr/bin/env bash
# Starts the project's own PostgreSQL cluster on loopback, creating it when it is
# not there, and prints the connection string of the database named by $1.
# The system's cluster is never touched. Started by root it runs as user postgres.
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
mkdir -p "$data"
[ "$(id -u)" = 0 ] && chown postgres "$data"
exec 9>"$data/.lock" && flock 9
if [ ! -f "$cluster/PG_VERSION" ]; then
  rm -rf "$cluster"
  run "$bin/initdb" -D "$cluster" -U velvetgrime -A trust -E UTF8 --locale=C.UTF-8 >/dev/null
  echo "listen_addresses = '127.0.0.1'
unix_socket_directories = ''
max_connections = 60" >>"$cluster/postgresql.conf"
fi
if ! run "$bin/pg_ctl" -D "$cluster" status >/dev/null 2>&1; then
  port=$(python3 -c 'import socket; s=socket.socket(); s.bind(("127.0.0.1",0)); print(s.getsockname()[1])' 2>/dev/null ||
    node -e 'const s=require("net").createServer().listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})')
  run "$bin/pg_ctl" -D "$cluster" -o "-p $port" -l "$cluster/server.log" -w start >/dev/null 9>&-
fi
port=$(sed -n 4p "$cluster/postmaster.pid")
dsn="host=127.0.0.1 port=$port user=velvetgrime sslmode=disable"
psql() { "$bin/psql" "$dsn dbname=postgres" -qAt -c "$1"; }
[ "$(psql "SELECT 1 FROM pg_database WHERE datname='$name'")" = 1 ] || psql "CREATE DATABASE \"$name\""
echo "$dsn dbname=$name"
