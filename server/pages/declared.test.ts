import { beforeEach, expect, it } from "vitest";
import { DAY_MS, HOUR_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { saveService, writeMembers, writeReliance, type ServiceDetails } from "../store/services";
import { serviceStructurePage } from "./structure";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    "DELETE FROM reliance; DELETE FROM member; DELETE FROM service; DELETE FROM relation; DELETE FROM component_key; DELETE FROM component",
  );
});

function serve(uid: string, details: ServiceDetails = {}) {
  const component = insertComponent(
    db,
    {
      kind: "app.web",
      name: `${uid}-1`,
      site: "",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [uid],
      facts: {},
    },
    AT - DAY_MS,
  );
  const id = saveService(
    db,
    { uid, name: uid.toUpperCase(), purpose: "", owner: "", entries: [], details },
    AT - DAY_MS,
  );
  writeMembers(db, id, new Set([component]), new Set([component]), AT - DAY_MS);
  return { id, component };
}
const declared = () => serviceStructurePage(db, { uid: "gate", atMs: AT })?.declared;

it("tells what is used and was not said, what was said and is not used, and where nobody has said anything", () => {
  const gate = serve("gate", { reliesOn: ["mail", "desk", "yard"] });
  const [mail, desk, vault] = [serve("mail"), serve("desk"), serve("vault")];
  serve("yard");
  writeReliance(db, gate.id, new Set([mail.id, desk.id, vault.id]), AT - DAY_MS);
  writeReliance(db, gate.id, new Set([mail.id, vault.id]), AT - HOUR_MS);
  const relation = insertRelation(
    db,
    {
      type: "talks-to",
      fromId: gate.component,
      toId: vault.component,
      detail: "TCP 99",
      connections: 1,
      seenBy: "both",
    },
    AT - DAY_MS,
  );
  expect(declared()).toEqual({
    agreed: [{ uid: "mail", name: "MAIL" }],
    hidden: [
      { uid: "vault", name: "VAULT", evidence: [{ id: relation, from: "gate-1", to: "vault-1", type: "talks-to" }] },
    ],
    unused: [
      { uid: "desk", name: "DESK", seenMs: AT - HOUR_MS },
      { uid: "yard", name: "YARD", seenMs: null },
    ],
  });
  expect(serviceStructurePage(db, { uid: "mail", atMs: AT })?.declared).toBeNull();
});
