import { describe, expect, it } from "vitest";
import { guestKey, placeGuests, type ReadHost } from "./guests";
import type { GuestRow } from "./sighting";

const guest = (name: string, changes: Partial<GuestRow> = {}): GuestRow => ({
  index: 1,
  name,
  uuid: "",
  system: "Linux",
  state: "running",
  processors: 2,
  memoryBytes: 4e9,
  physAddresses: [],
  ...changes,
});
const host = (id: number, name: string, ...addresses: string[]): ReadHost => ({
  id,
  name,
  interfaces: addresses.map((physAddress, index) => ({
    index,
    name: `eth${index}`,
    type: 6,
    speedBps: 1e9,
    physAddress,
    up: true,
  })),
});
const MAC = "02:5e:00:00:00:01";

describe("which host is which virtual machine", () => {
  it("goes by the hardware address before the name", () => {
    const [placed] = placeGuests(
      [{ id: 9, guests: [guest("old-name", { physAddresses: [MAC.toUpperCase()] })] }],
      [host(1, "old-name.example"), host(2, "other", MAC)],
    );
    expect(placed).toMatchObject({ hostId: 2, hypervisor: 9, why: `hardware address ${MAC.toUpperCase()}` });
  });
  it("goes by the short name where no address fits", () =>
    expect(
      placeGuests(
        [{ id: 9, guests: [guest("Web-01", { physAddresses: ["02:00:00:00:00:99"] })] }],
        [host(1, "web-01.example", MAC)],
      )[0],
    ).toMatchObject({ hostId: 1, why: "name Web-01" }));
  it("trusts no address or name that two hosts have, nor one that means nothing", () => {
    const twins = [host(1, "twin", MAC), host(2, "twin", MAC)];
    expect(placeGuests([{ id: 9, guests: [guest("twin", { physAddresses: [MAC] })] }], twins)[0]).toMatchObject({
      hostId: null,
    });
    expect(
      placeGuests(
        [{ id: 9, guests: [guest("x", { physAddresses: ["00:00:00:00:00:00"] })] }],
        [host(1, "y", "00:00:00:00:00:00")],
      )[0],
    ).toMatchObject({ hostId: null });
  });
  it("takes no hypervisor for a machine of another, nor of itself", () => {
    const hypervisor = host(9, "virt-01", MAC);
    expect(
      placeGuests([{ id: 9, guests: [guest("virt-01", { physAddresses: [MAC] })] }], [hypervisor])[0],
    ).toMatchObject({ hostId: null });
  });
  it("has a machine that moves where it runs, and where two say so with the one read last", () => {
    const uuid = "c1d6a2f0-0000-4000-a000-000000000001";
    const stopped = { id: 8, guests: [guest("m", { uuid, state: "shut down", physAddresses: [MAC] })] };
    const running = { id: 9, guests: [guest("m", { uuid, physAddresses: [MAC] })] };
    expect(placeGuests([stopped, running], [host(1, "m", MAC)]).map((one) => one.hypervisor)).toEqual([9]);
    expect(placeGuests([{ ...running, id: 7 }, running], []).map((one) => one.hypervisor)).toEqual([7]);
  });
  it("makes no two guests one host", () => {
    const placed = placeGuests(
      [{ id: 9, guests: [guest("a", { physAddresses: [MAC] }), guest("b", { index: 2, physAddresses: [MAC] })] }],
      [host(1, "h", MAC)],
    );
    expect(placed.map((one) => one.guest.name)).toEqual(["a"]);
  });
  it("goes by UUID, else by the name on its hypervisor", () => {
    expect(guestKey({ uuid: "u", name: "n" }, 9)).toBe("uuid:u");
    expect(guestKey({ uuid: "", name: "n" }, 9)).toBe("guest:9:n");
  });
});
