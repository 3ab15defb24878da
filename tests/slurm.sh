#!/usr/bin/env bash
# A Slurm of one's own on the loopback address, with two pretended machines: slurm.sh FOLDER up PORT, where it then
# prints the path of its configuration (for SLURM_CONF); slurm.sh FOLDER down; slurm.sh FOLDER lose|back MACHINE,
# where a machine and all that runs on it is gone at once, and is there again. As root. PORT and the three after it.
#
# Partitions: `farm`, all machines; `brief`, the same with a wall time of a minute; `first`, the same, whose jobs take
# the place of others. Each machine has two cores and pretends to have two GPUs.
set -eu
mkdir -p "$1"
folder=$(cd "$1" && pwd)
export SLURM_CONF=$folder/slurm.conf

# Ends a process by the file of its number, and waits until it is gone.
end_by() {
  [ -f "$1" ] || return 0
  local id
  id=$(cat "$1")
  kill "$2" "$id" 2>/dev/null || true
  for _ in $(seq 100); do kill -0 "$id" 2>/dev/null || break; sleep 0.05; done
  rm -f "$1"
}

# Those that a machine's daemon began, and all below them: the steps have the machine's name on their command line or
# in their environment.
end_steps() {
  local id
  for id in $(ps -eo pid=); do
    if grep -zqsx "SLURMD_NODENAME=$1" "/proc/$id/environ" && grep -zqsx "SLURM_CONF=$SLURM_CONF" "/proc/$id/environ"; then
      kill -9 "$id" 2>/dev/null || true
    fi
  done
  # The steps' own managers: children of init by now, and known by the folder of their sockets.
  for id in $(pgrep -x slurmstepd || true); do
    if ls -l "/proc/$id/fd" 2>/dev/null | grep -q "$folder/spool/$1/"; then kill -9 "$id" 2>/dev/null || true; fi
  done
}

case $2 in
  up)
    port=$3
    mkdir -p "$folder"/{log,munge,state,spool/n1,spool/n2}
    chmod 755 "$folder" "$folder/munge"
    host=$(hostname -s)
    cat > "$folder/gres.conf" <<CONF
Name=gpu File=/dev/null
Name=gpu File=/dev/zero
CONF
    cat > "$SLURM_CONF" <<CONF
ClusterName=pretended
SlurmctldHost=$host(127.0.0.1)
AuthType=auth/munge
AuthInfo=socket=$folder/munge/munge.socket
CryptoType=crypto/munge
SlurmUser=root
SlurmdUser=root
SlurmctldPort=$port
StateSaveLocation=$folder/state
SlurmdSpoolDir=$folder/spool/%n
SlurmctldPidFile=$folder/controller.pid
SlurmdPidFile=$folder/%n.pid
SlurmctldLogFile=$folder/log/controller.log
SlurmdLogFile=$folder/log/%n.log
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
SchedulerType=sched/backfill
SchedulerParameters=sched_min_interval=0,batch_sched_delay=0
SelectType=select/cons_tres
SelectTypeParameters=CR_Core
PreemptType=preempt/partition_prio
PreemptMode=CANCEL
KillWait=1
SlurmdTimeout=10
OverTimeLimit=0
GresTypes=gpu
ReturnToService=2
SlurmdParameters=config_overrides
MpiDefault=none
JobAcctGatherType=jobacct_gather/none
AccountingStorageType=accounting_storage/none
NodeName=n1 NodeHostname=$host NodeAddr=127.0.0.1 Port=$((port + 1)) CPUs=2 RealMemory=2000 Gres=gpu:2
NodeName=n2 NodeHostname=$host NodeAddr=127.0.0.1 Port=$((port + 2)) CPUs=2 RealMemory=2000 Gres=gpu:2
PartitionName=farm Nodes=n1,n2 Default=YES MaxTime=INFINITE State=UP PriorityTier=1
PartitionName=brief Nodes=n1,n2 MaxTime=1 State=UP PriorityTier=1
PartitionName=first Nodes=n1,n2 MaxTime=INFINITE State=UP PriorityTier=2
CONF
    if [ ! -f "$folder/munge.key" ]; then
      dd if=/dev/urandom of="$folder/munge.key" bs=1 count=256 status=none
      chmod 400 "$folder/munge.key"
    fi
    munged --force --key-file="$folder/munge.key" --socket="$folder/munge/munge.socket" \
      --pid-file="$folder/munge/munged.pid" --log-file="$folder/log/munged.log" --seed-file="$folder/munge/seed"
    MUNGE_SOCKET=$folder/munge/munge.socket slurmctld -c
    slurmd -N n1
    slurmd -N n2
    for _ in $(seq 300); do
      if sinfo -h -p farm -o '%D %t' 2>/dev/null | grep -q '^2 idle'; then echo "$SLURM_CONF"; exit 0; fi
      sleep 0.1
    done
    sinfo >&2
    tail -5 "$folder"/log/*.log >&2
    exit 1 ;;
  lose)
    end_by "$folder/$3.pid" -9
    end_steps "$3" ;;
  back)
    slurmd -N "$3"
    scontrol update nodename="$3" state=resume 2>/dev/null || true ;;
  down)
    scancel -u root 2>/dev/null || true
    sleep 1
    for one in n1 n2 controller munge/munged; do end_by "$folder/$one.pid" -TERM; done
    end_steps n1
    end_steps n2 ;;
esac
