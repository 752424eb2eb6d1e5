#!/usr/bin/env bash
# Drives the launcher itself: from a home as earlier versions left it, to one that only its owner can enter; then a
# home that was copied, one behind a link, and one whose port is held for a moment. Ends only what it started.
set -uo pipefail

ROOT=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
PLACE=$(mktemp -d /tmp/yardage-launcher-XXXXXX)
chmod 755 "$PLACE"
passed=0
failed=0

free_port() {
  local port
  for port in $(seq "$1" "$(($1 + 400))"); do
    (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null || { echo "$port"; return; }
  done
}
YARDAGE_PORT=$(free_port 19273)
YARDAGE_DB_PORT=$(free_port $((YARDAGE_PORT + 1)))
export YARDAGE_PORT YARDAGE_DB_PORT
unset YARDAGE_SERVER YARDAGE_CLIENT_FILE YARDAGE_TOKEN

check() { # $1: what, then a command that must succeed
  local what=$1
  shift
  if "$@" >"$PLACE/check.log" 2>&1; then
    passed=$((passed + 1))
  else
    failed=$((failed + 1))
    printf 'FAILED  %s\n' "$what"
    head -c 2000 "$PLACE/check.log"
  fi
}

launcher() { YARDAGE_HOME=$HOME_NOW "$ROOT/yardage" "$@"; }
cleanup() { HOME_NOW=$PLACE/home launcher stop >/dev/null 2>&1; HOME_NOW=$PLACE/copy launcher stop >/dev/null 2>&1; rm -rf "$PLACE"; }
trap cleanup EXIT

nobody_else_reads() { # $1: a folder below which nothing may be for others
  local open
  open=$(find "$1" ! -type l -perm /077 ! -path "$1" | grep -v '/db/' | head -3)
  [ -z "$open" ] || { echo "open to others: $open"; return 1; }
  case $(stat -c '%a' "$1") in 700 | 710) ;; *) echo "the home has mode $(stat -c '%a' "$1")"; return 1 ;; esac
  [ "$(stat -c '%a' "$1/db")" = 700 ] || { echo "the database's folder has mode $(stat -c '%a' "$1/db")"; return 1; }
}

no_root_over_the_network() {
  local host
  for host in 127.0.0.1 localhost ::1; do
    if mariadb --no-defaults --protocol=tcp --host="$host" --port="$YARDAGE_DB_PORT" --user=root -e 'SELECT 1'; then
      echo "root comes in at $host"
      return 1
    fi
  done
}

accounts_are_their_own() {
  [ "$(id -u)" = 0 ] || return 0
  local db service
  db=$(stat -c '%U' "/proc/$(cat "$HOME_NOW/db/m.pid")")
  service=$(stat -c '%U' "/proc/$(cat "$HOME_NOW/service.pid")")
  echo "MariaDB as $db, the service as $service"
  [ "$db" != root ] && [ "$service" != root ]
}

answers() { curl -fs "http://127.0.0.1:$YARDAGE_PORT/api/v1/health" || { cat "$PLACE/said.log"; tail -n 5 "$HOME_NOW/service.log" "$HOME_NOW/db/server.log"; return 1; }; }
said() { grep -q -- "$1" "$PLACE/said.log" || { cat "$PLACE/said.log"; return 1; }; }

# A home of before: open to all, MariaDB run by whoever starts it, root without a password at every address but one.
HOME_NOW=$PLACE/home
mkdir -p "$HOME_NOW/db" "$HOME_NOW/lake/inbox" "$HOME_NOW/set-aside"
echo '{"original":"a row"}' >"$HOME_NOW/set-aside/run-1.jsonl"
echo "roll;loom" >"$HOME_NOW/lake/inbox/rolls.txt"
chmod -R go+rX "$HOME_NOW"
me=$(id -un)
mariadb-install-db --no-defaults --user="$me" --datadir="$HOME_NOW/db/data" --auth-root-authentication-method=normal --skip-test-db >/dev/null 2>&1
mariadbd --no-defaults --user="$me" --datadir="$HOME_NOW/db/data" --socket="$PLACE/old.sock" --port="$YARDAGE_DB_PORT" --bind-address=127.0.0.1 --skip-name-resolve >/dev/null 2>&1 &
old=$!
for _ in $(seq 1 100); do mariadb --no-defaults --socket="$PLACE/old.sock" -uroot -e 'SELECT 1' >/dev/null 2>&1 && break; sleep 0.1; done
echo oldpassword >"$HOME_NOW/db/password"
mariadb --no-defaults --socket="$PLACE/old.sock" -uroot -e "
  CREATE DATABASE yardage; CREATE USER yardage@'127.0.0.1' IDENTIFIED BY 'oldpassword'; GRANT ALL ON yardage.* TO yardage@'127.0.0.1';
  CREATE TABLE yardage.kept (n INT); INSERT INTO yardage.kept VALUES (7); DROP TABLE yardage.kept;
  ALTER USER root@localhost IDENTIFIED VIA unix_socket OR mysql_native_password USING 'invalid';"
check "the home of before is as it was: root comes in by the network" \
  mariadb --no-defaults --protocol=tcp --host=127.0.0.1 --port="$YARDAGE_DB_PORT" --user=root -e 'SELECT 1'
kill "$old"
wait "$old" 2>/dev/null
touch "$HOME_NOW/db/ready"

launcher start >"$PLACE/said.log" 2>&1
check "it starts" answers
check "it says what runs as whom, or that one account is enough" sh -c "[ $(id -u) != 0 ] || grep -q 'MariaDB runs as\|MariaDB as' '$PLACE/said.log'"
check "the first sign-in is shown, and kept nowhere" said "one-time password"
check "no file keeps the one-time password" sh -c "! grep -rqs 'one-time password' '$HOME_NOW' --include='*.out' --include='*.log' --include='first-sign-in'"
check "nobody else enters or reads" nobody_else_reads "$HOME_NOW"
check "root comes in by no address" no_root_over_the_network
check "accounts of their own" accounts_are_their_own
check "the service's password is not seen in the list of processes" sh -c "! ps -eo args | grep -v grep | grep -q '$(cat "$HOME_NOW/db/password")'"
check "a second start says so" sh -c "YARDAGE_HOME='$HOME_NOW' '$ROOT/yardage' start | grep -q 'running already'"
password=$(head -c 40 /dev/urandom | base64 | tr -dc 'a-zA-Z0-9' | cut -c1-20)
printf '%s\n%s\n' "$(sed -n 's/.*one-time password \([a-z0-9]*\).*/\1/p' "$PLACE/said.log")" "$password" | launcher sign-in --password-stdin >"$PLACE/sign-in.log" 2>&1
check "signing in works" launcher token list

# Something in a table, so that the home's place matters.
cat >"$PLACE/rolls.yaml" <<'Y'
feed: rolls
files: rolls.txt
text: {separator: ";"}
columns: {roll: int, loom: varchar}
Y
cat >"$PLACE/land.yaml" <<'Y'
pipeline: land
steps:
  rolls: {read: {feed: rolls}}
  keep: {from: rolls, write: {table: raw.rolls}}
Y
printf 'roll;loom\n1;L1\n2;L2\n' >"$HOME_NOW/lake/inbox/rolls.txt"
chmod 644 "$HOME_NOW/lake/inbox/rolls.txt"
check "a feed" launcher feed apply "$PLACE/rolls.yaml"
check "a pipeline" launcher pipeline apply "$PLACE/land.yaml"
check "a run" launcher run land --wait
launcher stop >"$PLACE/said.log" 2>&1
check "stop ends the service by itself" said "The service is stopped"

# Another program holds the port for a moment.
python3 -c "import socket,time
s=socket.socket(); s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1); s.bind(('127.0.0.1', $YARDAGE_PORT)); s.listen(); time.sleep(2)" 2>/dev/null &
holder=$!
launcher start >"$PLACE/said.log" 2>&1
check "a port that is held for a moment is waited for" answers
wait "$holder" 2>/dev/null
launcher stop >/dev/null 2>&1

# Copied elsewhere: refused until somebody says that it was meant.
cp -a "$HOME_NOW" "$PLACE/copy"
HOME_NOW=$PLACE/copy
launcher start >"$PLACE/said.log" 2>&1
check "a copied home does not start by itself" said "start --moved"
launcher start --moved >"$PLACE/said.log" 2>&1
check "it starts when it is told" answers
check "its tables are read where they are" sh -c "YARDAGE_HOME='$HOME_NOW' '$ROOT/yardage' query 'SELECT sum(roll) AS s FROM raw.rolls' | grep -qw 3"
check "and name no file of the other" sh -c "! grep -l '$PLACE/home/' '$HOME_NOW'/lake/tables/raw/rolls/metadata/*moved* 2>/dev/null | grep -q ."
launcher stop >/dev/null 2>&1

# Behind a link: nothing to say.
ln -s "$PLACE/home" "$PLACE/link"
HOME_NOW=$PLACE/link
launcher start >"$PLACE/said.log" 2>&1
check "a home behind a link starts" answers
check "its tables expire without loss" sh -c "YARDAGE_HOME='$HOME_NOW' '$ROOT/yardage' table expire raw.rolls --keep 1 --older-than 0h && YARDAGE_HOME='$HOME_NOW' '$ROOT/yardage' query 'SELECT sum(roll) AS s FROM raw.rolls' | grep -qw 3"

# Told to stop, or killed, and started again at once.
kill "$(cat "$HOME_NOW/service.pid")" "$(cat "$HOME_NOW/db/m.pid")"
launcher start >"$PLACE/said.log" 2>&1
check "a start right after a stop was asked for starts" answers
kill -9 "$(cat "$HOME_NOW/service.pid")"
launcher start >"$PLACE/said.log" 2>&1
check "a start right after a kill starts" answers
launcher stop >"$PLACE/said.log" 2>&1
check "stop ends the service by itself again" said "The service is stopped"
HOME_NOW=$PLACE/home

# Where nothing is set up, the client says so and builds nothing.
check "without a home the client says what to do" sh -c "YARDAGE_HOME='$PLACE/none' '$ROOT/yardage' runs 2>&1 | grep -q './yardage demo'"
check "and builds nothing" sh -c "[ ! -e '$PLACE/none/app' ] && [ ! -e '$PLACE/none/built' ]"
check "a name of no test is refused" sh -c "YARDAGE_HOME='$PLACE/none' '$ROOT/yardage' test --only NoSuchTest 2>&1 | grep -q 'No test is named'"

printf 'launcher: %d passed, %d failed\n' "$passed" "$failed"
[ "$failed" = 0 ]
