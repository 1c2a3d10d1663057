/**
 * What is run on a Linux host, word for word: it reads and changes nothing. Listed in docs/security.md. Where the user may
 * use sudo without a password, it is used to see whose sockets and files are; else what the user may see is seen.
 */

const BEGIN = `LC_ALL=C; export LC_ALL; PATH="$PATH:/usr/sbin:/sbin"; export PATH
R=; if [ "$(id -u)" != 0 ] && sudo -n true 2>/dev/null; then R="sudo -n"; fi
s() { printf '\\036%s\\n' "$1"; }
`;

/** What runs and who talks: read by sweeps and by polls. */
const RUNNING = `s processes; ps -ww -eo pid=,ppid=,user:32=,args= 2>/dev/null || ps -o pid=,ppid=,user=,args=
s names; ps -eo pid=,comm= 2>/dev/null
s executables; $R sh -c 'ls -l /proc/[0-9]*/exe' 2>/dev/null
s groups; grep -H . /proc/[0-9]*/cgroup 2>/dev/null
s sockets; $R ss -tanp 2>/dev/null
s memory; cat /proc/meminfo
s mounts; cat /proc/mounts
s disks; timeout 5 df -Pk 2>/dev/null || df -Pkl 2>/dev/null
`;

/** One look at all that discovery wants. */
export const LOOK = `${BEGIN}s kernel; uname -srm
s name; hostname -f 2>/dev/null || hostname
s os; cat /etc/os-release 2>/dev/null
s hardware; for f in product_uuid product_serial product_name sys_vendor; do printf '%s=' $f; $R cat /sys/class/dmi/id/$f 2>/dev/null || echo; done
s processors; grep -c ^processor /proc/cpuinfo
s addresses; ip -o addr show 2>/dev/null
s interfaces; for i in /sys/class/net/*; do echo "\${i##*/} $(cat $i/address 2>/dev/null) $(cat $i/operstate 2>/dev/null) $(cat $i/speed 2>/dev/null)"; done
${RUNNING}s packages; dpkg-query -W -f '\${Package} \${Version}\\n' 2>/dev/null || rpm -qa --qf '%{NAME} %{VERSION}-%{RELEASE}\\n' 2>/dev/null || apk list -I 2>/dev/null | sed 's/-\\([0-9]\\)/ \\1/;s/ .*\\[.*//'
s files; dpkg -S $($R sh -c 'ls -l /proc/[0-9]*/exe' 2>/dev/null | sed -n 's/.* -> \\(\\/[^ ]*\\)$/\\1/p' | sort -u | head -200) 2>/dev/null
s cron; cat /etc/crontab /etc/cron.d/* 2>/dev/null | grep -v '^ *#' | head -200
s timers; systemctl list-timers --all --no-legend --no-pager 2>/dev/null
s end
`;

/** One look for metrics. */
export const POLL = `${BEGIN}${RUNNING}s stat; cat /proc/stat
s traffic; cat /proc/net/dev
s devices; cat /proc/diskstats 2>/dev/null
s interfaces; for i in /sys/class/net/*; do echo "\${i##*/} $(cat $i/address 2>/dev/null) $(cat $i/operstate 2>/dev/null) 0"; done
s use; ps -eo pid=,rss=,cputimes= 2>/dev/null
s clock; date +%s
s end
`;
