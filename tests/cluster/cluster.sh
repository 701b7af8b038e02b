#!/usr/bin/env bash
# A study in shards under a real Slurm (one node, started here) and under GNU parallel: the same bits as in one process.
#   tests/cluster/cluster.sh ESCARP_CLI CELL
set -euo pipefail
cli=$(realpath "$1") cell=$(realpath "$2")
here=$(cd "$(dirname "$0")/../.." && pwd)
room=$(mktemp -d)
chmod 755 "$room"
export ESCARP_CLI=$cli SLURM_CONF=$room/slurm.conf
pids=()
end() {
    for p in "${pids[@]}"; do kill "$p" 2>/dev/null || true; done
    for p in "${pids[@]}"; do wait "$p" 2>/dev/null || true; done
    rm -rf "$room"
}
trap end EXIT

# munge: a key and a socket of its own.
mkdir -m 711 "$room/munge"
dd if=/dev/urandom of="$room/munge/key" bs=1024 count=1 status=none
chmod 400 "$room/munge/key"
/usr/sbin/munged --foreground --force --key-file="$room/munge/key" --socket="$room/munge/socket" \
    --pid-file="$room/munge/pid" --log-file="$room/munge/log" --seed-file="$room/munge/seed" >"$room/munge/out" 2>&1 &
pids+=($!)

name=$(hostname -s)
mkdir -p "$room/state" "$room/spool"
cat >"$room/slurm.conf" <<CONF
ClusterName=escarp
SlurmctldHost=$name
SlurmctldPort=17817
SlurmdPort=17818
SlurmUser=root
SlurmdUser=root
AuthType=auth/munge
AuthInfo=socket=$room/munge/socket
CredType=cred/munge
StateSaveLocation=$room/state
SlurmdSpoolDir=$room/spool
SlurmctldPidFile=$room/slurmctld.pid
SlurmdPidFile=$room/slurmd.pid
SlurmctldLogFile=$room/slurmctld.log
SlurmdLogFile=$room/slurmd.log
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
JobAcctGatherType=jobacct_gather/none
SelectType=select/cons_tres
SelectTypeParameters=CR_CPU
MpiDefault=none
ReturnToService=2
SchedulerParameters=sched_interval=1
NodeName=$name CPUs=$(nproc) State=UNKNOWN
PartitionName=all Nodes=ALL Default=YES MaxTime=10 State=UP
CONF
if [ -f /sys/fs/cgroup/cgroup.controllers ]; then
    printf 'CgroupPlugin=cgroup/v2\nIgnoreSystemd=yes\n' >"$room/cgroup.conf"
else
    echo "CgroupPlugin=cgroup/v1" >"$room/cgroup.conf"
fi
/usr/sbin/slurmctld -D -f "$room/slurm.conf" >"$room/slurmctld.out" 2>&1 &
pids+=($!)
/usr/sbin/slurmd -D -f "$room/slurm.conf" >"$room/slurmd.out" 2>&1 &
pids+=($!)
until sinfo -h -o %T 2>/dev/null | grep -q '^idle'; do  # CI has an end of its own
    for p in "${pids[@]}"; do
        kill -0 "$p" 2>/dev/null || { for f in "$room"/*.log "$room"/*.out "$room"/munge/*; do case $f in *key|*seed|*socket) ;; *) echo "== $f"; tail -n 5 "$f" ;; esac; done >&2; exit 1; }
    done
    sleep 0.2
done

cat >"$room/question.json" <<'ASK'
{"asks": "sweep", "vary": [{"at": "/devices/pedestal1/placement/x_mm", "from": 1450, "to": 1700, "steps": 8},
                           {"at": "/devices/marker/process_s", "from": 1.5, "to": 3, "steps": 3}],
 "look_at": ["cycle_s", "inside_s"], "repetitions": 3}
ASK
show() { "$cli" study show "$cell" --variant D --ask "$room/question.json" --out "$1" --json | grep -v '"kept_runs"\|"runs"'; }
"$cli" study "$cell" --variant D --ask "$room/question.json" --out "$room/one.results" >/dev/null 2>&1
show "$room/one.results" >"$room/one.json"

sbatch --parsable --wait --output="$room/job-%a.out" --array=1-4 "$here/cluster/study.sbatch" \
    "$cell" D "$room/question.json" "$room/slurm" >/dev/null || { cat "$room"/job-*.out >&2; exit 1; }
rm "$room/slurm/shard-2.results"  # one is lost
"$cli" study merge "$room"/slurm/shard-*.results --out "$room/all.results" >/dev/null
if show "$room/all.results" >"$room/part.json"; then echo "a lost shard was not seen" >&2; exit 1; fi
ESCARP_SHARDS=4 sbatch --wait --output="$room/job-%a.out" --array=2 "$here/cluster/study.sbatch" \
    "$cell" D "$room/question.json" "$room/slurm" >/dev/null
"$cli" study merge "$room"/slurm/shard-*.results --out "$room/all.results" >/dev/null
show "$room/all.results" >"$room/slurm.json"
cmp "$room/one.json" "$room/slurm.json"
echo "four shards under Slurm, one of them lost and run again: the same bits as one process"

"$here/cluster/study-parallel.sh" 5 "$cell" D "$room/question.json" "$room/parallel" --will-cite -j "$(nproc)" 2>/dev/null
"$cli" study merge "$room"/parallel/shard-*.results --out "$room/parallel.results" >/dev/null
show "$room/parallel.results" >"$room/parallel.json"
cmp "$room/one.json" "$room/parallel.json"
echo "five shards under GNU parallel: the same bits as one process"
