#!/usr/bin/env bash
# Scores the commands against a bench folder: bench/run_bench.sh BENCH_FOLDER [OUT]
set -euo pipefail
bench=$1
out=${2:-$(mktemp -d)}
here=$(cd "$(dirname "$0")/.." && pwd)
schoon="$here/.venv/bin/schoon"
score=("$here/.venv/bin/python" "$bench/score.py")
"$schoon" clean "$bench"/data/clean/in/*.png --out "$out/clean" --jobs "$(nproc)"
echo "clean $("${score[@]}" clean "$bench/data/clean" "$out/clean")"
"$schoon" seal "$bench"/data/seal/in/*.png --out "$out/seal"
echo "seal $("${score[@]}" seal "$bench/data/seal" "$out/seal")"
for sequence in "$bench"/data/paint/*/; do
  "$schoon" paint "$sequence/lines" --key "00=$sequence/truth/00.png" --out "$out/paint/$(basename "$sequence")"
done
echo "paint $("${score[@]}" paint "$bench/data/paint" "$out/paint")"
for sequence in "$bench"/data/tone/*/; do
  name=$(basename "$sequence")
  mapfile -t light < <("$here/.venv/bin/python" -c 'import json, sys; d = json.load(open(sys.argv[1])); print(d["azimuth"], d["height"], sep=","); print(d["share"])' "$sequence/light.json")
  "$schoon" tone "$sequence/lines" "$sequence/paint" --light "${light[0]}" --amount "${light[1]}" --out "$out/tone/$name" --jobs "$(nproc)"
  "$schoon" tone "$sequence/lines" "$sequence/paint" --key "00=$sequence/truth/00.png" --out "$out/tone-carried/$name" --jobs "$(nproc)"
done
for variant in tone tone-carried; do
  echo "$variant $("${score[@]}" tone "$bench/data/tone" "$out/$variant")"
done
for pair in "$bench"/data/between/*/; do
  "$schoon" between "$pair/a.svg" "$pair/b.svg" --at 0.25,0.5,0.75 --out "$out/between/$(basename "$pair")"
done
echo "between $("${score[@]}" between "$bench/data/between" "$out/between")"
for shot in "$bench"/data/proof/*/; do
  "$schoon" proof "$shot/lines" "$shot/paint" --out "$out/proof/$(basename "$shot").json" --jobs "$(nproc)"
done
echo "proof $("${score[@]}" proof "$bench/data/proof" "$out/proof")"
