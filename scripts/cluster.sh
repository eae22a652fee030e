#!/usr/bin/env bash
# A whole cluster on loopback, to try it or to break it: three replicated database servers (galera), two copies of Stepping, each with a
# server of its own and the other two for when that one is away, and a proxy that shares the requests out. Ctrl-C ends all of it.
#   scripts/cluster.sh [DIR]     default: a new directory under /tmp, deleted at the end
# DIR holds the logs, a pid file for each part, and `ready` once the proxy answers.
set -euo pipefail
cd "$(dirname "$0")/.."
dir=${1:-$(mktemp -d /tmp/stepping-cluster.XXXXXX)}
base=${CLUSTER_PORT:-18400}   # ports from here on: database 1-3, replication 11-43, ways to the database 51-52, copies 61-62, proxy 70
provider=/usr/lib/galera/libgalera_smm.so
proxy=$(command -v haproxy || echo /usr/sbin/haproxy)
daemon=$(command -v mariadbd || echo /usr/sbin/mariadbd)
[ -e "$provider" ] || { echo "galera-4 is not installed: scripts/deps.sh galera-4" >&2; exit 1; }
[ -x "$proxy" ] || { echo "haproxy is not installed: scripts/deps.sh haproxy" >&2; exit 1; }
[ -x bin/stepping ] || { echo "make build first" >&2; exit 1; }
mkdir -p "$dir"; chmod 755 "$dir"
as=(); [ "$(id -u)" != 0 ] || as=(--user=mysql)
password=$(head -c 18 /dev/urandom | base64 | tr -d '/+=')

stop() {
  trap - EXIT INT TERM
  for f in "$dir"/*.pid; do kill "$(cat "$f")" 2>/dev/null || true; done
  sleep 1
  for f in "$dir"/*.pid; do kill -9 "$(cat "$f")" 2>/dev/null || true; done
  [ -n "${1:-}" ] || rm -rf "$dir"
}
trap 'stop ${1:-}' EXIT
trap 'exit 0' INT TERM

group="gcomm://127.0.0.1:$((base + 11)),127.0.0.1:$((base + 21)),127.0.0.1:$((base + 31))"

# node N [--wsrep-new-cluster]: starts database server N.
node() {
  local n=$1; shift
  local data=$dir/node$n rep=$((base + 1 + 10 * n))
  "$daemon" --no-defaults "${as[@]}" --datadir="$data" --socket="$data.sock" --pid-file="$data/db.pid" --bind-address=127.0.0.1 --port=$((base + n)) \
    --skip-name-resolve --character-set-server=utf8mb4 --innodb-buffer-pool-size=64M --innodb-autoinc-lock-mode=2 --binlog-format=ROW --skip-log-bin \
    --innodb-flush-log-at-trx-commit=1 --wsrep-on=ON --wsrep-provider="$provider" --wsrep-cluster-name=stepping --wsrep-cluster-address="$group" \
    --wsrep-node-name="node$n" --wsrep-node-address="127.0.0.1:$rep" --wsrep-sst-method=rsync --wsrep-sst-receive-address="127.0.0.1:$((rep + 2))" \
    --wsrep-provider-options="base_host=127.0.0.1;base_port=$rep;gmcast.listen_addr=tcp://127.0.0.1:$rep;ist.recv_addr=127.0.0.1:$((rep + 1));evs.suspect_timeout=PT3S;evs.inactive_timeout=PT8S;evs.install_timeout=PT8S;gcache.size=32M" \
    --wsrep-sync-wait=1 "$@" >> "$dir/node$n.log" 2>&1 &
  echo $! > "$dir/node$n.pid"
}

# asks N SQL: as the administrator.
asks() { mariadb --no-defaults -S "$dir/node$1.sock" -u root -N -e "$2" 2>/dev/null; }

# synced N: waits until server N has joined.
synced() {
  for _ in $(seq 240); do
    [ "$(asks "$1" "SHOW STATUS LIKE 'wsrep_local_state_comment'" | cut -f2)" != Synced ] || return 0
    sleep 0.25
  done
  echo "database server $1 does not join; see $dir/node$1.log" >&2
  return 1
}

# stepping N: starts copy N.
copy() {
  local n=$1
  STEPPING_ADDR=127.0.0.1:$((base + 60 + n)) STEPPING_SIGN_IN=${CLUSTER_SIGN_IN:-0} STEPPING_DATA="$dir/copy$n" \
    STEPPING_DSN="stepping:$password@tcp(127.0.0.1:$((base + 50 + n)))/stepping" bin/stepping demo >> "$dir/copy$n.log" 2>&1 &
  echo $! > "$dir/copy$n.pid"
}

if [ "${2:-}" = node ]; then node "$3"; trap - EXIT; exit 0; fi   # scripts/cluster.sh DIR node N: starts a killed one again
if [ "${2:-}" = copy ]; then password=$(cat "$dir/password"); copy "$3"; trap - EXIT; exit 0; fi

echo "$password" > "$dir/password"; chmod 600 "$dir/password"
mariadb-install-db --no-defaults "${as[@]}" --datadir="$dir/node1" --auth-root-authentication-method=normal --skip-test-db > "$dir/install.log" 2>&1
for n in 2 3; do cp -a "$dir/node1" "$dir/node$n"; done
[ "$(id -u)" != 0 ] || chown mysql "$dir"
node 1 --wsrep-new-cluster
synced 1
asks 1 "CREATE DATABASE stepping CHARACTER SET utf8mb4; CREATE USER stepping@127.0.0.1 IDENTIFIED BY '$password'; GRANT ALL ON stepping.* TO stepping@127.0.0.1; CREATE USER probe@127.0.0.1"
for n in 2 3; do node $n; synced $n; done

cat > "$dir/haproxy.cfg" <<CFG
global
  maxconn 512
defaults
  timeout connect 2s
  timeout client 1m
  timeout server 1m
  default-server inter 500 fall 2 rise 2
$(for n in 1 2; do
    echo "listen way$n"
    echo "  mode tcp"
    echo "  bind 127.0.0.1:$((base + 50 + n))"
    echo "  option mysql-check user probe"
    echo "  server own 127.0.0.1:$((base + n)) check on-marked-down shutdown-sessions"
    echo "  server other 127.0.0.1:$((base + 3 - n)) check backup on-marked-down shutdown-sessions"
    echo "  server third 127.0.0.1:$((base + 3)) check backup on-marked-down shutdown-sessions"
  done)
frontend door
  mode http
  bind 127.0.0.1:$((base + 70))
  use_backend tunes if { path_beg /tunes/ }
  default_backend pages
$(for kind in pages tunes; do
    echo "backend $kind"
    echo "  mode http"
    if [ $kind = tunes ]; then   # one tune's requests go to one copy, which has its plan; if that dies, only its tunes move
      echo "  balance hash path,field(3,/)"
      echo "  hash-type consistent"
    else
      echo "  balance roundrobin"
    fi
    cat <<BACKEND
  option httpchk
  http-check send meth GET uri /readyz ver HTTP/1.1 hdr Host 127.0.0.1
  option redispatch
  retries 3
  retry-on conn-failure empty-response
  server copy1 127.0.0.1:$((base + 61)) check
  server copy2 127.0.0.1:$((base + 62)) check
BACKEND
  done)
CFG
"$proxy" -f "$dir/haproxy.cfg" > "$dir/haproxy.log" 2>&1 &
echo $! > "$dir/haproxy.pid"
sleep 1.5
copy 1; copy 2
for _ in $(seq 240); do
  if curl -fsS -o /dev/null "http://127.0.0.1:$((base + 61))/readyz" 2>/dev/null && curl -fsS -o /dev/null "http://127.0.0.1:$((base + 62))/readyz" 2>/dev/null; then break; fi
  sleep 0.25
done
sleep 1.5
curl -fsS -o /dev/null "http://127.0.0.1:$((base + 70))/readyz"
echo "http://127.0.0.1:$((base + 70))" > "$dir/ready"
echo "Stepping on three database servers and two copies: http://127.0.0.1:$((base + 70))/   logs and pids: $dir"
while sleep 1; do :; done
