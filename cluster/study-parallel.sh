#!/bin/sh
# The same shards under GNU parallel, on this machine or on those of --sshloginfile:
#   cluster/study-parallel.sh SHARDS CELL.escarp VARIANT QUESTION.json FOLDER [options of parallel ...]
set -eu
shards=$1 cell=$2 variant=$3 question=$4 folder=$5
shift 5
mkdir -p "$folder"
seq "$shards" | parallel "$@" "${ESCARP_CLI:-escarp-cli}" study "$cell" --variant "$variant" --ask "$question" \
    --threads 1 --shard "{}/$shards" --out "$folder/shard-{}.results"
