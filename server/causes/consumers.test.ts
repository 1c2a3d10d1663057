import { beforeEach, expect, it } from "vitest";
import type { SaidEvidence } from "#core/correlation/reasons";
import { MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { consumersOf } from "./consumers";
import { componentNode } from "./harm-map";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => emptyEstate(db));

const make = (name: string, kind: string, host: number | null = null) =>
  insertComponent(
    db,
    {
      kind,
      name,
      site: "North",
      reason: "test",
      sourceId: null,
      hostId: host,
      address: null,
      keys: [`k:${name}`],
      facts: {},
    },
    AT - 120 * MINUTE_MS,
  );
/** An hour of one value, then five minutes of another. */
function uses(id: number, metric: string, before: number, now: number): void {
  const writer = new SampleWriter(db);
  const series = writer.series({ componentId: id, serviceId: null }, metric, "", "%", AT - 60 * MINUTE_MS);
  for (let minute = -60; minute <= 5; minute++)
    writer.record(series, AT + minute * MINUTE_MS, minute < 0 ? before : now);
  writer.commit("tick", () => undefined);
}
const short = (id: number, changes: Partial<SaidEvidence> = {}): SaidEvidence => ({
  node: componentNode(id),
  nature: "busy",
  strength: 1,
  onsetMs: AT,
  name: "host",
  symptom: "CPU is saturated",
  ...changes,
});
const blamed = (evidence: readonly SaidEvidence[]) =>
  consumersOf(db, evidence, AT + 5 * MINUTE_MS).map((one) => [one.name, one.nature]);

it("names the process whose use grew most, not the one that uses most, and no host that has enough", () => {
  const host = make("box", "host.linux");
  const [store, job] = [make("store @ box", "db.relational", host), make("job @ box", "app.process", host)];
  uses(store, "process.cpu", 150, 155);
  uses(job, "process.cpu", 1, 98);
  expect(blamed([short(host)])).toEqual([["job @ box", "busy"]]);
  const [drains] = consumersOf(db, [short(host)], AT + 5 * MINUTE_MS).map((one) => one.drains);
  expect(drains?.node).toBe(componentNode(host));
  expect(drains?.share).toBeCloseTo(97 / 102);
  expect(blamed([short(host, { nature: "slow" })])).toEqual([]);
  // An oddity is too little to look for one, and what has an alarm of its own is told of already.
  expect(blamed([short(host, { isWeak: true })])).toEqual([]);
  expect(blamed([short(host), short(job)])).toEqual([]);
});

it("names the guest of a hypervisor whose use grew most", () => {
  const virt = make("virt", "host.hypervisor");
  for (const [name, before, now] of [
    ["quiet", 30, 31],
    ["hog", 5, 97],
  ] as const) {
    const guest = make(name, "host.linux");
    insertRelation(
      db,
      { type: "hosted-by", fromId: guest, toId: virt, detail: "", connections: 1, seenBy: "test" },
      AT - 90 * MINUTE_MS,
    );
    uses(guest, "guest.cpu.used", before, now);
  }
  expect(blamed([short(virt)])).toEqual([["hog", "busy"]]);
});
