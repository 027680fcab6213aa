#!/bin/bash
# A private Slurm cluster of one node on the loopback interface, for tests and for trying things out.
#
#   slurm-local.sh start DIR    starts munged, slurmctld and slurmd; all their files are under DIR
#   slurm-local.sh stop DIR     cancels its jobs and ends what `start` started
#
# Then:  . DIR/env.sh ; sbatch …     Needs the packages slurm-wlm and munge. As root or not, several side by side.
set -u
PATH=/usr/sbin:/sbin:$PATH
umask 022
die() { echo "slurm-local: $*" >&2; exit 1; }
[ $# = 2 ] || die "use: $0 start|stop DIR"
dir=$(realpath -m -- "$2")

# When process $1 began (field 22 of its stat, counted behind its name): a number used anew has another.
began() { sed 's/.*) //' "/proc/$1/stat" 2>/dev/null | cut -d' ' -f20; }
# The process that we started as $1, if it is alive.
pid_of() {
  local pid start
  read -r pid start 2>/dev/null < "$dir/pids/$1" && [ -n "$start" ] && [ "$(began "$pid")" = "$start" ] &&
    ! grep -q ') Z ' "/proc/$pid/stat" && echo "$pid"
}
# $1: a name; then a command, run in a session of its own that holds none of our files open.
launch() {
  local name=$1
  shift
  (
    for fd in /proc/self/fd/*; do
      fd=${fd##*/}
      [ "$fd" -gt 2 ] && [ "$fd" != 255 ] && eval "exec $fd>&-"
    done 2>/dev/null
    exec setsid "$@" </dev/null >>"$dir/log/$name" 2>&1
  ) &
  echo "$! $(began $!)" >"$dir/pids/$name"
  disown
}
# $1: seconds; then a command that shall succeed within them.
await() {
  local tries=$(($1 * 20))
  shift
  while ! "$@" >/dev/null 2>&1; do
    tries=$((tries - 1))
    [ $tries -gt 0 ] || return 1
    sleep 0.05
  done
}
gone() { [ -z "$(pid_of "$1")" ]; }
end() {
  local pid
  pid=$(pid_of "$1") || return 0
  kill -TERM "$pid" 2>/dev/null
  await 5 gone "$1" || kill -KILL "$pid" 2>/dev/null
}
munge_is_up() { munge -S "$dir/munge/socket" -n | unmunge -S "$dir/munge/socket"; }
controller_is_up() { scontrol ping | grep -q 'is UP'; }
node_is_up() { sinfo -h -o %T | grep -qE 'idle|mixed|allocated|completing'; }
# A port that nobody listens on.
free_port() {
  local port
  while port=$((20000 + RANDOM % 12000)); (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; do :; done
  echo $port
}

configure() {
  local me controller=$1 node=$2
  me=$(id -un)
  cat >"$dir/slurm.conf" <<CONF
ClusterName=local
SlurmctldHost=localhost(127.0.0.1)
SlurmctldPort=$controller
SlurmUser=$me
SlurmdUser=$me
AuthType=auth/munge
CredType=cred/munge
AuthInfo=socket=$dir/munge/socket
CommunicationParameters=NoInAddrAny,NoCtldInAddrAny
StateSaveLocation=$dir/state
SlurmdSpoolDir=$dir/spool
SlurmctldPidFile=$dir/run/slurmctld.pid
SlurmdPidFile=$dir/run/slurmd.pid
SlurmctldLogFile=$dir/log/slurmctld.log
SlurmdLogFile=$dir/log/slurmd.log
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
JobAcctGatherType=jobacct_gather/none
AccountingStorageType=accounting_storage/none
SelectType=select/cons_tres
SelectTypeParameters=CR_Core_Memory
SchedulerParameters=batch_sched_delay=0,sched_interval=1,sched_min_interval=0,bf_interval=1
SwitchType=switch/none
MpiDefault=none
ReturnToService=2
SlurmdParameters=config_overrides
JobRequeue=0
KillWait=2
MessageTimeout=5
MinJobAge=${SLURM_LOCAL_MIN_JOB_AGE:-300}
MaxArraySize=${SLURM_LOCAL_MAX_ARRAY:-10001}
MaxJobCount=20000
InactiveLimit=0
PlugStackConfig=$dir/plugstack.conf
NodeName=localhost NodeAddr=127.0.0.1 NodeHostname=localhost Port=$node CPUs=64 RealMemory=16000 State=UNKNOWN
PartitionName=local Nodes=localhost Default=YES MaxTime=INFINITE DefMemPerCPU=100 State=UP
CONF
  : >"$dir/plugstack.conf"
  echo 'CgroupAutomount=no' >"$dir/cgroup.conf"
  printf 'export SLURM_CONF=%q\n' "$dir/slurm.conf" >"$dir/env.sh"
}

start() {
  for program in munged slurmctld slurmd; do
    command -v $program >/dev/null || die "$program is missing: apt-get install slurm-wlm munge"
  done
  [ ${#dir} -le 80 ] || die "the folder's name is too long for a socket: $dir"
  mkdir -p "$dir"/{munge,state,spool,run,log,pids} || die "cannot make $dir"
  gone slurmctld || die "it is running already in $dir"
  chmod 0755 "$dir" "$dir/munge"
  [ -s "$dir/munge/key" ] || (umask 077 && head -c 128 /dev/urandom >"$dir/munge/key")
  rm -f "$dir"/munge/socket*
  launch munged munged --foreground --force --socket="$dir/munge/socket" --key-file="$dir/munge/key" \
    --origin=127.0.0.1 --log-file="$dir/log/munged.log" --pid-file="$dir/run/munged.pid" --seed-file="$dir/munge/seed"
  await 10 munge_is_up || { stop; die "munged does not come up: $dir/log"; }
  export SLURM_CONF=$dir/slurm.conf
  for _ in 1 2 3 4 5; do # somebody may take a port between looking and using it
    configure "$(free_port)" "$(free_port)"
    launch slurmctld slurmctld -D -f "$SLURM_CONF"
    if await 5 controller_is_up; then
      launch slurmd slurmd -D -f "$SLURM_CONF" -N localhost
      await 10 node_is_up && echo "Slurm is up: . $dir/env.sh" && return
    fi
    end slurmd
    end slurmctld
  done
  stop
  die "Slurm does not come up: $dir/log"
}

# Processes of steps whose files are under our folder.
steps() {
  for process in /proc/[0-9]*; do
    [ "$(cat "$process/comm" 2>/dev/null)" = slurmstepd ] &&
      find "$process/fd" -lname "$dir/*" 2>/dev/null | grep -q . && echo "${process#/proc/}"
  done
}
queue_is_empty() { [ -z "$(squeue -h 2>/dev/null)" ]; }

stop() {
  [ -d "$dir/pids" ] || return 0
  export SLURM_CONF=$dir/slurm.conf
  if ! gone slurmctld; then
    timeout 10 scancel --user="$(id -un)" 2>/dev/null
    await 8 queue_is_empty
  fi
  end slurmd
  for pid in $(steps); do kill -KILL "$pid" 2>/dev/null; done
  end slurmctld
  end munged
}

case $1 in
  start) start ;;
  stop) stop ;;
  *) die "use: $0 start|stop DIR" ;;
esac
