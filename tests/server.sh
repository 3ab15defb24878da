#!/usr/bin/env bash
# The ledger's tests on a PostgreSQL server of their own: server.sh LIBRARY [FILTER]. As root, on the loopback address.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
folder=$(mktemp -d)
chmod 711 "$folder"
port=$(Rscript --no-init-file -e 'cat(httpuv::randomPort(20000, 40000, "127.0.0.1"))')
trap '"$here/postgres.sh" "$folder" down "$port" || true; rm -rf "$folder"' EXIT
CLOCKPIGEON_TEST_SERVER=$("$here/postgres.sh" "$folder" up "$port")
export CLOCKPIGEON_TEST_SERVER PGPASSFILE="$folder/pass" TZ=UTC CLOCKPIGEON_TEST_LEDGERS=server
export CLOCKPIGEON_TEST_SERVER_FOLDER="$folder" CLOCKPIGEON_TEST_SERVER_SCRIPT="$here/postgres.sh"
cd "$here/.."
filter=${2:-'^(3-ledger|4-bench-(run|claim|crew|machine|trial)|4-import|4-probe|7-(place-job|settle-learned|watch-frames|record-fetch|settle-job)$)'}
Rscript --no-init-file tools/test.R "$1" "$filter"
if [ -z "${2:-}" ]; then Rscript --no-init-file tools/test.R "$1" --long '^long-storm$'; fi
