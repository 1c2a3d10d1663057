import { readFileSync } from "node:fs";
import type { Secrets } from "../secrets";
import { setupSchema } from "../settings";
import { readSource } from "../sources/input";
import { PersonError, writeMeta, type Db } from "../store/database";
import { saveEndpoint } from "../store/endpoints";
import { saveService } from "../store/services";
import { insertSource } from "../store/sources";

const BY = "set-up file";

/**
 * Takes a set-up file into a new store: what a person would otherwise type in. Throws a PersonError that names what is
 * wrong.
 */
export function takeSetup(db: Db, file: string, secrets: Secrets, nowMs: number): void {
  const refuse = (problems: string) => new PersonError(`The set-up file ${file} cannot be used: ${problems}`);
  const parsed = setupSchema.safeParse(JSON.parse(readFileSync(file, "utf8")));
  if (!parsed.success)
    throw refuse(parsed.error.issues.map((issue) => `${issue.path.join(".")}: ${issue.message}`).join("; "));
  const { organisation, sources, endpoints, services } = parsed.data;
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
