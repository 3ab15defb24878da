#!/usr/bin/env bash
# A PostgreSQL cluster of one's own on the loopback address, for tests: postgres.sh FOLDER up|stop|start|down [PORT].
# As root; it runs as the user postgres. `up` makes it and prints the address of its database; FOLDER/pass has the
# password as libpq reads it (PGPASSFILE).
set -eu
mkdir -p "$1"
folder=$(cd "$1" && pwd)
port=${3:-15433}
programs=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | tail -n 1)
if [ -z "$programs" ]; then echo "There is no PostgreSQL here: apt-get install postgresql" >&2; exit 1; fi
cd "$folder"
as() { TZ=UTC runuser -u postgres -- "$programs/$@"; }
start() { as pg_ctl -D "$folder/data" -w -l "$folder/data/log" -o "-c listen_addresses=127.0.0.1 -c port=$port -c unix_socket_directories=$folder -c fsync=off" start >/dev/null 2>&1 </dev/null; }
case $2 in
  up)
    chown postgres "$folder"
    printf 'secret' > "$folder/pw"
    chown postgres "$folder/pw"
    as initdb -D "$folder/data" -A scram-sha-256 --pwfile="$folder/pw" -E UTF8 --no-locale -N >/dev/null
    printf '127.0.0.1:*:*:postgres:secret\n127.0.0.1:*:*:studio:st\n127.0.0.1:*:*:guest:gu\n' > "$folder/pass"
    chmod 600 "$folder/pass"
    start
    PGPASSFILE="$folder/pass" psql -q -h 127.0.0.1 -p "$port" -U postgres -c "create role studio login password 'st'" \
      -c "create role guest login password 'gu'" -c "create database ledger owner studio"
    echo "postgresql://studio@127.0.0.1:$port/ledger" ;;
  start) start ;;
  stop) as pg_ctl -D "$folder/data" -m immediate stop >/dev/null ;;
  down) as pg_ctl -D "$folder/data" -m fast stop >/dev/null ;;
esac
