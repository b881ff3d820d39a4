#!/bin/sh
# Installs Debian's Java, which Spark runs on, where it is missing and the user may.
set -eu
if command -v java >/dev/null 2>&1; then
    exit 0
fi
as_root=""
if [ "$(id -u)" -ne 0 ]; then
    as_root="sudo -n"
fi
if command -v apt-get >/dev/null 2>&1 && $as_root true 2>/dev/null; then
    echo "Installing Java for the tests of Spark …"
    $as_root apt-get update -qq
    $as_root apt-get install -y -qq --no-install-recommends default-jre-headless >/dev/null
    exit 0
fi
echo "Java cannot be installed here, so tests of Spark cannot run."
[ "${CI:-}" != true ]
