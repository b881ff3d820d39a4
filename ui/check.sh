#!/bin/sh
# Builds the page beside the committed bundle and fails where they differ.
set -eu
cd "$(dirname "$0")"
if ! command -v npm >/dev/null 2>&1; then
    if [ "${CI:-}" = true ]; then
        echo "The page's bundle cannot be checked: npm is missing." >&2
        exit 1
    fi
    echo "Not checked: whether the page's bundle is up to date (npm is not installed)."
    exit 0
fi
npm ci --no-progress --silent
fresh=$(mktemp -d)
schemas=$(mktemp -d)
trap 'rm -rf "$fresh" "$schemas"' EXIT
npx tsc --noEmit
npx vitest run
check_schema() {
    npx ts-json-schema-generator --path "src/$1" --type "$2" --tsconfig tsconfig.json \
        --no-type-check --out "$schemas/$3"
    if ! diff -q "$schemas/$3" "../src/nachsicht/output/html/$3"; then
        echo "The schema of the page's data is not that of its types. Run: make page" >&2
        exit 1
    fi
}
check_schema pageData.ts PageData page_data.schema.json
check_schema historyData.ts HistoryData history_data.schema.json
npx vite build --outDir "$fresh" --emptyOutDir --logLevel warn
npx vite build --mode history --outDir "$fresh" --emptyOutDir false --logLevel warn
if ! diff -rq "$fresh" ../src/nachsicht/output/html/bundle; then
    echo "The committed bundle is not what ui/ builds. Run: make page" >&2
    exit 1
fi
echo "The page's bundle is what ui/ builds."
