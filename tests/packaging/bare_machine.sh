#!/bin/sh
# Installs the wheel on a Debian that has Python and no compiler, without a network, and runs the demo
# and the light tests there; then the same from the source distribution, with a compiler. As root, with
# debootstrap; the files to install are those that `make wheels` left in dist/.
set -eu
python=${PYTHON:-python3}
suite=${SUITE:-bookworm}
room=${ROOM:-build/bare-machine}
root="$room/$suite"
mkdir -p "$room"

inside() {
    unshare --net --pid --fork --mount-proc="$root/proc" chroot "$root" /usr/bin/env -i HOME=/root LANG=C.UTF-8 PATH=/env/bin:/usr/bin:/bin \
        PIP_NO_INDEX=1 PIP_FIND_LINKS=/wheels PIP_DISABLE_PIP_VERSION_CHECK=1 "$@"
}

check() {
    inside sh -c "rm -rf /env && python3 -m venv /env && pip install --quiet --upgrade pip"
    inside pip install --quiet "$1" -r /checkout/test-requirements.txt
    inside python -c "from nachsicht import kernels; assert kernels.COMPILED"
    inside nachsicht demo /tmp/demo
    inside sh -c "cd /checkout && pytest -n 2 --dist loadfile -m 'not slow' $TESTS"
}

TESTS=${TESTS:---ignore=tests/browser --ignore=tests/engines}
if [ ! -x "$root/usr/bin/python3" ]; then
    debootstrap --variant=minbase --include=python3,python3-venv "$suite" "$root" \
        >"$room/debootstrap.log"
fi
rm -rf "$root/wheels" "$root/checkout"
mkdir "$root/wheels" "$root/checkout"
git archive HEAD tests examples docs benchmarks README.md CONTRIBUTING.md CHANGELOG.md pyproject.toml \
    | tar x -C "$root/checkout"
cp dist/*.whl dist/*.tar.gz "$root/wheels/"

echo "Fetched before, where there is a network: what is installed."
"$python" -c 'import tomllib
read = tomllib.load(open("pyproject.toml", "rb"))
print(*read["dependency-groups"]["test"], sep="\n")' >"$root/checkout/test-requirements.txt"
version=$(inside python3 -c 'import sys; print("%d.%d" % sys.version_info[:2])')
"$python" -m pip download --quiet --dest "$root/wheels" --only-binary :all: --find-links dist \
    --python-version "$version" -r "$root/checkout/test-requirements.txt" nachsicht pip \
    "setuptools>=77" "cython>=3.1"

echo "The wheel, without a compiler:"
inside sh -c '! command -v cc gcc clang'
check "$(cd dist && ls nachsicht-*manylinux*.whl | sed 's,^,/wheels/,')"

echo "The source distribution, with one:"
chroot "$root" apt-get install -qq --no-install-recommends gcc libc6-dev python3-dev >/dev/null
check "$(cd dist && ls nachsicht-*.tar.gz | sed 's,^,/wheels/,')"
