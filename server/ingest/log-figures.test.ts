import { beforeEach, describe, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { componentsWithFigures, logFigures, removeLogFigure, saveLogFigure } from "../store/log-figures";
import { LogWriter, type NewLog } from "../store/log-writer";
import { insertResource } from "../store/resources";
import { logFigureSchema } from "#core/telemetry/log-fields";
import { LogFigures } from "./log-figures";
import { SampleWriter } from "./sample-writer";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
let component: number;
useStore((made) => (db = made));
beforeEach(() => {
  emptyEstate(db);
  db.exec("DELETE FROM log_figure");
  component = insertComponent(
    db,
    {
      kind: "app.web",
      name: "front",
      site: "S",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [],
      facts: {},
    },
    AT - 1,
  );
});

const figure = (given: Record<string, unknown>) =>
  saveLogFigure(
    db,
    logFigureSchema.parse({ name: "Clients", field: "from {value}", measure: "distinct", ...given }),
    "Edo",
    AT,
  );
const log = (body: string, more: Partial<NewLog> = {}): NewLog => ({
  resourceId: 1,
  atMs: AT + 1000,
  severity: 9,
  body,
  attributes: null,
  traceId: null,
  spanId: null,
  ...more,
});
/** What is known of the component after some records, by metric and instance. */
function known(records: readonly NewLog[], owner: number | null = component): Record<string, number[]> {
  const writer = new SampleWriter(db);
  const figures = new LogFigures(db, writer);
  figures.take(records, () => owner, AT + 2000);
  figures.tick(AT + MINUTE_MS);
  // Nothing is written twice within a minute.
  figures.tick(AT + MINUTE_MS + 5000);
  writer.commit("everything", () => undefined);
  const rows = db.prepare("SELECT id, metric, instance FROM series").all() as {
    id: number;
    metric: string;
    instance: string;
  }[];
  return Object.fromEntries(
    rows.map(({ id, metric, instance }) => [`${metric} ${instance}`, [...writer.recall(id, 0, AT * 2).values]]),
  );
}

describe("figures from logs", () => {
  it("count different values of a field by component, at the end of each minute", () => {
    figure({});
    expect(known([log("hello from a"), log("hello from b"), log("hello from a"), log("nothing")])).toEqual({
      "log.distinct Clients": [2],
    });
    expect([...componentsWithFigures(db).values()]).toEqual([1]);
  });
  it("share records out among the values of an attribute", () => {
    figure({ name: "Status", field: "status", measure: "share" });
    const records = Array.from({ length: 40 }, (_, at) =>
      log("request", { attributes: JSON.stringify({ status: at < 4 ? 503 : 200 }) }),
    );
    expect(known(records)).toEqual({ "log.share Status: 200": [90], "log.share Status: 503": [10] });
  });
  it("leave out what is milder than their level, to come, or of nobody that is known", () => {
    figure({ level: "17" });
    expect(known([log("from a"), log("from b", { severity: 17, atMs: AT + 3_600_000 })])).toEqual({});
    expect(known([log("from a", { severity: 17 })], null)).toEqual({});
    expect(known([log("from a", { severity: 17 })], component + 1000)).toEqual({});
    expect(known([log("from a", { severity: 17 })])).toEqual({ "log.distinct Clients": [1] });
  });
  it("are made and removed while records come; two of one name are refused", () => {
    const writer = new SampleWriter(db);
    const figures = new LogFigures(db, writer);
    const id = figure({});
    figures.reload();
    figures.take([log("from a")], () => component, AT + 2000);
    figures.reload();
    figures.tick(AT + MINUTE_MS);
    writer.commit("everything", () => undefined);
    expect(db.prepare("SELECT count(*) FROM series").pluck().get()).toBe(1);
    expect(() => figure({ name: "clients" })).toThrow("already");
    removeLogFigure(db, id);
    expect(logFigures(db)).toEqual([]);
  });
  it("are made of what is kept from before, from the first whole window on, and go on with what comes", () => {
    const sender = insertResource(db, "{}", { componentId: component, why: "" }, AT);
    const logs = new LogWriter(db);
    const said = (minute: number, from: string) =>
      log(`Connection from ${from} accepted`, { resourceId: sender, atMs: AT + minute * MINUTE_MS + 1000 });
    const before = [said(-9, "a"), said(-8, "b"), said(-8, "a"), said(-3, "c"), said(-1, "d")];
    db.transaction(() => logs.write([...before, log("Connection lost", { resourceId: sender })]))();
    const writer = new SampleWriter(db);
    const figures = new LogFigures(db, writer);
    const id = figure({ field: "Connection from {value} accepted", minutes: 2 });
    figures.reload();
    const nowMs = AT + 30_000;
    expect(db.transaction(() => figures.countBack(id, () => component, nowMs))()).toBe(5);
    figures.take([said(0, "e")], () => component, nowMs);
    figures.tick(AT + MINUTE_MS);
    writer.commit("everything", () => undefined);
    const series = db.prepare("SELECT id FROM series").pluck().get() as number;
    const { times, values } = writer.recall(series, 0, AT * 2);
    expect([...times].map((at) => (at - AT) / MINUTE_MS)).toEqual([-7, -6, -5, -4, -3, -2, -1, 0, 1]);
    expect([...values]).toEqual([2, 2, 0, 0, 0, 1, 1, 1, 2]);
  });
  it.each([
    [{ field: "{value}" }, "before or after"],
    [{ field: "from {value} to {value}" }, "Only one"],
    [{ field: "" }, "an attribute's name"],
    [{ minutes: "0" }, "at least 1"],
    [{ name: "" }, "Give the figure a name"],
  ])("say what is wrong with %o", (given, why) => expect(() => figure(given)).toThrow(why));
});
