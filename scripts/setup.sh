#!/usr/bin/env bash
# Set up .venv: system libraries (installed as root, named otherwise), pinned packages, the program, warm kernels.
set -euo pipefail
cd "$(dirname "$0")/.."
python="${1:-python3}"

libraries="xvfb libegl1 libgl1 libfontconfig1 libdbus-1-3 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4
libxcb-keysyms1 libxcb-shape0 libxcb-xinerama0 libxcb-render-util0 libxcb-image0"
# Tests read the window with these as a desktop's assistive tools do; without them that test is left out.
for_tests="dbus at-spi2-core"

missing=""
[ "$(id -u)" = 0 ] && libraries="$libraries $for_tests"
if command -v dpkg-query >/dev/null; then
  for name in $libraries; do
    dpkg-query -W -f '${Status}' "$name" 2>/dev/null | grep -q 'install ok installed' || missing="$missing $name"
  done
  "$python" -c 'import ensurepip, venv' 2>/dev/null || missing="$missing python3-venv"
fi
if [ -n "$missing" ]; then
  if [ "$(id -u)" = 0 ]; then
    echo "Installing system libraries:$missing"
    apt-get update -qq
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
  else
    echo "These system packages are missing; ask for them to be installed:$missing" >&2
    exit 1
  fi
fi

"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Python 3.11 or newer is needed." >&2; exit 1; }
[ -x .venv/bin/python ] || "$python" -m venv .venv
.venv/bin/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
.venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
.venv/bin/python -m compileall -q src
echo "Preparing the numerics for this machine …"
.venv/bin/python -m dustpan.core.kernels.warm
