# Sourced by ./run and ./check: finds or makes .venv and installs what is missing. All text goes to stderr.
# Usage: . ./setup.sh ; rhevectra_setup [tests]

export LC_ALL=C.UTF-8
base_packages="python3-venv ca-certificates libglib2.0-0 libgl1 libegl1 libfontconfig1 libxkbcommon0 libdbus-1-3"
window_packages="libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-shape0 libxkbcommon-x11-0 libx11-xcb1 libxcb-image0 libxcb-randr0 libxcb-render-util0 libxcb-shm0 libxcb-sync1 libxcb-xfixes0 libxcb-xkb1"
test_packages="xvfb ngspice"

say() { echo "rhevectra: $*" >&2; }

missing_packages() {
    command -v dpkg-query >/dev/null 2>&1 || return 0
    for package in "$@"; do
        dpkg-query -W -f='${Status}\n' "$package" 2>/dev/null | grep -q '^install ok installed' || printf '%s ' "$package"
    done
}

install_system() {
    wanted=$(missing_packages "$@")
    [ -n "$wanted" ] || return 0
    if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
        say "installing system packages: $wanted"
        { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $wanted; } >&2 || say "some system packages could not be installed"
    else
        say "system packages are missing; an administrator can install them with:"
        say "    apt-get install -y $wanted"
    fi
}

find_python() {
    for candidate in python3.12 python3.11 python3.13 python3; do
        if command -v "$candidate" >/dev/null 2>&1 && "$candidate" -c 'import sys; sys.exit(not (3, 11) <= sys.version_info < (3, 14))' 2>/dev/null; then
            echo "$candidate"
            return 0
        fi
    done
    return 1
}

rhevectra_setup() {
    install_system $base_packages $window_packages ${1:+$test_packages}
    python=$(find_python) || { say "Python 3.11 or newer is needed: apt-get install -y python3 python3-venv"; return 1; }
    stamp=$(cat requirements.lock pyproject.toml | cksum | tr -d ' \n')-$("$python" -c 'import sys; print(sys.version.split()[0])')-$PWD
    if [ "$(cat .venv/.stamp 2>/dev/null)" != "$stamp" ]; then
        say "setting up .venv (once)"
        rm -rf .venv
        "$python" -m venv .venv >&2 || { rm -rf .venv; say "the venv module is missing: apt-get install -y python3-venv"; return 1; }
        .venv/bin/python -m pip install --disable-pip-version-check -q --no-deps --require-hashes -r requirements.lock >&2 || return 1
        .venv/bin/python -m pip install --disable-pip-version-check -q --no-deps --no-build-isolation -e . >&2 || return 1
        .venv/bin/python -m compileall -q src >&2 || true  # so that the first start is as quick as the second
        printf '%s' "$stamp" > .venv/.stamp
    fi
}
