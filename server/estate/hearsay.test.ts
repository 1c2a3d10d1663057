import { beforeEach, describe, expect, it } from "vitest";
import { observeNames } from "#core/estate/dns-names";
import { observeListed, parseList } from "#core/estate/list";
import type { Look, Observation } from "#core/estate/observation";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { currentComponents, insertComponent } from "../store/estate";
import { factsAt } from "../store/facts";
import { labelsAt, putLabel, renameObserver } from "../store/labels";
import { insertSource } from "../store/sources";
import { takeInLook } from "./take-in";

const AT = Date.UTC(2026, 2, 17, 10);
let db: Db;
let range: number;
let list: number;
let host: number;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    "DELETE FROM change; DELETE FROM label; DELETE FROM sighting; DELETE FROM fact; DELETE FROM component_key; DELETE FROM component; DELETE FROM source",
  );
  const source = (name: string) =>
    insertSource(
      db,
      {
        kind: "range",
        name,
        site: "Room",
        settings: { ranges: "10.0.0.0/24", except: "", ports: "22", snmpPort: 161 },
      },
      undefined,
      1,
    );
  range = source("Room");
  list = source("Assets");
  host = insertComponent(
    db,
    {
      kind: "host.unknown",
      name: "10.0.0.1",
      site: "Room",
      sourceId: range,
      hostId: null,
      address: "10.0.0.1",
      depth: 0,
      readBy: "",
      reason: "answers",
      keys: ["addr:10.0.0.1"],
      facts: { address: "10.0.0.1" },
    },
    AT - 1000,
  );
});

const lookOf = (observations: Observation[], sourceId = list): Look => ({
  observer: { sourceId, label: "list Assets", site: "Room", modest: true },
  atMs: AT,
  sinceMs: AT,
  observations,
});
const told = (text: string) => {
  const result = parseList(`name,address,owner,tags,rack\n${text}`);
  if (!result.ok) throw new Error(result.problem);
  return takeInLook(db, lookOf(result.rows.map(observeListed)), [{ what: "own" }]);
};
const labels = () => labelsAt(db, host, AT + 1).map((one) => `${one.name} ${one.value} by ${one.by_whom}`);

describe("what a list says", () => {
  it("is put on the component that others see, which is not seen by it", () => {
    told("crane-07,10.0.0.1,Crane crew,a; b,R4\n");
    expect(labels()).toEqual(["owner Crane crew by list Assets", "tag a by list Assets", "tag b by list Assets"]);
    const [one] = currentComponents(db);
    expect(one).toMatchObject({ id: host, name: "crane-07", last_seen_at: AT - 1000, source_id: range, depth: 0 });
    expect(factsAt(db, host, AT + 1)).toContainEqual(expect.objectContaining({ name: "listed rack", value: "R4" }));
  });

  it("does not touch what people put on, and goes when it is not said any more", () => {
    putLabel(db, [host], "owner", "Night crew", "Mara", AT - 500);
    putLabel(db, [host], "tag", "mine", "Mara", AT - 500);
    told("crane-07,10.0.0.1,Crane crew,a,\n");
    told("crane-07,10.0.0.1,,c,\n");
    expect(labels()).toEqual(["owner Night crew by Mara", "tag c by list Assets", "tag mine by Mara"]);
  });

  it("goes on being the list's when the list is called otherwise", () => {
    told("crane-07,10.0.0.1,Crane crew,,\n");
    renameObserver(db, "list Assets", "list All");
    expect(labels()).toEqual(["owner Crane crew by list All"]);
  });
});

describe("what DNS says", () => {
  it("names hosts, and where nobody is known that is noted", () => {
    const taken = takeInLook(
      db,
      lookOf([observeNames("10.0.0.1", ["crane-07.example"]), observeNames("10.0.0.9", ["gone.example"])]),
      [{ what: "own" }],
    );
    expect(currentComponents(db).map((one) => one.name)).toEqual(["crane-07"]);
    expect(taken.unmatched).toEqual([
      {
        componentId: null,
        address: "10.0.0.9",
        title: "10.0.0.9",
        detail: "Nobody is known there; it is called gone.example.",
      },
    ]);
  });
});
