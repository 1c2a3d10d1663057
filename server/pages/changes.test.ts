import { beforeEach, describe, expect, it } from "vitest";
import type { Ticket } from "#core/changes/tickets";
import { DAY_MS, HOUR_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertSource } from "../store/sources";
import { replaceTickets } from "../store/tickets";
import { changesPage, type ChangesQuestion } from "./changes";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let source: number;
let host: number;
let part: number;

const component = (name: string, hostId: number | null, sinceMs = AT - 10 * DAY_MS) =>
  insertComponent(
    db,
    {
      kind: hostId === null ? "host.linux" : "app.process",
      name,
      site: "North",
      sourceId: null,
      hostId,
      address: null,
      ...(hostId === null ? {} : { process: name.split(" @ ")[0], label: name.split(" @ ")[0] }),
      reason: "",
      keys: [`k:${name}`],
      facts: {},
    },
    sinceMs,
  );

beforeEach(() => {
  db.exec(
    "DELETE FROM ticket; DELETE FROM change; DELETE FROM component_key; DELETE FROM component; DELETE FROM source",
  );
  source = insertSource(
    db,
    { kind: "tickets", name: "Desk", site: "North", settings: {}, pollSeconds: null, sweepEvery: null } as never,
    undefined,
    AT - DAY_MS,
  );
  host = component("nq-a-01", null);
  part = component("slotkeeper @ nq-a-01", host);
});

const tell = (
  summary: string,
  changes: { id?: number; at?: number; kind?: string; by?: string; ticket?: string } = {},
) =>
  insertChange(db, {
    atMs: changes.at ?? AT,
    kind: changes.kind ?? "deployment",
    componentId: changes.id ?? part,
    summary,
    by: changes.by ?? "Release bench",
    ticket: changes.ticket ?? null,
  });
const planned = (...tickets: Partial<Ticket>[]) =>
  replaceTickets(
    db,
    source,
    tickets.map((one) => ({
      ref: "CHG-1",
      title: "",
      state: "approved",
      person: "",
      fromMs: AT - HOUR_MS,
      toMs: AT + HOUR_MS,
      things: ["nq-a-01"],
      ...one,
    })),
    AT,
  );
const page = (question: Partial<ChangesQuestion> = {}) =>
  changesPage(db, {
    fromMs: AT - 2 * DAY_MS,
    toMs: AT + DAY_MS,
    atMs: AT + DAY_MS,
    text: "",
    kind: "",
    standing: "",
    most: 100,
    ...question,
  });
const standings = () => page().lines.map((line) => [line.summary, line.standing, line.ref]);

describe("changes and their tickets", () => {
  it("are joined by the host that a program runs on, and marked where they are not as planned", () => {
    const other = component("nq-b-01", null);
    planned({}, { ref: "CHG-2", fromMs: AT - 5 * HOUR_MS, toMs: AT - 4 * HOUR_MS });
    tell("as planned");
    tell("too late", { ticket: "CHG-2", at: AT + 3 * HOUR_MS });
    tell("of another host", { ticket: "CHG-1", id: other });
    tell("nobody knows", { id: other });
    expect(Object.fromEntries(standings().map(([summary, ...rest]) => [summary, rest]))).toEqual({
      "as planned": ["planned", "CHG-1"],
      "too late": ["outside", "CHG-2"],
      "of another host": ["more", "CHG-1"],
      "nobody knows": ["none", null],
    });
    expect(page().counts).toEqual({ planned: 1, outside: 1, more: 1, none: 1 });
    expect(page({ standing: "none" }).lines.map((line) => line.summary)).toEqual(["nobody knows"]);
  });
  it("are not asked for one where no source tells of tickets", () => {
    tell("anything");
    expect(page()).toMatchObject({ hasTickets: false, counts: { none: 0 } });
    expect(standings()).toEqual([["anything", null, null]]);
  });
  it("are asked for none where looking began, a newcomer is looked at more closely, or Holotaxis concludes", () => {
    planned({ things: ["elsewhere"] });
    const newcomer = component("nq-new-01", null, AT);
    tell("nq-new-01 was found", { kind: "component", id: newcomer });
    tell("its address is now known", { kind: "setting", id: newcomer, at: AT + HOUR_MS / 2 });
    tell("now part of Gate", { kind: "membership" });
    expect(Object.fromEntries(standings().map(([summary, standing]) => [summary, standing]))).toEqual({
      "nq-new-01 was found": "none",
      "its address is now known": null,
      "now part of Gate": null,
    });
  });
  it("count what a sweep saw late as done within its window", () => {
    planned({ fromMs: AT - 5 * HOUR_MS, toMs: AT - 4 * HOUR_MS });
    tell("seen by a sweep", { kind: "setting", by: "sweep of North" });
    tell("told at once", { kind: "setting", by: "platform Cloud", ticket: "CHG-1" });
    expect(standings().sort()).toEqual([
      ["seen by a sweep", "planned", "CHG-1"],
      ["told at once", "outside", "CHG-1"],
    ]);
  });
  it("are found by words, kind and standing, and tickets are replaced whole", () => {
    planned({});
    tell("slotkeeper 2.0");
    tell("a switch", { id: host, kind: "setting" });
    expect(page({ text: "SLOT 2.0" }).total).toBe(1);
    expect(page({ kind: "setting" }).total).toBe(1);
    planned();
    expect(page().hasTickets).toBe(false);
  });
});
