# Shared by ./run and ./test: packages and build. Meant to be read by bash from the project's folder.

packages="build-essential cmake ninja-build ccache
qt6-base-dev libqt6opengl6-dev qt6-svg-dev libgl-dev libgl1-mesa-dri
libeigen3-dev libfmt-dev liburdfdom-dev liburdfdom-tools libtinyxml-dev libconsole-bridge-dev libassimp-dev libfcl-dev libseccomp-dev libcairo2-dev libqcustomplot-dev pkg-config nlohmann-json3-dev libcli11-dev libbenchmark-dev
xvfb xauth fonts-inter fonts-jetbrains-mono"

install_packages() {
    local missing=() p
    for p in $packages; do
        dpkg-query -W -f='${db:Status-Status}' "$p" 2>/dev/null | grep -qx installed || missing+=("$p")
    done
    [ ${#missing[@]} -eq 0 ] && return 0
    local as_root=""
    if [ "$(id -u)" -ne 0 ]; then
        if ! command -v sudo >/dev/null; then
            echo "These packages are missing: ${missing[*]}" >&2
            echo "Installing them needs root or sudo, and neither is there. As root, run: apt-get install ${missing[*]}" >&2
            exit 1
        fi
        as_root=sudo
    fi
    echo "Installing: ${missing[*]}"
    $as_root apt-get update -qq
    $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

# build_topikos TARGET...
build_topikos() {
    cmake --preset release >/dev/null
    if [ ! -e build/.ninja_log ]; then
        echo "Building for the first time: the window takes some 9 minutes on two idle cores, with all tests 17."
    fi
    NINJA_STATUS="%p after %e s  " cmake --build build --target "$@"
}

# with_display COMMAND...: in a virtual display with software OpenGL (Qt's offscreen platform has none).
with_display() {
    if [ -z "${XDG_RUNTIME_DIR:-}" ] || [ ! -d "${XDG_RUNTIME_DIR:-/nowhere}" ]; then
        XDG_RUNTIME_DIR=$(mktemp -d)
        chmod 700 "$XDG_RUNTIME_DIR"
        export XDG_RUNTIME_DIR
    fi
    LIBGL_ALWAYS_SOFTWARE=1 QT_QPA_PLATFORM=xcb xvfb-run -a -s "-screen 0 1400x1000x24" "$@"
}
