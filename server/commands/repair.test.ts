import { beforeEach, describe, expect, it, vi } from "vitest";
import { rightsOf, type RoleId } from "#core/people/rights";
import { layOut } from "#core/repair/lay-out";
import { policySchema } from "#core/repair/policy";
import { runbookSchema } from "#core/repair/runbook";
import { emptyEstate, useStore } from "../../tests/store";
import type { Principal } from "../people/principal";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { fallBack, listPolicies, policyById, readHalt } from "../store/policies";
import { listRunbooks, offerRunbook, runbookByUid, versionsOf } from "../store/runbooks";
import { insertRun, updateStep } from "../store/runs";
import type { CommandPorts } from "./ports";
import { execute, type CommandName } from "./registry";

const AT = Date.UTC(2026, 2, 17, 10);
let db: Db;
useStore((made) => (db = made));
const answer = vi.fn(() => true);
const ports = () => ({ db, now: () => AT, emit: () => undefined, runs: { answer } }) as unknown as CommandPorts;
const person = (name: string, role: RoleId): Principal => ({
  name,
  via: "browser",
  rights: rightsOf(role),
  address: "",
  browser: "",
  accountId: null,
  sessionId: null,
  role,
});
const edo = person("Edo", "operator");
const sunniva = person("Sunniva", "administrator");
const mara = person("Mara", "responder");

beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM policy; DELETE FROM run; DELETE FROM runbook; DELETE FROM meta WHERE key IN ('repair halt', 'policies offered')",
  );
  answer.mockClear();
});

const does = (who: Principal, name: CommandName, input: object) => execute(ports(), who, name, input);
const TEXT = `uid: mend
name: Mend it
purpose: Mends.
kinds: [host.linux]
steps:
  - { type: note, title: Say so, text: Done. }
`;
const mend = () => runbookByUid(db, "mend");

describe("a runbook", () => {
  it("is written as a draft, approved by somebody else, and its next version is a draft again", async () => {
    await does(edo, "runbook.save", { text: TEXT });
    expect(mend()).toMatchObject({ state: "draft", version: 1 });
    const id = mend()?.id ?? 0;
    await expect(does(edo, "runbook.approve", { id, version: 1 })).rejects.toThrow("Somebody else than who wrote it");
    await expect(does(mara, "runbook.approve", { id, version: 1 })).rejects.toThrow("does not have the right");
    await does(sunniva, "runbook.approve", { id, version: 1 });
    await expect(does(sunniva, "runbook.approve", { id, version: 1 })).rejects.toThrow("approved already");
    await does(edo, "runbook.save", { id, text: TEXT.replace("Mends.", "Mends well.") });
    // What runs is still the approved one.
    expect(mend()).toMatchObject({ state: "approved", version: 1, definition: { purpose: "Mends." } });
    expect(versionsOf(db, id).map((one) => one.state)).toEqual(["draft", "approved"]);
    await does(sunniva, "runbook.approve", { id, version: 2 });
    expect(mend()).toMatchObject({ version: 2, definition: { purpose: "Mends well." } });
  });
  it("is refused with what is wrong and where", async () => {
    await expect(does(edo, "runbook.save", { text: TEXT.replace("text: Done.", "words: Done.") })).rejects.toThrow(
      /^Line 6: /,
    );
    await does(edo, "runbook.save", { text: TEXT });
    const id = mend()?.id ?? 0;
    await expect(does(edo, "runbook.save", { text: TEXT })).rejects.toThrow("There is a runbook mend already.");
    await expect(does(edo, "runbook.save", { id, text: TEXT })).rejects.toThrow("Nothing was changed since version 1.");
    await expect(does(edo, "runbook.save", { id, text: TEXT.replace("uid: mend", "uid: other") })).rejects.toThrow(
      "short name of a runbook stays",
    );
    await expect(does(edo, "runbook.save", { text: TEXT.replace("uid: mend", "uid: other") })).rejects.toThrow(
      "Another runbook is called",
    );
  });
  it("of a kit is brought up to date until somebody writes one of their own", async () => {
    const kit = (purpose: string) =>
      runbookSchema.parse({
        uid: "mend",
        name: "Mend it",
        purpose,
        kinds: ["host.linux"],
        steps: [{ type: "note", title: "n", text: "n" }],
      });
    offerRunbook(db, kit("One."), AT);
    offerRunbook(db, kit("One."), AT);
    offerRunbook(db, kit("Two."), AT);
    expect(mend()).toMatchObject({ version: 2, definition: { purpose: "Two." } });
    await does(edo, "runbook.save", { id: mend()?.id, text: TEXT });
    offerRunbook(db, kit("Three."), AT);
    expect(versionsOf(db, mend()?.id ?? 0)).toHaveLength(3);
  });
  it("that a policy runs is not retired under it", async () => {
    await does(edo, "runbook.save", { text: TEXT });
    const policy = { ...policySchema.parse({ name: "P", causeKinds: ["host.*"], runbook: "mend" }) };
    const id = (await does(edo, "policy.save", policy)) as number;
    await expect(does(edo, "runbook.retire", { id: mend()?.id, isRetired: true })).rejects.toThrow(
      "The policy “P” runs “Mend it”.",
    );
    await does(edo, "policy.remove", { id });
    await does(edo, "runbook.retire", { id: mend()?.id, isRetired: true });
    expect(listRunbooks(db)[0]?.state).toBe("retired");
    await does(edo, "runbook.retire", { id: mend()?.id, isRetired: false });
    expect(listRunbooks(db)[0]?.state).toBe("draft");
  });
});

describe("trust", () => {
  it("grows a step at a time, and after a fall from where it fell to", async () => {
    await does(edo, "runbook.save", { text: TEXT });
    const policy = policySchema.parse({ name: "P", causeKinds: ["host.*"], runbook: "mend" });
    await expect(does(edo, "policy.save", { ...policy, level: "approve" })).rejects.toThrow(
      "from watch to propose first",
    );
    const id = (await does(edo, "policy.save", { ...policy, level: "propose" })) as number;
    await does(edo, "policy.save", { ...policy, id, level: "approve" });
    await does(edo, "policy.save", { ...policy, id, level: "automatic" });
    const known = policyById(db, id);
    if (known) fallBack(db, known, "propose", "run 1 failed", AT);
    expect(policyById(db, id)).toMatchObject({ fell_back_why: "run 1 failed", definition: { level: "propose" } });
    await expect(does(edo, "policy.save", { ...policy, id, level: "automatic" })).rejects.toThrow(
      "from propose to approve first",
    );
    await expect(does(mara, "policy.save", { ...policy, id })).rejects.toThrow("does not have the right");
    await expect(does(edo, "policy.save", policy)).rejects.toThrow("There is a policy “P” already.");
    expect(listPolicies(db)).toHaveLength(1);
  });
});

describe("the halt", () => {
  it("is for whoever works on incidents; going on takes more", async () => {
    await expect(does(person("Tilde", "reader"), "repair.halt", {})).rejects.toThrow("does not have the right");
    await does(mara, "repair.halt", { why: "It swings" });
    expect(readHalt(db)).toEqual({ by: "Mara", atMs: AT, why: "It swings" });
    await expect(does(edo, "repair.halt", {})).rejects.toThrow("stopped already");
    await expect(does(mara, "repair.resume", {})).rejects.toThrow("does not have the right");
    await does(edo, "repair.resume", {});
    expect(readHalt(db)).toBeNull();
  });
});

describe("what a run asks", () => {
  const asking = async (role: RoleId) => {
    await does(edo, "runbook.save", { text: TEXT });
    const target = insertComponent(
      db,
      {
        kind: "host.linux",
        name: "h-1",
        site: "",
        sourceId: null,
        hostId: null,
        address: null,
        reason: "",
        keys: ["k"],
        facts: {},
      },
      AT,
    );
    const definition = runbookSchema.parse({
      uid: "ask",
      name: "Ask",
      purpose: "Asks.",
      kinds: ["host.linux"],
      steps: [{ type: "approve", title: "May it?", role }],
    });
    const laid = layOut(definition, target, {}, { runbook: () => undefined, over: () => [], wordsOf: () => ({}) });
    const common = { incidentId: null, policyId: null, args: {}, by: "Mara", rulings: [], watched: [], version: 1 };
    const id = insertRun(db, { runbookId: mend()?.id ?? 0, definition, componentId: target, laid, ...common }, AT);
    updateStep(db, id, 0, { state: "asking" });
    return id;
  };
  it("is answered by somebody else, of the role it asks for, while it asks", async () => {
    const id = await asking("operator");
    const input = { id, position: 0, approved: true };
    await expect(does(mara, "run.answer", input)).rejects.toThrow(
      "Somebody else than who started the run approves it.",
    );
    await expect(does(person("Otto", "responder"), "run.answer", input)).rejects.toThrow(
      "takes the role operator or higher",
    );
    await does(edo, "run.answer", input);
    expect(answer).toHaveBeenCalledWith(id, 0, "Edo", true);
    updateStep(db, id, 0, { state: "failed" });
    await expect(does(edo, "run.answer", input)).rejects.toThrow("its time is over");
    await expect(does(edo, "run.answer", { ...input, position: 7 })).rejects.toThrow("That step asks nobody.");
  });
});
