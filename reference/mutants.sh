#!/usr/bin/env bash
# Which changes of the computation does no test notice? A seeded sample of mutations for each folder of the core (and the store's record and the meters'
# sessions), tried one after the other against the tests. It goes on where it stopped: what was tried is kept in the folder mutants/ (not in the repository).
#
#   reference/mutants.sh              40 of each folder, all folders
#   reference/mutants.sh 10 verdict   10 of one folder
#   reference/mutants.sh report       what was found so far, as the tables of docs/tests.md
#
# Needs cargo-mutants 27 (cargo install cargo-mutants --locked). One build at a time, so that two cores and 4 GB are enough; a mutation takes 30 to 60 s.
set -euo pipefail
cd "$(dirname "$0")/.."
# A build that was stopped leaves incremental parts that no longer link, which would count changes as ones that do not build.
export CARGO_INCREMENTAL=0

folders="sky panel array measure gear load rig energy preflight record verdict review predict simulate store meters"
out=mutants
mkdir -p "$out"

# The files of a folder, and the tests that have to notice.
files_of() {
  case "$1" in
    store) echo "crates/store/src/{record,log_record,reading_rows}.rs" ;;
    meters) echo "crates/meters/src/{session,scpi,lines,modbus}.rs" ;;
    *) echo "crates/core/src/$1/**/*.rs" ;;
  esac
}
package_of() { case "$1" in store) echo flindo-store ;; meters) echo flindo-meters ;; *) echo flindo-core ;; esac; }

report() {
  echo "| folder | tried | noticed | not noticed | % |"
  echo "|---|---|---|---|---|"
  for folder in $folders; do
    [ -f "$out/$folder.tried" ] || continue
    noticed=$(grep -c '^caught' "$out/$folder.tried" || true)
    missed=$(grep -c '^missed' "$out/$folder.tried" || true)
    tried=$((noticed + missed))
    [ "$tried" -eq 0 ] || echo "| $folder | $tried | $noticed | $missed | $((100 * noticed / tried)) |"
  done
  echo
  echo "Not noticed:"
  echo
  grep -h '^missed' "$out"/*.tried | cut -f2 | sort | sed 's/^/- `/; s/$/`/' || true
}

if [ "${1:-}" = report ]; then report; exit; fi
count="${1:-40}"
[ -z "${2:-}" ] || folders="$2"

for folder in $folders; do
  package="$(package_of "$folder")"
  tried="$out/$folder.tried"
  touch "$tried"
  # In an order that a fixed seed makes, the same on every machine.
  cargo mutants --list --package "$package" --file "$(files_of "$folder")" 2>/dev/null \
    | python3 -c 'import random, sys
# Fields left out of a value have no filter by name of their own, and mostly fall back on a default that is the same.
lines = [line for line in sys.stdin.read().splitlines() if "delete field" not in line]
random.Random(20261129).shuffle(lines)
print("\n".join(lines[:int(sys.argv[1])]))' "$count" > "$out/$folder.sample"
  while IFS= read -r name; do
    # Tried before.
    grep -qF "$(printf '\t%s' "$name")" "$tried" && continue
    pattern="$(printf '%s' "$name" | sed 's/[][\\.*^$(){}+?|]/\\&/g')"
    rm -rf "$out/run"
    cargo mutants --package "$package" --test-package "$package" --file "${name%%:*}" --re "^$pattern\$" \
      --in-place --baseline skip --timeout 300 --output "$out/run" --no-shuffle -- --lib --tests >/dev/null 2>&1 </dev/null || true
    for verdict in caught missed timeout unviable; do
      grep -qxF "$name" "$out/run/mutants.out/$verdict.txt" 2>/dev/null || continue
      word=$verdict
      [ "$verdict" != timeout ] || word=caught
      printf '%s\t%s\n' "$word" "$name" >> "$tried"
    done
  done < "$out/$folder.sample"
done
report
