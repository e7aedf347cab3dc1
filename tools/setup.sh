#!/usr/bin/env bash
# Make the virtual environment, install the program with locked versions, and see that Qt starts.
# Usage: setup.sh PYTHON VENV EXTRAS
set -euo pipefail
python=$1 venv=$2 extras=$3

say() { printf 'silhueta setup: %s\n' "$*" >&2; }

# Run a command as root if that needs no password, else stop with the line to type.
as_root() {
    if [ "$(id -u)" = 0 ]; then "$@"
    elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then sudo -n "$@"
    else say "please type this line, then try again:  sudo $*"; exit 1
    fi
}

apt_install() {
    if ! command -v apt-get >/dev/null; then
        say "please install these with your system's package manager, then try again: $*"; exit 1
    fi
    say "installing $*"
    as_root apt-get update -qq >&2 || say "the package list could not be renewed; trying with the old one"
    as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >&2
}

if ! command -v "$python" >/dev/null; then apt_install python3 python3-venv; fi
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || {
    say "Python 3.11 or newer is needed; name it with  make PYTHON=python3.12 ..."; exit 1; }
if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then apt_install python3-venv; fi

[ -x "$venv/bin/python" ] || "$python" -m venv "$venv"
say "installing the locked packages into $venv"
"$venv/bin/python" -m pip install -q --disable-pip-version-check -c constraints.txt -e ".$extras" 2>&1 \
    | grep -v '^WARNING: Location' >&2 || true
"$venv/bin/silhueta" --version >&2 || { say "the installation failed; see the lines above"; exit 1; }

# The system libraries that Qt loads but its package does not carry. The libraries are asked by
# trying to load Qt itself, so that nothing is installed that is there already.
qt_starts() {
    QT_QPA_PLATFORM=offscreen "$venv/bin/python" -c \
        'from PySide6.QtWidgets import QApplication; QApplication([])' >/dev/null 2>&1
}
missing() {
    local plugins library
    plugins=$("$venv/bin/python" -c 'import PySide6, pathlib; print(pathlib.Path(PySide6.__file__).parent)')
    for library in "$plugins"/Qt/plugins/platforms/libqxcb.so "$plugins"/Qt/plugins/platforms/libqwayland*.so; do
        [ -e "$library" ] && ldd "$library" 2>/dev/null | grep 'not found' || true
    done
}
if ! qt_starts || [ -n "$(missing)" ]; then
    apt_install libegl1 libgl1 libopengl0 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 \
        libglib2.0-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 \
        libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 libwayland-client0 \
        libwayland-cursor0 libwayland-egl1
    qt_starts || { say "Qt still does not start; run  QT_DEBUG_PLUGINS=1 $venv/bin/silhueta open  to see why"; exit 1; }
fi

"$venv/bin/python" -m compileall -q silhueta >&2 || true  # the first start is then as fast as the second

if [ -z "$extras" ]; then
    say "compiling the computation once (about a minute)"
    "$venv/bin/python" -m silhueta.core.warm
fi
say "ready"
