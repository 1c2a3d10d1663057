import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { daysUntil, HEADROOM, placesFor, roomOfSites, withoutCarrier, type Carrier, type Movable } from "./capacity";

const GIB = 2 ** 30;
const guest = (id: number, more: Partial<Movable> = {}): Movable => ({
  id,
  name: `vm-${id}`,
  cpu: { mean: 1, peak: 2 },
  memory: { mean: 4 * GIB, peak: 4 * GIB },
  processors: 2,
  set: null,
  ...more,
});
const carrier = (id: number, guests: Movable[], cpu = 10, gib = 32): Carrier => ({
  id,
  name: `virt-${id}`,
  cpu,
  memory: gib * GIB,
  guests,
  own: { cpu: 0, memory: 0 },
});

describe("where a machine could move", () => {
  it("fits always where even all peaks together leave room, on average where they do not", () => {
    const [roomy, tight] = [carrier(1, [guest(10)]), carrier(2, [guest(20, { cpu: { mean: 2, peak: 8 } })])];
    const places = placesFor(guest(5), [tight, roomy]);
    expect(places.map((one) => [one.name, one.fits])).toEqual([
      ["virt-1", "always"],
      ["virt-2", "on average"],
    ]);
    expect(places[0]?.cpuLeft).toEqual({ mean: 10 * (1 - HEADROOM) - 2, peak: 10 * (1 - HEADROOM) - 4 });
    expect(places[1]?.against).toBe("processors run short if all peaks come together");
  });
  it("is not where one of its set is, nor where it is itself", () => {
    const places = placesFor(guest(5, { set: "gate" }), [
      carrier(1, [guest(10, { set: "gate", name: "gate-02" })]),
      carrier(2, [guest(5, { set: "gate" })]),
    ]);
    expect(places).toHaveLength(1);
    expect(places[0]).toMatchObject({ fits: "not", against: "gate-02 of the same set is there" });
  });
  it("is not where memory is lacking, however idle the processors", () => {
    expect(placesFor(guest(5), [carrier(1, [], 64, 4)])[0]).toMatchObject({
      fits: "not",
      against: "too little memory",
    });
  });
});

describe("one host less", () => {
  it("says who would find no place, and why", () => {
    const lost = carrier(1, [guest(1), guest(2), guest(3, { memory: { mean: 60 * GIB, peak: 60 * GIB } })]);
    const loss = withoutCarrier(lost, [carrier(2, [], 10, 32)]);
    expect(loss.moved.map((one) => one.guest.id).sort()).toEqual([1, 2]);
    expect(loss.stranded).toMatchObject([{ guest: { id: 3 }, why: "too little memory" }]);
    expect(withoutCarrier(lost, []).stranded[0]?.why).toBe("there is no other host");
  });
  it("never puts more on a host than it has, and loses nobody", () => {
    const use = fc.record({
      mean: fc.double({ min: 0, max: 4, noNaN: true }),
      peak: fc.double({ min: 4, max: 8, noNaN: true }),
    });
    const machine = fc.record({
      cpu: use,
      memory: use,
      processors: fc.constant(2),
      set: fc.constantFrom(null, "a", "b"),
    });
    fc.assert(
      fc.property(fc.array(fc.array(machine, { maxLength: 6 }), { minLength: 1, maxLength: 5 }), (hosts) => {
        let id = 0;
        const all = hosts.map((guests, index): Carrier => ({
          ...carrier(
            index,
            guests.map((one) => guest(++id, { ...one })),
          ),
          memory: 20,
          cpu: 20,
        }));
        const [lost, ...others] = all as [Carrier, ...Carrier[]];
        const { moved, stranded } = withoutCarrier(lost, others);
        expect([...moved, ...stranded].map((one) => one.guest.id).sort()).toEqual(
          lost.guests.map((one) => one.id).sort(),
        );
        for (const other of others) {
          const come = moved.filter((one) => one.to.id === other.id).map((one) => one.guest);
          if (come.length === 0) continue;
          const sum = [...other.guests, ...come].reduce((total, one) => total + one.cpu.mean, 0);
          expect(sum).toBeLessThanOrEqual(20 * (1 - HEADROOM) + 1e-9);
          const sets = come.flatMap((one) => one.set ?? []);
          expect(new Set(sets).size).toBe(sets.length);
        }
      }),
      { numRuns: 500 },
    );
  });
});

describe("days until full", () => {
  const DAY = 86_400_000;
  const line = (values: number[]) => values.map((value, index) => ({ atMs: index * DAY, value }));
  it("of a line with a known slope", () => {
    expect(daysUntil(line([50, 52, 54, 56]), 90)).toEqual({ days: 17, soonest: 17, latest: 17, perDay: 2 });
  });
  it("is not bent by an odd day", () => {
    const forecast = daysUntil(line([50, 52, 95, 56, 58, 60]), 90);
    expect(forecast?.perDay).toBe(2);
    expect(forecast?.days).toBe(15);
  });
  it("is never where nothing grows, now where it is full, unknown from two points", () => {
    expect(daysUntil(line([60, 60, 60]), 90)?.days).toBeNull();
    expect(daysUntil(line([60, 55, 50]), 90)?.days).toBeNull();
    expect(daysUntil(line([70, 80, 90]), 90)?.days).toBe(0);
    expect(daysUntil(line([60, 70]), 90)).toBeUndefined();
  });
});

it("a site has room without its largest host, or it lacks it", () => {
  const host = (site: string, usable: number, allotted: number) => ({ site, usable, allotted });
  expect(roomOfSites([host("a", 90, 40), host("a", 90, 40), host("b", 90, 80), host("b", 50, 10)])).toEqual([
    { site: "b", hosts: 2, usable: 140, allotted: 90, oneLess: -40 },
    { site: "a", hosts: 2, usable: 180, allotted: 80, oneLess: 10 },
  ]);
  expect(roomOfSites([host("alone", 90, 1)])[0]?.oneLess).toBe(-1);
});
