#!/bin/sh
# Installs Debian's Chromium where it is missing and the user may; says plainly where not.
set -eu
if command -v chromium >/dev/null 2>&1 || [ -n "${NACHSICHT_BROWSER:-}" ]; then
    exit 0
fi
as_root=""
if [ "$(id -u)" -ne 0 ]; then
    as_root="sudo -n"
fi
if command -v apt-get >/dev/null 2>&1 && $as_root true 2>/dev/null; then
    echo "Installing Chromium for the tests of the page …"
    $as_root apt-get update -qq
    $as_root apt-get install -y -qq --no-install-recommends chromium fonts-dejavu-core >/dev/null
    exit 0
fi
message="There is no Chromium, and it cannot be installed here: the tests of the page cannot run."
if [ "${CI:-}" = true ]; then
    echo "$message" >&2
    exit 1
fi
echo "$message"
