#!/usr/bin/env bash
# Mangled files of every kind, all kinds at once.
#   tests/fuzz/mangle.sh BUILD HOW_MUCH [OF_EACH_KIND_OF_GEOMETRY] [SEED]   seconds of each, or 500x: that many of each
set -euo pipefail
cd "$(dirname "$0")/../.."
build=$1
seeds=$build/seeds pids=() n=$((100 * ${4:-0}))
python3 tests/fuzz/seeds.py "$seeds"
rm -f "$seeds/kept.results"
"$build/escarp-cli" study demo/leak-test.escarp --ask "$seeds/ask.json" --out "$seeds/kept.results" >"$seeds/study.txt" 2>&1
"$build/escarp-cli" live demo/twin-testers.escarp --variant B --for 20 --rate 20 --record "$seeds/live.record" >/dev/null 2>&1 || true
while read -r kind files; do
    # Geometry files of each kind in a process of its own.
    "$build/escarp-fuzz" "$kind" "$([ "$kind" = mesh ] && echo "${3:-$2}" || echo "$2")" $((++n)) $files & pids+=($!)
done <<<"cell $(echo demo/*.escarp tests/cases/everything.escarp)
tree $(echo demo/*.escarp tests/cases/everything.escarp)
edits $(echo demo/*.escarp tests/cases/everything.escarp)
surface $seeds/surface.txt
journal $seeds/journal.edits
expression $seeds/expressions.txt
study demo/leak-test.escarp tests/cases/everything.escarp
results $seeds/kept.results
record $seeds/live.record
program demo/twin-testers.st tests/fuzz/program.st
urdf $seeds/arm.urdf
$(for e in stl obj ply gltf step; do echo mesh "$seeds"/*."$e"; done)"
for p in "${pids[@]}"; do wait "$p"; done
