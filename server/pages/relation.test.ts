import { beforeEach, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { mapPanel } from "./map/panel";
import { relationPage } from "./relation";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    "DELETE FROM chunk; DELETE FROM series; DELETE FROM relation; DELETE FROM component_key; DELETE FROM component",
  );
});

const add = (name: string, kind: string) =>
  insertComponent(
    db,
    { kind, name, site: "", sourceId: null, hostId: null, address: null, reason: "", keys: [name], facts: {} },
    AT - 9 * DAY_MS,
  );

it("tells of a wire what goes over the port that it ends in, beside its usual", () => {
  const [host, far] = [add("web-1", "host.linux"), add("sw-1", "net.switch")];
  const wired = (detail: string) =>
    insertRelation(
      db,
      { type: "wired-to", fromId: host, toId: far, detail, connections: 0, seenBy: "sweep" },
      AT - 9 * DAY_MS,
    );
  const writer = new SampleWriter(db);
  for (const [port, value] of [
    ["port9", 4000],
    ["port10", 77],
  ] as const)
    for (const metric of ["net.in", "net.out"]) {
      const series = writer.series({ componentId: far, serviceId: null }, metric, port, "bit/s", AT - 9 * DAY_MS);
      for (let at = AT - 7 * DAY_MS - HOUR_MS; at < AT; at += 5 * MINUTE_MS)
        writer.record(series, at, at > AT - HOUR_MS ? value * 2 : value);
    }
  writer.commit("everything", () => undefined);
  const ask = (id: number) => relationPage(db, { id, atMs: AT, fromMs: AT - HOUR_MS, toMs: AT });
  const id = wired("port 9");
  const { wire = [] } = ask(id) ?? {};
  expect(wire.map((one) => [one.chart.metric, one.last, one.usual?.value])).toEqual([
    ["net.in", 8000, 4000],
    ["net.out", 8000, 4000],
  ]);
  expect(mapPanel(db, { atMs: AT, show: `r~wired-to~c${host}~c${far}` })?.figures).toEqual([
    { name: "Traffic in", text: "8 kbit/s" },
    { name: "Traffic out", text: "8 kbit/s" },
  ]);
  expect(ask(wired("port 12"))?.wire).toEqual([]);
  expect(ask(wired(""))?.wire).toEqual([]);
});
