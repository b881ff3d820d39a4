#!/bin/sh
# Installs Debian's Chromium and Firefox where they are missing and the user may; says plainly
# where not.
set -eu
missing=""
if ! command -v chromium >/dev/null 2>&1 && [ -z "${NACHSICHT_BROWSER:-}" ]; then
    missing="chromium"
fi
if ! command -v firefox-esr >/dev/null 2>&1 && ! command -v firefox >/dev/null 2>&1; then
    missing="$missing firefox-esr"
fi
if [ -z "$missing" ]; then
    exit 0
fi
as_root=""
if [ "$(id -u)" -ne 0 ]; then
    as_root="sudo -n"
fi
if command -v apt-get >/dev/null 2>&1 && $as_root true 2>/dev/null; then
    echo "Installing $missing for the tests of the page …"
    $as_root apt-get update -qq
    $as_root apt-get install -y -qq --no-install-recommends $missing fonts-dejavu-core >/dev/null
    exit 0
fi
message="These browsers cannot be installed here, so tests of the page cannot run: $missing."
if [ "${CI:-}" = true ]; then
    echo "$message" >&2
    exit 1
fi
echo "$message"
