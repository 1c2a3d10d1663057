import { readFileSync } from "node:fs";
import { nextDue } from "#core/repair/triggers/registry";
import { destinationsProblem } from "#core/estate/destinations";
import { kindOfCredential } from "../vault/kinds";
import type { Vault } from "../vault/vault";
import { OWN_SITE } from "../causes/own-site";
import { setupSchema, type SetupFile, type SourceInput } from "../settings";
import { readSource } from "../sources/input";
import { PersonError, writeMeta, type Db } from "../store/database";
import { saveEndpoint } from "../store/endpoints";
import { saveJobWords } from "../store/jobs";
import { saveLogFigure } from "../store/log-figures";
import { accountByName, insertAccount } from "../store/people";
import { saveCollection } from "../store/labels";
import { saveService } from "../store/services";
import { putBudget, setCurrencies } from "../store/spend";
import { credentialsOfSource, insertCredential, listCredentials, setSourceCredentials } from "../store/credentials";
import { choreNamed, saveChore } from "../store/chores";
import { policyNamed, savePolicy } from "../store/policies";
import { addVersion, runbookByUid } from "../store/runbooks";
import { insertSource, listSources } from "../store/sources";
import { driverOf } from "../sources/registry";

const BY = "set-up file";

const refuser = (file: string) => (problems: string) =>
  new PersonError(`The set-up file ${file} cannot be used: ${problems}`);

function readSetup(file: string): SetupFile {
  const parsed = setupSchema.safeParse(JSON.parse(readFileSync(file, "utf8")));
  if (parsed.success) return parsed.data;
  throw refuser(file)(parsed.error.issues.map((issue) => `${issue.path.join(".")}: ${issue.message}`).join("; "));
}

function insertFromSetup(db: Db, source: SourceInput, vault: Vault, nowMs: number): void {
  const { credential } = driverOf(source.kind);
  if (!credential || source.credential === undefined) return void insertSource(db, source, undefined, nowMs);
  const sealed = vault.seal({ [credential.field]: source.credential });
  const own = { kind: credential.kind, destinations: credential.destinations(source.settings) };
  insertSource(db, source, sealed, nowMs, own);
}

/** Makes the credentials of a set-up file that are not there yet, and gives them to the sources that name them. */
export function takeCredentials(db: Db, file: string, vault: Vault, nowMs: number): void {
  const refuse = refuser(file);
  const known = new Set(listCredentials(db).map((one) => one.name));
  for (const { name, kind: kindId, destinations, fields, files, sources } of readSetup(file).credentials) {
    if (known.has(name)) continue;
    const kind = kindOfCredential(kindId);
    if (!kind) throw refuse(`credentials: there is no kind “${kindId}”.`);
    const given: Record<string, string> = { ...fields };
    for (const [field, path] of Object.entries(files)) given[field] = readFileSync(path, "utf8");
    const problem = destinationsProblem(destinations);
    if (problem) throw refuse(`credentials: ${name}: ${problem}`);
    const about = kind.open.safeParse(pick(given, kind.open));
    const secret = kind.sealed.safeParse(pick(given, kind.sealed));
    const wrong = [...(about.error?.issues ?? []), ...(secret.error?.issues ?? [])];
    if (!about.success || !secret.success) throw refuse(`credentials: ${name}: ${wrong[0]?.message ?? ""}`);
    const sealed = vault.seal(secret.data as Record<string, string>);
    const row = { name, kind: kindId, about: about.data as Record<string, string>, destinations, sealed };
    const id = insertCredential(db, { ...row, madeBy: BY, isOwn: false }, nowMs);
    for (const source of listSources(db))
      if (driverOf(source.kind).uses?.includes(kindId) && (sources.includes("*") || sources.includes(source.name))) {
        const others = credentialsOfSource(db, source.id).map((one) => one.id);
        setSourceCredentials(db, source.id, [...others.filter((one) => one !== source.credential_id), id]);
      }
  }
}

const pick = (given: Record<string, string>, schema: { shape: object }) =>
  Object.fromEntries(Object.entries(given).filter(([field]) => field in schema.shape));

/** Makes the accounts of a demonstration's made-up people that are not there yet. */
export function takeDemoPeople(db: Db, file: string, nowMs: number): void {
  for (const { name, role, remark } of readSetup(file).people) {
    if (accountByName(db, name)) continue;
    const signIn = `demo:${name.toLowerCase().replaceAll(/\s+/g, "-")}`;
    insertAccount(db, { name, signIn, role, remark, isDemo: true, madeBy: BY }, nowMs);
  }
}

/** Runbooks and chores of one's own that are not there yet. */
function takeOwn(db: Db, { runbooks, ownChores }: SetupFile, atMs: number): void {
  for (const one of runbooks)
    if (!runbookByUid(db, one.uid)) addVersion(db, one, { state: "approved", remark: "", by: BY, atMs });
  for (const one of ownChores)
    if (!choreNamed(db, one.name)) saveChore(db, undefined, one, { by: BY, atMs, nextMs: nextDue(one.trigger, atMs) });
}

/**
 * Takes a set-up file into a new store: what a person would otherwise type in. Throws a PersonError that names what is
 * wrong.
 */
export function takeSetup(db: Db, file: string, vault: Vault, nowMs: number): void {
  const setup = readSetup(file);
  const { organisation, site, sources, endpoints, services, spend, collections, policies, chores, logFigures, jobs } =
    setup;
  const refuse = refuser(file);
  db.transaction(() => {
    writeMeta(db, "organisation", organisation);
    writeMeta(db, OWN_SITE, site);
    sources.forEach((fields, index) => {
      const read = readSource(fields);
      if (!read.ok)
        throw refuse(
          Object.entries(read.fields)
            .map(([field, problem]) => `sources.${index}.${field}: ${problem}`)
            .join("; "),
        );
      insertFromSetup(db, read.source, vault, nowMs);
    });
    takeCredentials(db, file, vault, nowMs);
    for (const one of endpoints) saveEndpoint(db, one, BY, nowMs);
    for (const one of logFigures) saveLogFigure(db, one, BY, nowMs);
    for (const one of jobs) saveJobWords(db, one, BY, nowMs);
    for (const one of services) saveService(db, one, nowMs);
    takeOwn(db, setup, nowMs);
    for (const [name, level] of Object.entries(policies)) {
      const policy = policyNamed(db, name);
      if (!policy) throw refuse(`policies: there is no ready policy “${name}”.`);
      savePolicy(db, policy.id, { ...policy.definition, level }, BY, nowMs);
    }
    for (const [name, level] of Object.entries(chores)) {
      const chore = choreNamed(db, name);
      if (!chore) throw refuse(`chores: there is no ready chore “${name}”.`);
      saveChore(db, chore.id, { ...chore.definition, level }, { by: BY, atMs: nowMs, nextMs: chore.next_at });
    }
    for (const { name, filter } of collections) saveCollection(db, name, filter, BY, nowMs);
    if (spend) {
      setCurrencies(db, spend.currency, new Map(Object.entries(spend.rates)));
      for (const one of spend.budgets) putBudget(db, { ...one, made_at: nowMs, made_by: BY });
    }
  })();
}
