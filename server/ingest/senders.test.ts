import fc from "fast-check";
import { expect, it } from "vitest";
import type { Db } from "../store/database";
import { componentById, insertComponent, retireComponent } from "../store/estate";
import { SampleWriter } from "./sample-writer";
import { Senders } from "./senders";
import { useStore } from "../../tests/store";

let db: Db;
useStore((opened) => (db = opened));

const named = fc.constantFrom("a", "b", "c");
const sender = fc.oneof(
  named.map((name) => ({ "host.name": `${name}.example` })),
  fc
    .tuple(named, fc.constantFrom("web", "db"))
    .map(([name, service]) => ({ "host.name": name, "service.name": service })),
  fc
    .tuple(named, fc.nat({ max: 3 }))
    .map(([name, number]) => ({ "host.name": name, "container.id": `${number}`.repeat(64) })),
  fc.nat({ max: 3 }).map((number) => ({ "source.address": `198.51.100.${number}` })),
);
const component = fc.oneof(
  fc.record({
    kind: fc.constant("host.linux"),
    name: named,
    address: fc.option(fc.nat({ max: 3 }).map((number) => `198.51.100.${number}`)),
    container: fc.constant(null),
  }),
  fc.record({
    kind: fc.constant("app.process"),
    name: fc.tuple(named, fc.constantFrom("web", "db")).map(([name, service]) => `${service} @ ${name}`),
    address: fc.constant(null),
    container: fc.constant(null),
  }),
  fc.record({
    kind: fc.constant("app.container"),
    name: fc.constantFrom("box-1", "box-2"),
    address: fc.constant(null),
    container: fc.nat({ max: 3 }).map((number) => `${number}`.repeat(64)),
  }),
);
const step = fc.oneof(
  sender.map((attributes) => ({ attributes })),
  component.map((found) => ({ found })),
  fc.nat({ max: 9 }).map((leaves) => ({ leaves })),
);

/** Everything in one transaction that is taken back, so that each run begins with nothing. */
const tryOut = (work: () => void) => {
  db.exec("BEGIN");
  try {
    work();
  } finally {
    db.exec("ROLLBACK");
  }
};

it("names senders one newcomer at a time as it would with everything taken up anew", () => {
  fc.assert(
    fc.property(fc.array(step, { maxLength: 25 }), (steps) =>
      tryOut(() => {
        const senders = new Senders(db, new SampleWriter(db));
        senders.reload();
        const made: number[] = [];
        let clock = 1;
        for (const one of steps) {
          clock++;
          if ("attributes" in one) senders.of(one.attributes, clock);
          else if ("leaves" in one) {
            const id = made[one.leaves];
            if (id === undefined || componentById(db, id)?.valid_to !== null) continue;
            retireComponent(db, id, clock);
            senders.reload();
          } else {
            const { kind, name, address, container } = one.found;
            const keys = container === null ? [`key:${clock}`] : [`container:${container}`];
            // Two containers never have one id.
            if (container !== null && made.some((id) => componentById(db, id)?.kind === "app.container")) continue;
            const id = insertComponent(
              db,
              { kind, name, site: "", sourceId: null, hostId: null, address, reason: "", keys, facts: {} },
              clock,
            );
            made.push(id);
            senders.welcome({ id, name, address, host_id: null }, container);
          }
        }
        const before = [...senders.all()].map(({ id, componentId }) => [id, componentId]);
        senders.reload();
        expect([...senders.all()].map(({ id, componentId }) => [id, componentId])).toEqual(before);
        const kept = new Senders(db, new SampleWriter(db));
        expect([...kept.all()].map(({ id, componentId }) => [id, componentId]).sort()).toEqual(before.sort());
      }),
    ),
    { numRuns: 150 },
  );
});

it("knows who runs the same program as a sender that is no component, until it is one", () => {
  tryOut(() => {
    const add = (kind: string, name: string, hostId: number | null = null) =>
      insertComponent(
        db,
        {
          kind,
          name,
          site: "",
          sourceId: null,
          hostId,
          address: null,
          reason: "",
          keys: [`k:${name}`],
          facts: {},
          ...(hostId === null ? {} : { process: name }),
        },
        1,
      );
    const known = add("host.linux", "door-1");
    const senders = new Senders(db, new SampleWriter(db));
    senders.reload();
    const of = (host: string, more: Record<string, string> = {}) =>
      senders.of({ "host.name": host, "service.name": "frontgate", ...more }, 1)?.id ?? 0;
    const [third, other] = [of("door-3"), of("door-4", { "service.namespace": "elsewhere" })];
    expect(senders.kinOf(third)).toBeUndefined();
    const first = of("door-1");
    expect(senders.kinOf(third)).toEqual({ componentId: known, name: "frontgate on door-3" });
    expect(senders.kinOf(first)).toBeUndefined();
    expect(senders.kinOf(other)).toBeUndefined();
    const row = componentById(db, add("host.linux", "door-3"));
    if (!row) throw new Error("It was not kept.");
    senders.welcome(row, null);
    expect(senders.kinOf(third)).toBeUndefined();
    // Both are hosts: nobody is known to run it as a process.
    expect([...senders.hostsBeside()]).toEqual([]);
    const process = add("app.process", "frontgate @ door-1", known);
    db.prepare("UPDATE resource SET component_id = ? WHERE id = ?").run(process, first);
    senders.read();
    expect([...senders.hostsBeside()]).toEqual([[row.id, process]]);
    db.prepare("UPDATE resource SET component_id = ? WHERE id = ?").run(add("app.process", "x", row.id), third);
    senders.read();
    expect([...senders.hostsBeside()]).toEqual([]);
  });
});
