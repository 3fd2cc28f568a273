#!/bin/sh
# A change judged in a pipeline of any make: `judge.sh before`, the change, `judge.sh after`. The second ends with the
# status of the verdict (0 pass, 1 fail, 3 unproven) and leaves in $RESULTS what pipelines show: test results (JUnit),
# a summary for the merge request (Markdown), what failed at the lines of the expectations (SARIF, and plain lines).
set -eu

inventory=${INVENTORY:-inventory.yaml}
expectations=${EXPECTATIONS:-expectations.yaml}
results=${RESULTS:-results}

mkdir -p "$results"
case ${1:-} in
before)
    nogging capture "$inventory" --to "$results/before" --programs
    ;;
after)
    nogging capture "$inventory" --to "$results/after" --programs
    nogging check "$expectations" --before "$results/before" --after "$results/after" \
        --also junit="$results/junit.xml" --also summary="$results/summary.md" \
        --also sarif="$results/judgement.sarif" --also places="$results/places.txt"
    ;;
*)
    echo "judge.sh before | after" >&2
    exit 2
    ;;
esac
