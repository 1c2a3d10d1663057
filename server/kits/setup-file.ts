import { readFileSync } from "node:fs";
import type { Secrets } from "../secrets";
import { setupSchema, type SetupFile } from "../settings";
import { readSource } from "../sources/input";
import { PersonError, writeMeta, type Db } from "../store/database";
import { saveEndpoint } from "../store/endpoints";
import { accountByName, insertAccount } from "../store/people";
import { saveService } from "../store/services";
import { insertSource } from "../store/sources";

const BY = "set-up file";

const refuser = (file: string) => (problems: string) =>
  new PersonError(`The set-up file ${file} cannot be used: ${problems}`);

function readSetup(file: string): SetupFile {
  const parsed = setupSchema.safeParse(JSON.parse(readFileSync(file, "utf8")));
  if (parsed.success) return parsed.data;
  throw refuser(file)(parsed.error.issues.map((issue) => `${issue.path.join(".")}: ${issue.message}`).join("; "));
}

/** Makes the accounts of a demonstration's made-up people that are not there yet. */
export function takeDemoPeople(db: Db, file: string, nowMs: number): void {
  for (const { name, role, remark } of readSetup(file).people) {
    if (accountByName(db, name)) continue;
    const signIn = `demo:${name.toLowerCase().replaceAll(/\s+/g, "-")}`;
    insertAccount(db, { name, signIn, role, remark, isDemo: true, madeBy: BY }, nowMs);
  }
}

/**
 * Takes a set-up file into a new store: what a person would otherwise type in. Throws a PersonError that names what is
 * wrong.
 */
export function takeSetup(db: Db, file: string, secrets: Secrets, nowMs: number): void {
  const { organisation, sources, endpoints, services } = readSetup(file);
  const refuse = refuser(file);
  db.transaction(() => {
    writeMeta(db, "organisation", organisation);
    sources.forEach((fields, index) => {
      const read = readSource(fields);
      if (!read.ok)
        throw refuse(
          Object.entries(read.fields)
            .map(([field, problem]) => `sources.${index}.${field}: ${problem}`)
            .join("; "),
        );
      const { credential } = read.source;
      insertSource(db, read.source, credential === undefined ? undefined : secrets.seal(credential), nowMs);
    });
    for (const one of endpoints) saveEndpoint(db, one.url, one.everySeconds, BY, nowMs);
    for (const one of services) saveService(db, one, nowMs);
  })();
}
