import { beforeEach, describe, expect, it } from "vitest";
import { DAY_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent, retireComponent } from "../store/estate";
import { saveView } from "../store/saved-views";
import { saveService } from "../store/services";
import { findPage } from "./find";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let gone: number;

const add = (name: string, version: string) =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "North",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [`k:${name}`],
      facts: { version },
    },
    AT - DAY_MS,
  );

beforeEach(() => {
  db.exec(
    "DELETE FROM saved_view; DELETE FROM fact; DELETE FROM service; DELETE FROM component_key; DELETE FROM component",
  );
  add("nq-gate-app-01", "4.2.1");
  add("nq-gate-app-02", "4.2.1");
  gone = add("nq-gate-app-09", "4.0.0");
  retireComponent(db, gone, AT - 1000);
  saveService(db, { uid: "mfx", name: "Manifest Exchange", purpose: "", owner: "", entries: [] }, AT - DAY_MS);
  saveView(db, { page: "map", name: "Sites, mine", query: "by=site", madeBy: "Anna", shared: false }, AT);
  saveView(db, { page: "map", name: "Sites, for all", query: "by=site", madeBy: "Bo", shared: true }, AT);
});
const find = (text: string) => findPage(db, { text, atMs: AT, who: "Anna" });

describe("the palette", () => {
  it("finds what has the letters, and what left the estate no more", () => {
    expect(find("gate-app").components.map((one) => one.name)).toEqual(["nq-gate-app-01", "nq-gate-app-02"]);
    expect(find("exch").services).toEqual([{ uid: "mfx", name: "Manifest Exchange" }]);
  });
  it("forgives a typing error, and does not offer twice what it has found", () => {
    expect(find("manfiest").near?.services.map((one) => one.name)).toEqual(["Manifest Exchange"]);
    expect(
      find("nq-gaet")
        .near?.components.map((one) => one.name)
        .sort(),
    ).toEqual(["nq-gate-app-01", "nq-gate-app-02"]);
    expect(find("app-01").near?.components).toEqual([]);
    expect(find("zzzz").near).toEqual({ services: [], components: [] });
  });
  it("finds versions with how many have them, one's own maps and those of others that are shared", () => {
    expect(find("4.2").facts).toEqual([{ name: "version", value: "4.2.1", count: 2 }]);
    expect(
      find("sites")
        .views.map((one) => one.name)
        .sort(),
    ).toEqual(["Sites, for all", "Sites, mine"]);
    expect(findPage(db, { text: "sites", atMs: AT, who: "Cy" }).views).toHaveLength(1);
  });
  it("takes signs of patterns as letters", () => {
    expect(find("%").components).toEqual([]);
    expect(find("_").components).toEqual([]);
  });
});
