import { beforeEach, describe, expect, it } from "vitest";
import { runbookSchema } from "#core/repair/runbook";
import { emptyEstate, useStore } from "../../../tests/store";
import type { Db } from "../../store/database";
import { componentById, insertComponent } from "../../store/estate";
import { addVersion } from "../../store/runbooks";
import { repairOffers, type RepairScene } from "./offers";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let hostId = 0;
const ids: Record<string, number> = {};

beforeEach(() => {
  emptyEstate(db);
  db.exec("DELETE FROM runbook_version; DELETE FROM runbook");
  const row = { site: "North", reason: "test", sourceId: null, hostId: null, address: null, facts: {} };
  hostId = insertComponent(db, { ...row, kind: "host.linux", name: "db-01", keys: ["h:1"] }, AT);
  for (const [name, fits] of [
    ["Bounce", ["calls.*"]],
    ["Cool down", ["calls.*"]],
    ["Paint", ["colour.*"]],
  ] as const) {
    const definition = runbookSchema.parse({
      uid: name.toLowerCase().replace(" ", "-"),
      name,
      purpose: `${name} it.`,
      kinds: ["host.linux"],
      fits,
      steps: [{ type: "approve", title: "May it?", role: "responder" }],
    });
    ids[name] = addVersion(db, definition, { state: "approved", remark: "", by: "Anna", atMs: AT }).id;
  }
});

function offers(runs: RepairScene["runs"] = []) {
  return repairOffers(db, {
    targets: [componentById(db, hostId)],
    line: null,
    metric: "calls.slow",
    alarms: [{ metric: "calls.slow", qualifier: "", subject: "db-01" }],
    changes: new Set(),
    leading: undefined,
    isSilent: false,
    runs,
  });
}

describe("runbooks offered for an incident", () => {
  const run = (name: string, proof: "no effect" | "worse" | "proved", over = {}): RepairScene["runs"][number] => ({
    runbook_id: ids[name] ?? 0,
    component_id: hostId,
    state: "passed",
    proof,
    started_at: AT,
    ...over,
  });
  const inOrder = (runs: RepairScene["runs"]) => offers(runs).map((one) => `${one.name}${one.tried ? " again" : ""}`);

  it("are those that fit first", () => {
    expect(inOrder([])).toEqual(["Bounce", "Cool down", "Paint"]);
  });

  it("put what was tried there without help after what was not tried, and say how it ended", () => {
    for (const proof of ["no effect", "worse"] as const)
      expect(inOrder([run("Bounce", proof)])).toEqual(["Cool down", "Bounce again", "Paint"]);
    expect(offers([run("Bounce", "no effect", { state: "failed", proof: null })])[1]?.tried).toEqual({
      atMs: AT,
      outcome: "failed",
    });
  });

  it("keep the place of what helped, at last, or was run on something else", () => {
    expect(inOrder([run("Bounce", "no effect"), run("Bounce", "proved")])).toEqual(["Bounce", "Cool down", "Paint"]);
    expect(inOrder([run("Bounce", "no effect", { component_id: hostId + 1 })])[0]).toBe("Bounce");
  });
});
