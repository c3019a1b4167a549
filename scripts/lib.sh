# Shared by ./run and ./test: installs what is missing, builds, starts and stops a private PostgreSQL.
# Sourced, with the project as the working folder.

say() { printf '\033[2m%d:%02d %s\033[0m\n' $((SECONDS / 60)) $((SECONDS % 60)) "$*" >&2; }
fail() { printf '%s\n' "$*" >&2; exit 1; }

as_root() {
    if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo >/dev/null; then sudo "$@"; else
        fail "These packages are needed: ${*: -3}. Install them as root, or install sudo, and try again."
    fi
}

# install_packages PACKAGE... : Debian's packages that are not there yet.
install_packages() {
    local missing=() p
    for p in "$@"; do
        dpkg-query -W -f='${db:Status-Status}' "$p" 2>/dev/null | grep -qx installed || missing+=("$p")
    done
    [ ${#missing[@]} -eq 0 ] && return 0
    say "Installing ${missing[*]}"
    as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq >/dev/null
    as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null ||
        fail "apt-get could not install ${missing[*]}."
}

need_tools() {
    command -v cargo >/dev/null || fail "Rust is needed (cargo on the PATH): see https://rustup.rs"
    command -v npm >/dev/null || fail "Node.js 20.19 or later with npm is needed on the PATH."
    command -v cc >/dev/null || install_packages build-essential
}

# The database, and what its tests drive the pages with.
need_database() { ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || install_packages postgresql; }
need_browser() { [ -x /usr/bin/chromium ] && [ -x /usr/bin/chromedriver ] || install_packages chromium chromium-driver; }

# later NAME COMMANDS : does something beside what follows.
# done_with NAME : waits for it; what it said comes then, and where it failed all ends.
declare -A LATER
later() {
    local name=$1; shift
    mkdir -p .build
    (eval "$*") >".build/$name.log" 2>&1 &
    LATER[$name]=$!
}
done_with() {
    local ok=0
    wait "${LATER[$1]}" || ok=$?
    cat ".build/$1.log" >&2
    [ $ok = 0 ] || exit $ok
}

# The newest PostgreSQL that Debian's packages put on this machine.
pg_bin() { ls -d /usr/lib/postgresql/*/bin | sort -V | tail -n 1; }

# build_web : npm packages from the lock file and the pages, each only when something changed.
build_web() {
    local stamp
    stamp=$(cat web/package-lock.json | sha256sum)
    if [ "$(cat web/node_modules/.stamp 2>/dev/null)" != "$stamp" ]; then
        say "Installing npm packages"
        (cd web && npm ci --no-audit --no-fund --loglevel=error)
        printf '%s' "$stamp" >web/node_modules/.stamp
    fi
    stamp=$(find web -path web/node_modules -prune -o -path web/dist -prune -o -type f -print0 | sort -z | xargs -0 sha256sum | sha256sum)
    if [ "$(cat .build/web.stamp 2>/dev/null)" != "$stamp" ] || [ ! -f web/dist/index.html ]; then
        say "Building the pages"
        (cd web && npm run --silent build)
        mkdir -p .build
        printf '%s' "$stamp" >.build/web.stamp
    fi
}

# lint : all of the project's own code, when something changed. After it was built.
lint() {
    local stamp
    stamp=$( (cargo --version && find Cargo.toml Cargo.lock .cargo scripts crates -type f -print0 | sort -z | xargs -0 sha256sum) | sha256sum)
    [ "$(cat .build/lint.stamp 2>/dev/null)" != "$stamp" ] || return 0
    command -v clippy-driver >/dev/null || fail "Clippy is needed for the lints: rustup component add clippy"
    say "Linting"
    RUSTC_WORKSPACE_WRAPPER=$PWD/scripts/lint-rustc CLIPPY_ARGS=-Dwarnings__CLIPPY_HACKERY__ \
        cargo test --release --quiet --workspace --no-run
    printf '%s' "$stamp" >.build/lint.stamp
}

free_port() {
    python3 - 2>/dev/null <<'PY' || node -e 'const s=require("net").createServer().listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})'
import socket
s = socket.socket(); s.bind(("127.0.0.1", 0)); print(s.getsockname()[1])
PY
}

# As root, PostgreSQL must run as another user: Debian's package makes one.
as_pg() { if [ "$(id -u)" = 0 ]; then (cd / && runuser -u postgres -- "$@"); else "$@"; fi; }

# pg_start FOLDER : starts a private PostgreSQL on loopback, made where missing; sets PG_DATA, PG_PORT, PG_URL.
pg_start() {
    local bin; bin=$(pg_bin)
    mkdir -p "$1"
    PG_DATA=$(cd "$1" && pwd)/postgres
    mkdir -p "$PG_DATA"
    if [ "$(id -u)" = 0 ]; then
        if ! runuser -u postgres -- test -x "$(dirname "$PG_DATA")"; then
            # A project inside a folder that only root may enter: keep the data where the server can reach it.
            local away="/var/lib/nematon-$(printf '%s' "$PG_DATA" | sha256sum | cut -c1-12)"
            mkdir -p "$away"
            [ -L "$PG_DATA" ] || { rmdir "$PG_DATA" && ln -s "$away" "$PG_DATA"; }
            PG_DATA=$away
        fi
        chown postgres "$PG_DATA"
    fi
    chmod 700 "$PG_DATA"
    if [ ! -f "$PG_DATA/PG_VERSION" ]; then
        say "Making a database in $PG_DATA"
        as_pg "$bin/initdb" -D "$PG_DATA" -U nematon --auth=trust --encoding=UTF8 --locale=C >/dev/null || fail "initdb failed."
    fi
    # Left behind by a run that was killed: stop it, so that ours is the only one.
    as_pg "$bin/pg_ctl" -D "$PG_DATA" status >/dev/null 2>&1 && as_pg "$bin/pg_ctl" -D "$PG_DATA" -m fast -w stop >/dev/null 2>&1
    PG_PORT=$(free_port)
    as_pg "$bin/pg_ctl" -D "$PG_DATA" -w -t 60 -l "$PG_DATA/server.log" \
        -o "-p $PG_PORT -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=200 ${PG_MORE:-}" start >/dev/null ||
        { tail -n 20 "$PG_DATA/server.log" >&2; fail "PostgreSQL did not start."; }
    PG_URL="postgres://nematon@127.0.0.1:$PG_PORT/postgres"
}

pg_stop() { [ -n "${PG_DATA:-}" ] && as_pg "$(pg_bin)/pg_ctl" -D "$PG_DATA" -m fast -w stop >/dev/null 2>&1; PG_DATA=; }
