# Sourced by the commands at the top: brings a fresh clone to where they can run. Needs Node.js 20 or newer and npm.
set -euo pipefail
top=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)

say() { printf '%s\n' "$*" >&2; }

need_packages() {
  command -v node >/dev/null || { say "Node.js 20 or newer is needed"; exit 2; }
  [ "$top/node_modules/.package-lock.json" -nt "$top/package-lock.json" ] && return
  say "Installing packages …"
  (cd "$top" && npm ci --loglevel error --no-audit --no-fund >&2) && touch "$top/node_modules/.package-lock.json"
}

# Whether a stamp is missing or older than any of the given folders' files.
stale() {
  local stamp=$1
  shift
  [ ! -e "$stamp" ] || [ -n "$(find "$@" -newer "$stamp" -type f -print -quit)" ]
}

need_server() {
  stale "$top/packages/server/dist/.built" "$top/packages/core/src" "$top/packages/server/src" "$top/packages/server/build.mjs" || return 0
  say "Building the server …"
  (cd "$top/packages/server" && npm run --silent build >&2)
}

need_web() {
  stale "$top/packages/web/dist/index.html" "$top/packages/core/src" "$top/packages/server/src/api" "$top/packages/web/src" "$top/packages/web/public" "$top/packages/web/index.html" "$top/packages/web/vite.config.ts" "$top/packages/web/places_plugin.ts" \
    "$top/README.md" "$top"/docs/*.md || return 0
  say "Building the interface …"
  (cd "$top/packages/web" && npm run --silent build >&2)
}

# Debian packages for the tests: a browser to drive, and another program's readers and writers to compare with.
need_test_tools() {
  local missing=()
  command -v chromium >/dev/null || missing+=(chromium)
  command -v ogr2ogr >/dev/null || missing+=(gdal-bin)
  command -v pdftotext >/dev/null || missing+=(poppler-utils)
  /usr/bin/python3 -c 'import osgeo' 2>/dev/null || missing+=(python3-gdal)
  compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || missing+=(postgresql)
  compgen -G '/usr/share/postgresql/*/extension/postgis.control' >/dev/null || missing+=(postgresql-postgis)
  /usr/bin/python3 -c "import openpyxl" 2>/dev/null || missing+=(python3-openpyxl)
  /usr/bin/python3 -c "import numpy, pyproj" 2>/dev/null || missing+=(python3-pyproj)
  /usr/bin/python3 -c "import shapely" 2>/dev/null || missing+=(python3-shapely)
  install_packages "${missing[@]}"
}

# What the comparisons of speed need besides.
need_bench_tools() {
  local missing=()
  /usr/bin/python3 -c 'import geopandas' 2>/dev/null || missing+=(python3-geopandas)
  install_packages "${missing[@]}"
}

install_packages() {
  [ $# -gt 0 ] || return 0
  say "Installing $* …"
  local root=()
  [ "$(id -u)" = 0 ] || root=(sudo)
  "${root[@]}" apt-get update -qq >&2
  "${root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}
