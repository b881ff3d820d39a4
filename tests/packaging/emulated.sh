#!/bin/sh
# The compiled kernels on another processor, under qemu's emulation: make emulated ARCH=s390x. Their answers
# must be those given here, bit by bit. Needs debootstrap, qemu-user-static, and Debian's packages.
set -eu
python=${PYTHON:-python3}
arch=${1:-s390x}
room=${ROOM:-build/emulated}
root="$room/$arch"
case $arch in
    arm64) machine=aarch64 ;;
    ppc64el) machine=powerpc64le ;;
    *) machine=$arch ;;
esac
mkdir -p "$room"
if [ ! -x "$root/usr/bin/python3" ]; then
    debootstrap --arch="$arch" --foreign --variant=minbase --include=python3,python3-numpy bookworm \
        "$root" >"$room/$arch.log"
    for package in "$root"/var/cache/apt/archives/*.deb; do
        dpkg-deb -x "$package" "$root"
    done
fi
"$python" tests/packaging/cross_compile.py --into "$room/kernels-$arch" "$machine-linux-gnu"
"$python" tests/packaging/kernel_answers.py >"$room/here.txt"
libraries="$root/usr/lib/$machine-linux-gnu"
"qemu-$machine-static" -L "$root" -E PYTHONHOME="$root/usr" \
    -E LD_LIBRARY_PATH="$libraries:$libraries/blas:$libraries/lapack" \
    -E PYTHONPATH="$root/usr/lib/python3/dist-packages:$room/kernels-$arch" \
    "$root/usr/bin/python3" tests/packaging/kernel_answers.py >"$room/$arch.txt"
diff "$room/here.txt" "$room/$arch.txt"
echo "The kernels give the same answers on $machine: $(wc -l <"$room/here.txt") of them."
