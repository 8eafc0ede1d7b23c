#!/bin/sh
# need.sh PROGRAM:PACKAGE … installs the Debian packages whose programs, or
# files if they begin with a slash, are not on the machine. Quick and silent when all are there.
set -e
PATH="$PATH:/usr/sbin"
missing=""
for pair in "$@"; do
  what="${pair%%:*}"
  case "$what" in
    /*) [ -e "$what" ] || missing="$missing ${pair#*:}" ;;
    *) command -v "$what" >/dev/null 2>&1 || missing="$missing ${pair#*:}" ;;
  esac
done
[ -z "$missing" ] && exit 0
echo "installing:$missing"
sudo=""
if [ "$(id -u)" != 0 ]; then
  command -v sudo >/dev/null 2>&1 || { echo "install them as root:$missing" >&2; exit 1; }
  sudo="sudo"
fi
export DEBIAN_FRONTEND=noninteractive
$sudo apt-get update -qq
# The database server that the package starts by itself is not wanted: each
# checkout runs its own.
policy=/usr/sbin/policy-rc.d
made=""
if [ ! -e "$policy" ]; then
  printf '#!/bin/sh\nexit 101\n' | $sudo tee "$policy" >/dev/null
  $sudo chmod +x "$policy"
  made=yes
fi
$sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null || status=$?
[ -n "$made" ] && $sudo rm -f "$policy"
exit "${status:-0}"
