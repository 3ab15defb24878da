#!/usr/bin/env bash
# The tests of measuring and rendering on machines that a scheduler owns, and on one that is reached by SSH, on a Slurm
# and an sshd of their own: cluster.sh LIBRARY. As root, on the loopback address.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
folder=$(mktemp -d)
port() { Rscript --no-init-file -e 'cat(httpuv::randomPort(20000, 40000, "127.0.0.1"))'; }
trap '"$here/slurm.sh" "$folder" down || true; "$here/ssh.sh" "$folder/ssh" down || true; rm -rf "$folder"' EXIT
SLURM_CONF=$("$here/slurm.sh" "$folder" up "$(port)")
export SLURM_CONF CLOCKPIGEON_TEST_CLUSTER="$folder" CLOCKPIGEON_TEST_CLUSTER_SCRIPT="$here/slurm.sh" TZ=UTC
CLOCKPIGEON_TEST_SSH=$(port)
PATH=$("$here/ssh.sh" "$folder/ssh" up "$CLOCKPIGEON_TEST_SSH"):$PATH
export CLOCKPIGEON_TEST_SSH PATH
cd "$here/.."
# One after the other: they share the machines.
for file in 4-bench-queue 4-bench-nodes 7-place-queue; do Rscript --no-init-file tools/test.R "$1" "^$file\$"; done
