# Shared by demo and test: finds Python, installs what is missing, prepares the virtual environment once.
# Not to be run by itself.

cd "$(dirname "${BASH_SOURCE[0]}")/.." || exit 1
VENV="${IRVANE_VENV:-$PWD/.venv}"

say() { printf '%s\n' "$*" >&2; }

# Shared libraries that the window and the computing kernels need, and the Debian package that brings each.
LIBRARIES="libGL.so.1=libgl1 libEGL.so.1=libegl1 libxkbcommon.so.0=libxkbcommon0 libfontconfig.so.1=libfontconfig1
libglib-2.0.so.0=libglib2.0-0 libdbus-1.so.3=libdbus-1-3 libgomp.so.1=libgomp1 libxcb-cursor.so.0=libxcb-cursor0
libxcb-icccm.so.4=libxcb-icccm4 libxcb-keysyms.so.1=libxcb-keysyms1 libxcb-shape.so.0=libxcb-shape0
libxcb-xkb.so.1=libxcb-xkb1 libxkbcommon-x11.so.0=libxkbcommon-x11-0 libxcb-image.so.0=libxcb-image0
libxcb-render-util.so.0=libxcb-render-util0 libxcb-randr.so.0=libxcb-randr0"

missing_packages() { # further arguments: command=package
  local known pair
  known="$(/sbin/ldconfig -p 2>/dev/null || ldconfig -p)"
  for pair in $LIBRARIES; do
    grep -qF "${pair%%=*} " <<<"$known" || printf '%s ' "${pair#*=}"
  done
  for pair in "$@"; do
    command -v "${pair%%=*}" >/dev/null || printf '%s ' "${pair#*=}"
  done
}

find_python() {
  local name
  for name in python3.11 python3.12 python3.13 python3; do
    if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      command -v "$name"
      return 0
    fi
  done
  return 1
}

install_system() { # further arguments: command=package
  local wanted python
  wanted="$(missing_packages "$@")"
  python="$(find_python)" || wanted+="python3 "
  if [ -z "$python" ] || ! "$python" -c 'import ensurepip' 2>/dev/null; then
    wanted+="python3-venv "
  fi
  [ -z "$wanted" ] && return 0
  if ! command -v apt-get >/dev/null; then
    say "These parts of the system are missing; install what your distribution calls them: $wanted"
    return 1
  fi
  if [ "$(id -u)" -eq 0 ]; then
    say "Installing system packages: $wanted"
    apt-get update -qq >&2
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $wanted >&2
  else
    say "Some system packages are missing. Type this once, then start again:"
    say "  sudo apt-get update && sudo apt-get install -y --no-install-recommends $wanted"
    return 1
  fi
}

prepare() { # $1: what to install, "." or ".[test]"
  local python stamp wanted
  stamp="$VENV/.irvane-set-up"
  python="$(find_python)" || { say "Python 3.11 or newer is needed."; return 1; }
  wanted="$1 $(cat pyproject.toml constraints.txt | cksum) $("$python" --version)"
  if [ -x "$VENV/bin/python" ] && grep -qxF "$wanted" "$stamp" 2>/dev/null; then
    return 0
  fi
  say "Setting up the environment (once, about two minutes) …"
  [ -x "$VENV/bin/python" ] || "$python" -m venv "$VENV"
  "$VENV/bin/python" -m pip install -q --no-compile --disable-pip-version-check -c constraints.txt -e "$1"
  "$VENV/bin/python" -m compileall -qq -j 0 "$VENV/lib" src || true # on all cores; pip does it on one
  printf '%s\n' "$wanted" >>"$stamp"
}
