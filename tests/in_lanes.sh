#!/usr/bin/env bash
# Every test, file by file, in as many lanes as there are cores; what fails is told whole, at once, and the rest goes on.
#   tests/in_lanes.sh BUILD [KIND]   exit 1 when anything failed; KIND: core, window, schema, cluster or fuzz alone
set -uo pipefail
cd "$(dirname "$0")/.."
export build=$1
kind=${2:-.*}
export logs=$build/test-logs
rm -rf "$logs"
mkdir -p "$logs"

# What each lane does with one line: a kind of test, and which. What hangs ends after a time that no machine needs.
export longest=40m
one() {
    local kind=$1 which=$2 log=$logs/$1-$2.log began=$SECONDS code=0
    case $kind in
        core) timeout "$longest" "$build/escarp-tests" -# "[#$which]~[.]" ;;
        # A screen of its own for each lane.
        window) QT_QPA_PLATFORM=xcb LIBGL_ALWAYS_SOFTWARE=1 timeout "$longest" xvfb-run -a -n $((100 + 20 * lane)) -e "$log" \
            -s "-screen 0 1920x1200x24 +extension GLX" "$build/escarp-window-tests" -# "[#$which]~[.]" ;;
        schema) /usr/bin/python3 tests/schema_check.py ;;
        cluster) tests/cluster/cluster.sh "$build/escarp-cli" demo/leak-test.escarp ;;
        fuzz) tests/fuzz/mangle.sh "$build" 320x 20x ;;
    esac >"$log" 2>&1 || code=$?
    if [ $code -ne 0 ]; then
        cat "$log"
        echo "FAILED  $kind $which (exit $code)"
        return 1
    fi
    printf '%5d s  %s %s: %s\n' $((SECONDS - began)) "$kind" "$which" "$(grep -v '^=*$' "$log" | tail -1)"
}
export -f one

files() { grep -l TEST_CASE "$@" | xargs -n 1 basename -s .cpp | sort -u; }
{
    # The longest first, so that no lane is left with one of them at the end.
    files tests/desktop/*.cpp | sed 's/^/window /' | sort -k 2,2 -r
    echo "fuzz short"
    echo "schema check"
    files $(ls tests/*/*.cpp | grep -v '^tests/desktop/') | sed 's/^/core /'
    echo "cluster study"
} | grep -E "^($kind) " | xargs -P "$(nproc)" -L 1 --process-slot-var=lane bash -c 'one "$@"' one
