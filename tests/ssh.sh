#!/usr/bin/env bash
# A machine to reach by SSH: this one, through an sshd on the loopback address: ssh.sh FOLDER up PORT, where it prints
# the folder of an `ssh` that knows its keys, for PATH; ssh.sh FOLDER down. As root.
set -eu
mkdir -p "$1/bin" /run/sshd
folder=$(cd "$1" && pwd)
case $2 in
  up)
    for key in host user; do [ -f "$folder/$key" ] || ssh-keygen -q -t ed25519 -N '' -f "$folder/$key"; done
    cp "$folder/user.pub" "$folder/authorized"
    cat > "$folder/sshd.conf" <<CONF
Port $3
ListenAddress 127.0.0.1
HostKey $folder/host
PidFile $folder/sshd.pid
AuthorizedKeysFile $folder/authorized
StrictModes no
PasswordAuthentication no
UsePAM no
AcceptEnv R_LIBS
CONF
    cat > "$folder/ssh.conf" <<CONF
Host *
  IdentityFile $folder/user
  UserKnownHostsFile $folder/known
  StrictHostKeyChecking accept-new
  LogLevel ERROR
  SendEnv R_LIBS
CONF
    printf '#!/bin/sh\nexec %s -F %s/ssh.conf "$@"\n' "$(command -v ssh)" "$folder" > "$folder/bin/ssh"
    chmod +x "$folder/bin/ssh"
    "$(command -v sshd)" -f "$folder/sshd.conf"
    echo "$folder/bin" ;;
  down)
    if [ -f "$folder/sshd.pid" ]; then kill "$(cat "$folder/sshd.pid")" 2>/dev/null || true; fi ;;
esac
