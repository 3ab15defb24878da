#!/usr/bin/env bash
# The tests of measuring and rendering on a scheduler's machines, on a Slurm of their own: cluster.sh LIBRARY. As root,
# on the loopback address.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
folder=$(mktemp -d)
port=$(Rscript --no-init-file -e 'cat(httpuv::randomPort(20000, 40000, "127.0.0.1"))')
trap '"$here/slurm.sh" "$folder" down || true; rm -rf "$folder"' EXIT
SLURM_CONF=$("$here/slurm.sh" "$folder" up "$port")
export SLURM_CONF CLOCKPIGEON_TEST_CLUSTER="$folder" CLOCKPIGEON_TEST_CLUSTER_SCRIPT="$here/slurm.sh" TZ=UTC
cd "$here/.."
# One after the other: they share the machines.
for file in 4-bench-queue 7-follow-queue; do Rscript --no-init-file tools/test.R "$1" "^$file\$"; done
