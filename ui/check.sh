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
trap 'rm -rf "$fresh"' EXIT
npx tsc --noEmit
npx vitest run
npx ts-json-schema-generator --path src/pageData.ts --type PageData --tsconfig tsconfig.json \
    --no-type-check --out "$fresh/page_data.schema.json"
if ! diff -q "$fresh/page_data.schema.json" ../src/nachsicht/output/html/page_data.schema.json; then
    echo "The schema of the page's data is not that of its types. Run: make page" >&2
    exit 1
fi
npx vite build --outDir "$fresh" --emptyOutDir --logLevel warn
if ! diff -rq "$fresh" ../src/nachsicht/output/html/bundle; then
    echo "The committed bundle is not what ui/ builds. Run: make page" >&2
    exit 1
fi
echo "The page's bundle is what ui/ builds."
