import { NET, OutsideHost } from "./estate";

const at = (last: number) => `${NET}.${last}`;
const NODE = process.execPath;
const APPS = `${process.cwd()}/tests/outside/apps`;

/** Which of snmpd's configurations a host has. */
type Snmpd = "as packaged" | "as root" | "SNMPv3";
const PASS = "outside-pass-1";
export const SNMP_USER = { user: "watcher", authenticationKey: PASS, privacyKey: `${PASS}-2` };

/** Debian's own configuration, but for the address it listens on; the whole tree for root; a user instead of a community. */
const SNMPD: Readonly<Record<Snmpd, { config: string; user: string }>> = {
  "as packaged": {
    user: "-u Debian-snmp -g Debian-snmp",
    config: `agentaddress udp:161,udp6:161
sysServices 72
view systemonly included .1.3.6.1.2.1.1
view systemonly included .1.3.6.1.2.1.25.1
rocommunity public default -V systemonly
rocommunity6 public default -V systemonly`,
  },
  "as root": {
    user: "",
    config: "agentaddress udp:161,udp6:161\nsysServices 72\nrocommunity public\nrocommunity6 public",
  },
  SNMPv3: {
    user: "-u Debian-snmp -g Debian-snmp",
    config: `agentaddress udp:161
sysServices 72
createUser ${SNMP_USER.user} SHA-256 ${SNMP_USER.authenticationKey} AES ${SNMP_USER.privacyKey}
rouser ${SNMP_USER.user} priv`,
  },
};

const snmpd = (kind: Snmpd) => `
mkdir -p snmp && cat > snmp/snmpd.conf <<'CONF'
${SNMPD[kind].config}
CONF
chmod -R 777 snmp
SNMP_PERSISTENT_DIR=$PWD/snmp snmpd -f -Lf snmp/log -C -c $PWD/snmp/snmpd.conf ${SNMPD[kind].user} &`;

const sshd = `
mkdir -p /run/sshd ssh && ssh-keygen -q -t ed25519 -N '' -f ssh/host
cp ${process.cwd()}/node_modules/.outside/key.pub ssh/authorized 2>/dev/null; chown root ssh/authorized; chmod 600 ssh/authorized
/usr/sbin/sshd -D -e -o HostKey=$PWD/ssh/host -o AuthorizedKeysFile=$PWD/ssh/authorized -o StrictModes=no -o PidFile=none -o UsePAM=no -o PermitRootLogin=yes 2> ssh/log &`;

export const EDGE = new OutsideHost("edge", at(11));
export const WEB = new OutsideHost("web", at(12));
export const APP = new OutsideHost("app", at(13));
export const DB = new OutsideHost("db", at(14));
export const HOSTS = [EDGE, WEB, APP, DB];

export const SNMPD_OF = new Map<OutsideHost, Snmpd>([
  [EDGE, "as packaged"],
  [WEB, "as root"],
  [APP, "SNMPv3"],
  [DB, "as root"],
]);

/** A proxy before a web server before an application before a database and a cache, and what else is on them. */
const SCRIPTS = new Map<OutsideHost, string>([
  [
    EDGE,
    `cat > haproxy.cfg <<'CONF'
defaults
  mode http
  timeout connect 2s
  timeout client 60s
  timeout server 60s
frontend in
  bind :80
  default_backend web
backend web
  http-reuse always
  server web ${at(12)}:80
CONF
haproxy -db -f haproxy.cfg &`,
  ],
  [
    WEB,
    `openssl req -x509 -newkey rsa:2048 -nodes -keyout key.pem -out cert.pem -days 30 -subj "/CN=web.outside.example" -addext "subjectAltName=DNS:web.outside.example,IP:${at(12)}" 2>/dev/null
cat > nginx.conf <<CONF
daemon off;
pid $PWD/nginx.pid;
error_log $PWD/error.log;
events {}
http {
  access_log off;
  client_body_temp_path $PWD/body; proxy_temp_path $PWD/proxy; fastcgi_temp_path $PWD/f; uwsgi_temp_path $PWD/u; scgi_temp_path $PWD/s;
  upstream orders { server ${at(13)}:8081; keepalive 4; }
  server {
    listen 80; listen [::]:80; listen 443 ssl; listen [::]:443 ssl;
    ssl_certificate $PWD/cert.pem; ssl_certificate_key $PWD/key.pem;
    location / { proxy_http_version 1.1; proxy_set_header Connection ""; proxy_pass http://orders; }
  }
}
CONF
nginx -c $PWD/nginx.conf &`,
  ],
  [
    APP,
    `${NODE} ${APPS}/orders.mjs 8081 ${at(14)}:5432 ${at(14)}:6379 &
${NODE} ${APPS}/stock.mjs 8082 ${at(14)}:5432 &`,
  ],
  [
    DB,
    `mkdir -p pg && chown postgres pg && chmod 700 pg
setpriv --reuid=postgres --regid=postgres --clear-groups bash -c '/usr/lib/postgresql/15/bin/initdb -D pg -A trust >/dev/null && echo "host all all ${NET}.0/24 trust" >> pg/pg_hba.conf && exec /usr/lib/postgresql/15/bin/postgres -D pg -c listen_addresses="*" -c unix_socket_directories=""' 2> pg.log &
redis-server --bind 0.0.0.0 --port 6379 --protected-mode no --save "" > redis.log &
redis-server --bind 0.0.0.0 --port 6380 --protected-mode no --save "" > redis2.log &
memcached -u nobody -l 0.0.0.0 -p 11211 &
printf 'listener 1883 0.0.0.0\\nallow_anonymous true\\n' > mosquitto.conf
mosquitto -c $PWD/mosquitto.conf &`,
  ],
]);

export function startHost(host: OutsideHost): void {
  host.start(`${sshd}\n${snmpd(SNMPD_OF.get(host) as Snmpd)}\n${SCRIPTS.get(host)}`);
}
