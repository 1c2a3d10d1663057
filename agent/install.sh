#!/bin/sh
# Installs the Linux host agent of Holotaxis on this host, or brings it up to date:
#   sh agent.sh URL CODE [SITE]
# URL is where signals are taken, CODE an enrolment code (not needed where the host has enrolled). With a private
# authority, HOLOTAXIS_CA names its certificate (PEM). HOLOTAXIS_PREFIX is put before every path that is written.
set -eu

url=${1:-}
code=${2:-}
site=${3:-}
prefix=${HOLOTAXIS_PREFIX:-}
ca=${HOLOTAXIS_CA:-}
program="$prefix/opt/holotaxis-agent"
state="$prefix/etc/holotaxis-agent"

refuse() {
  echo "$1" >&2
  exit 2
}

case $url in
http://* | https://*) ;;
*) refuse "Say where signals are taken: sh agent.sh URL CODE [SITE], with a URL like https://ops.example:4318." ;;
esac
case $url$site in
*[!A-Za-z0-9:/._\ \[\]-]*) refuse "The URL and the site may have letters, digits, blanks and : / . _ - [ ] only." ;;
esac
url=${url%/}
[ "$(uname -s)" = Linux ] || refuse "This agent is for Linux."
[ -n "$prefix" ] || [ "$(id -u)" = 0 ] || refuse "Run this as root: it writes to /opt and /etc and makes a service."
node=$(command -v node) || refuse "Node.js 20 or later is needed and not here. Install it first."
"$node" -e 'process.exit(Number(process.versions.node.split(".")[0]) >= 20 ? 0 : 1)' ||
  refuse "Node.js 20 or later is needed; $node is $("$node" --version)."
command -v curl >/dev/null || refuse "curl is needed and not here. Install it first."

umask 077
mkdir -p "$program" "$state"
chmod 755 "$program"
curl -fsS --max-time 60 ${ca:+--cacert "$ca"} -o "$program/main.mjs.new" "$url/agent.js" ||
  refuse "The agent could not be fetched from $url/agent.js."
chmod 644 "$program/main.mjs.new"
mv "$program/main.mjs.new" "$program/main.mjs"
if [ -n "$ca" ]; then
  cp "$ca" "$program/ca.pem"
  chmod 644 "$program/ca.pem"
  export NODE_EXTRA_CA_CERTS="$program/ca.pem"
fi
if [ ! -s "$state/token" ]; then
  [ -n "$code" ] || refuse "Give an enrolment code: sh agent.sh URL CODE. One is made under Setup › Tokens."
  "$node" "$program/main.mjs" --to "$url" --token-file "$state/token" --enrol "$code" --enrol-only
fi

# Where it stands, as it was said the last time if not now.
[ -n "$site" ] || [ ! -f "$state/site" ] || site=$(cat "$state/site")
at=
if [ -n "$site" ]; then
  echo "$site" >"$state/site"
  at=" --site \"$site\""
fi

# What the owner of this host allows it to do, where there is such a file.
acts=
[ ! -f "$prefix/etc/holotaxis-agent/actions.json" ] || acts=" --actions /etc/holotaxis-agent/actions.json"

unit="$prefix/etc/systemd/system/holotaxis-agent.service"
mkdir -p "$(dirname "$unit")"
cat >"$unit" <<UNIT
[Unit]
Description=Host agent of Holotaxis
Wants=network-online.target
After=network-online.target

[Service]
ExecStart=$node --max-old-space-size=48 $program/main.mjs --to "$url" --token-file %d/token$at$acts
${ca:+Environment=NODE_EXTRA_CA_CERTS=$program/ca.pem}
LoadCredential=token:$state/token
DynamicUser=yes
# To see whose sockets are whose; it changes nothing.
AmbientCapabilities=CAP_SYS_PTRACE CAP_DAC_READ_SEARCH
CapabilityBoundingSet=CAP_SYS_PTRACE CAP_DAC_READ_SEARCH
NoNewPrivileges=yes
ProtectSystem=strict
ProtectHome=read-only
PrivateTmp=yes
RestrictAddressFamilies=AF_INET AF_INET6 AF_UNIX AF_NETLINK
MemoryMax=160M
CPUQuota=20%
Restart=always
RestartSec=10

[Install]
WantedBy=multi-user.target
UNIT
chmod 644 "$unit"
if [ -z "$prefix" ] && [ -d /run/systemd/system ]; then
  systemctl daemon-reload
  systemctl enable --quiet holotaxis-agent
  systemctl restart holotaxis-agent
  echo "The agent runs as the service holotaxis-agent and reports to $url."
else
  echo "There is no systemd here. Have this started with the host:"
  echo "  $node $program/main.mjs --to \"$url\" --token-file $state/token$at"
fi
