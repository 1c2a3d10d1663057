import { beforeEach, describe, expect, it } from "vitest";
import { RIGHTS } from "#core/people/rights";
import { useStore } from "../../tests/store";
import { credentialPage, credentialsPage } from "../pages/credentials";
import { itself } from "../people/principal";
import { auditIn } from "../store/audit";
import { credentialById, sealedOf, setSourceCredentials } from "../store/credentials";
import type { Db } from "../store/database";
import { insertSource } from "../store/sources";
import type { CommandPorts } from "./ports";
import { execute } from "./registry";

let db: Db;
let told: number;
useStore((made) => (db = made));
const ANNA = itself("Anna", "test", RIGHTS);
const ports = () =>
  ({
    db,
    now: () => 1000,
    vault: {
      seal: (fields: object) => JSON.stringify(fields),
      use: (row: { id: number }) => ({ fields: JSON.parse(sealedOf(db, row.id) as string) as object }),
      note: () => undefined,
    },
    onCredentials: () => told++,
  }) as unknown as CommandPorts;
beforeEach(() => {
  told = 0;
  db.exec("DELETE FROM source_credential; DELETE FROM source; DELETE FROM credential");
});
const save = (fields: Record<string, string>, id?: number, kind = "basic") =>
  execute(ports(), ANNA, "credential.save", { ...(id === undefined ? {} : { id }), kind, fields });
const FIELDS = { name: "Figures", user: "reader", password: "grey heron", destinations: "10.0.0.0/24, *.ops.example" };

describe("a credential", () => {
  it("is kept sealed; pages and the record show all but the secret", async () => {
    const id = await save(FIELDS);
    expect(credentialById(db, id)).toMatchObject({ about: { user: "reader" }, madeBy: "Anna" });
    const shown = JSON.stringify([
      credentialsPage(db, {}),
      credentialPage(db, { id, kind: "" }),
      auditIn(db, { fromMs: 0, toMs: 2000 }, 10, 0),
    ]);
    expect(shown).toContain("reader");
    expect(shown).not.toContain("grey heron");
    expect(told).toBe(1);
  });
  it("keeps its secret when edited without one, for fewer places but not for others", async () => {
    const id = await save(FIELDS);
    const { password: _password, ...without } = FIELDS;
    await save({ ...without, name: "Fewer", destinations: "10.0.0.7" }, id);
    expect(sealedOf(db, id)).toContain("grey heron");
    const lured = { ...without, destinations: "10.0.0.7, evil.example" };
    await expect(save(lured, id)).rejects.toMatchObject({
      fields: { destinations: expect.stringContaining("again") as string },
    });
    await expect(
      execute(ports(), ANNA, "credential.test", { id, kind: "basic", fields: lured, at: "http://evil.example/" }),
    ).rejects.toThrow("Give the secret again");
    await save({ ...lured, password: "another" }, id);
    expect(sealedOf(db, id)).toContain("another");
  });
  it("says field by field what is wrong", async () => {
    await expect(save({ name: "", user: "", password: "", destinations: "*" })).rejects.toMatchObject({
      fields: {
        name: "Give it a name of at most 80 characters.",
        user: "Give the user.",
        password: "Give the password.",
        destinations: expect.stringContaining("no address") as string,
      },
    });
    await expect(
      save({ name: "k", user: "u", privateKey: "nonsense", destinations: "10.0.0.1" }, undefined, "ssh-key"),
    ).rejects.toThrow("This is no private key that can be read");
    await expect(save(FIELDS, undefined, "nonsense")).rejects.toThrow("There is no such kind of credential.");
  });
  it("is tried nowhere but at its destinations", async () => {
    const at = (place: string) =>
      execute(ports(), ANNA, "credential.test", { kind: "basic", fields: FIELDS, at: place });
    await expect(at("http://192.0.2.9/")).rejects.toThrow("192.0.2.9 is not among the destinations");
    await expect(at("ftp://10.0.0.1/")).rejects.toThrow("begins with http");
  });
  it("is not removed while a source uses it", async () => {
    const id = await save(FIELDS);
    const source = insertSource(db, { kind: "range", name: "Yard", site: "s", settings: {} }, undefined, 0);
    setSourceCredentials(db, source, [id]);
    const remove = () => execute(ports(), ANNA, "credential.remove", { id });
    await expect(remove()).rejects.toThrow("Figures is used by Yard.");
    setSourceCredentials(db, source, []);
    await remove();
    expect(credentialsPage(db, {})).toEqual([]);
  });
});
