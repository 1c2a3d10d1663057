import type { GuestRow, SystemSighting } from "./sighting";

/** A host that was read by itself, as far as telling whether it is a guest needs it. */
export interface ReadHost {
  id: number;
  name: string;
  interfaces: SystemSighting["interfaces"];
  /** Of the machine, where it is told. */
  uuid?: string;
}

export interface PlacedGuest {
  guest: GuestRow;
  /** Hypervisor that tells of it. */
  hypervisor: number;
  /** The host it is, when it was read by itself too. */
  hostId: number | null;
  why: string;
}

const shortName = (name: string) => name.toLowerCase().split(".")[0] as string;
const meansNothing = (address: string) =>
  address === "" || /^(00:)+00$/.test(address) || address === "ff:ff:ff:ff:ff:ff";

/**
 * Tells which of the hosts that were read by themselves are guests of which hypervisor: by a hardware address that
 * only one host has, else by a name that only one host has. A guest is one host at most and a host one guest; of two
 * hypervisors that tell of one machine, as they do while it moves, the one on which it runs has it.
 */
export function placeGuests(
  hypervisors: readonly { id: number; guests: readonly GuestRow[] }[],
  hosts: readonly ReadHost[],
): PlacedGuest[] {
  const only = (pairs: Iterable<readonly [string, number]>) => {
    const found = new Map<string, number | null>();
    for (const [key, id] of pairs) found.set(key, found.has(key) && found.get(key) !== id ? null : id);
    return found;
  };
  const ownIds = new Set(hypervisors.map((one) => one.id));
  const others = hosts.filter((host) => !ownIds.has(host.id));
  const byAddress = only(
    others.flatMap((host) =>
      host.interfaces
        .filter((row) => !meansNothing(row.physAddress))
        .map((row) => [row.physAddress.toLowerCase(), host.id] as const),
    ),
  );
  const byUuid = only(others.flatMap((host) => (host.uuid ? [[host.uuid, host.id] as const] : [])));
  const byName = only(others.map((host) => [shortName(host.name), host.id] as const));
  const identify = (guest: GuestRow): Pick<PlacedGuest, "hostId" | "why"> => {
    const same = guest.uuid ? byUuid.get(guest.uuid) : undefined;
    if (same !== undefined && same !== null) return { hostId: same, why: `UUID ${guest.uuid}` };
    for (const address of guest.physAddresses) {
      const id = byAddress.get(address.toLowerCase());
      if (id !== undefined && id !== null) return { hostId: id, why: `hardware address ${address}` };
    }
    const id = byName.get(shortName(guest.name));
    if (id !== undefined && id !== null) return { hostId: id, why: `name ${guest.name}` };
    return { hostId: null, why: "no host that was read has its hardware address or its name" };
  };
  const rank = (one: { guest: GuestRow }) =>
    one.guest.state === "running" ? 0 : one.guest.state === "migrating" ? 1 : 2;
  const all = hypervisors
    .flatMap(({ id, guests }) => guests.map((guest) => ({ guest, hypervisor: id, ...identify(guest) })))
    .sort((a, b) => rank(a) - rank(b));
  const taken = new Set<string>();
  return all.filter((one) => {
    const keys = [one.hostId === null ? "" : `host ${one.hostId}`, one.guest.uuid && `uuid ${one.guest.uuid}`].filter(
      Boolean,
    );
    if (keys.some((key) => taken.has(key))) return false;
    for (const key of keys) taken.add(key);
    return true;
  });
}

/** What a guest goes by in the store: its UUID, or its name on the hypervisor that tells of it. */
export const guestKey = (guest: Pick<GuestRow, "uuid" | "name">, hypervisor: number): string =>
  guest.uuid ? `uuid:${guest.uuid}` : `guest:${hypervisor}:${guest.name}`;
