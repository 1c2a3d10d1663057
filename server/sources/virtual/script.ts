/**
 * What is run on a virtualisation host, word for word: the tool of the common open virtualisation library, by its read-only
 * connection (`-r`). It reads and changes nothing. Listed in docs/security.md.
 */
export const virtualScript = (
  uri: string,
): string => `LC_ALL=C; export LC_ALL; PATH="$PATH:/usr/sbin:/sbin"; export PATH
s() { printf '\\036%s\\n' "$1"; }
v() { timeout 20 virsh -r -c '${uri}' "$@" 2>/dev/null </dev/null; }
command -v virsh >/dev/null || { s missing; s end; exit 0; }
s version; v version
s name; v hostname || hostname
s uuid; v capabilities | sed -n 's/.*<uuid>\\(.*\\)<\\/uuid>.*/\\1/p' | head -1
s node; v nodeinfo
s stats; v domstats --raw
s machines; { v list --all --uuid || echo '!'; } | while read -r d; do [ -n "$d" ] || continue; echo "@$d"; v dominfo "$d"; echo '#ports'; v domiflist "$d"; echo '#disks'; v domblklist "$d" --details; done
s networks; { v net-list --all --name || echo '!'; } | while read -r n; do [ -n "$n" ] || continue; echo "@$n"; v net-info "$n"; done
s pools; { v pool-list --name || echo '!'; } | while read -r p; do [ -n "$p" ] || continue; echo "@$p"; v pool-info "$p" --bytes; echo '#volumes'; v vol-list "$p"; done
s end
`;
