import { z } from "zod";
import { destinationsProblem, destinationsWithin } from "#core/estate/destinations";
import { INSTALLATION } from "#core/people/rights";
import { placeOf } from "../vault/reach";
import {
  credentialById,
  insertCredential,
  listCredentials,
  removeCredential,
  sourcesOfCredentials,
  updateCredential,
  type CredentialRow,
} from "../store/credentials";
import { PersonError, type Db } from "../store/database";
import { componentById, type ComponentRow } from "../store/estate";
import { approveHostKey, forgetHostKey } from "../store/host-keys";
import { kindOfCredential, type Access, type CredentialKind } from "../vault/kinds";
import { mayBeUsedAt } from "../vault/vault";
import { testCredential } from "../vault/test-credential";
import { command } from "./command";
import type { CommandPorts } from "./ports";

const id = z.number().int().min(1);
const fields = z.record(z.string(), z.string().max(65_536));

function mustExist(db: Db, credentialId: number): CredentialRow {
  const credential = credentialById(db, credentialId);
  if (!credential) throw new PersonError("That credential is not there any more.");
  return credential;
}

/** What of a credential goes on the audit record. */
const shown = (db: Db, credentialId: number | undefined) => {
  const one = credentialId === undefined ? undefined : credentialById(db, credentialId);
  return one && { name: one.name, kind: one.kind, ...one.about, destinations: one.destinations };
};

/** Reads the form of a credential: what is shown, and what is sealed; an empty secret leaves the one that is kept. */
function readForm(kind: CredentialKind, given: Readonly<Record<string, string>>, kept: boolean) {
  const pick = (schema: z.ZodObject) =>
    Object.fromEntries(Object.keys(schema.shape).flatMap((name) => (given[name] ? [[name, given[name]]] : [])));
  const wrong: Record<string, string> = {};
  const name = (given.name ?? "").trim();
  if (!name || name.length > 80) wrong.name = "Give it a name of at most 80 characters.";
  const destinations = (given.destinations ?? "").trim();
  const problem = destinations.length > 2000 ? "That is too long." : destinationsProblem(destinations);
  if (problem) wrong.destinations = problem;
  const open = kind.open.safeParse(pick(kind.open));
  const secrets = pick(kind.sealed);
  const sealed = kept && Object.keys(secrets).length === 0 ? undefined : kind.sealed.safeParse(secrets);
  for (const issue of [...(open.error?.issues ?? []), ...(sealed?.error?.issues ?? [])])
    wrong[issue.path.join(".")] ??= issue.message;
  const [first] = Object.values(wrong);
  if (first !== undefined) throw new PersonError(first, wrong);
  return {
    name,
    destinations,
    about: open.data as Record<string, string>,
    secret: sealed?.data as Record<string, string> | undefined,
  };
}

type Form = ReturnType<typeof readForm>;

function read(ports: CommandPorts, input: { id?: number | undefined; kind: string; fields: Record<string, string> }) {
  const kind = kindOfCredential(input.kind);
  if (!kind) throw new PersonError("There is no such kind of credential.");
  const before = input.id === undefined ? undefined : mustExist(ports.db, input.id);
  if (before && before.kind !== kind.id) throw new PersonError("The kind of a credential stays. Add another one.");
  const form = readForm(kind, input.fields, before !== undefined);
  // Whoever edits it must not be able to have its secret sent to a place of their own.
  if (before && form.secret === undefined && !destinationsWithin(form.destinations, before.destinations)) {
    const ask = "Give the secret again: the one that is kept was given for other destinations.";
    throw new PersonError(ask, { destinations: ask });
  }
  return { kind, before, form };
}

/** What a form would be used as, without keeping it. */
function accessOf(ports: CommandPorts, kind: CredentialKind, form: Form, before: CredentialRow | undefined): Access {
  const kept = before && form.secret === undefined ? ports.vault.use(before, `testing ${before.name}`).fields : {};
  const all = { ...kept, ...form.about, ...form.secret };
  return { id: before?.id ?? 0, name: form.name, kind: kind.id, fields: all, destinations: form.destinations };
}

function target(db: Db, componentId: number): ComponentRow {
  const component = componentById(db, componentId);
  if (!component) throw new PersonError("That component does not exist.");
  return component;
}

function placeFor(ports: CommandPorts, componentId: number) {
  const component = target(ports.db, componentId);
  const place = placeOf(ports.db, component, ports.now());
  if (!place) throw new PersonError(`${component.name} has no address to connect to.`);
  return { component, ...place };
}

const input = z.strictObject({ id: id.optional(), kind: z.string().max(40), fields });

/** Credentials, and the hosts that people let commands go to. */
export const credentialCommands = {
  "credential.save": command({
    right: "configure",
    input,
    run: (ports, given, who) => {
      const { kind, before, form } = read(ports, given);
      const twin = listCredentials(ports.db).find((one) => one.name.toLowerCase() === form.name.toLowerCase());
      if (twin && twin.id !== before?.id)
        throw new PersonError(`There is a credential called “${form.name}” already.`, { name: "Choose another name." });
      const sealed = form.secret && ports.vault.seal(form.secret);
      const { name, about, destinations } = form;
      let saved = before?.id;
      if (saved !== undefined) updateCredential(ports.db, saved, { name, about, destinations, sealed });
      else {
        const row = { name, kind: kind.id, about, destinations, sealed: sealed as string };
        saved = insertCredential(ports.db, { ...row, madeBy: who.name, isOwn: false }, ports.now());
      }
      ports.onCredentials();
      return saved;
    },
    about: (given, saved) => ({ type: "credential", id: given.id ?? saved ?? 0 }),
    state: ({ db }, given, saved) => shown(db, given.id ?? saved),
    record: (given) => `${given.id === undefined ? "Added" : "Changed"} credential ${String(given.fields.name)}`,
  }),
  /** Tries it at one of its destinations, and repeats what is answered there. */
  "credential.test": command({
    right: "configure",
    input: input.extend({ at: z.string().trim().min(1, "Say where to try it.").max(300) }),
    about: (given) => (given.id === undefined ? INSTALLATION : { type: "credential", id: given.id }),
    run: async (ports, given) => {
      const { kind, before, form } = read(ports, given);
      const access = accessOf(ports, kind, form, before);
      const answer = await testCredential(access, given.at);
      if (before) ports.vault.note(before.id, `a test at ${given.at}`, answer.ok ? null : answer.line);
      return answer;
    },
    record: (given) => `Tried credential ${String(given.fields.name)} at ${given.at}`,
  }),
  "credential.remove": command({
    right: "configure",
    input: z.strictObject({ id }),
    about: (given) => ({ type: "credential", id: given.id }),
    state: ({ db }, given) => shown(db, given.id),
    run: (ports, given) => {
      const credential = mustExist(ports.db, given.id);
      const users = sourcesOfCredentials(ports.db).get(given.id);
      if (users?.length)
        throw new PersonError(`${credential.name} is used by ${users.join(", ")}. Take it out there first.`);
      removeCredential(ports.db, given.id);
      ports.onCredentials();
      return credential.name;
    },
    record: (given, name) => `Removed credential ${name ?? given.id}`,
  }),
  /** Asks a host for its key without signing in: its fingerprint is compared with what the host's owner says. */
  "host.look": command({
    right: "configure",
    input: z.strictObject({ componentId: id }),
    about: ({ componentId }) => ({ type: "component", id: componentId }),
    run: async (ports, { componentId }) => {
      const { address, port } = placeFor(ports, componentId);
      try {
        return await ports.hostKeyAt(address, port);
      } catch (error) {
        throw new PersonError(error instanceof Error ? error.message : String(error));
      }
    },
    record: ({ componentId }, fingerprint, { db }) =>
      `Asked ${componentById(db, componentId)?.name ?? componentId} for its host key${fingerprint === undefined ? "" : `: ${fingerprint}`}`,
  }),
  "host.approve": command({
    right: "configure",
    input: z.strictObject({
      componentId: id,
      credentialId: id,
      fingerprint: z.string().regex(/^SHA256:[A-Za-z0-9+/]{43}$/, "Look the host key up first."),
    }),
    about: ({ componentId }) => ({ type: "component", id: componentId }),
    run: (ports, { componentId, credentialId, fingerprint }, who) => {
      const { address, port, component } = placeFor(ports, componentId);
      const credential = mustExist(ports.db, credentialId);
      if (kindOfCredential(credential.kind)?.serves !== "ssh")
        throw new PersonError(`${credential.name} is not for SSH. Choose another credential.`);
      if (!mayBeUsedAt(credential, address))
        throw new PersonError(`${credential.name} is not for ${address}. Add the address to its destinations first.`);
      approveHostKey(ports.db, { address, port, fingerprint, credentialId }, who.name, ports.now());
      return component.name;
    },
    record: ({ componentId, fingerprint }, name) =>
      `Approved ${name ?? `component ${componentId}`} with the host key ${fingerprint}`,
  }),
  "host.forget": command({
    right: "configure",
    input: z.strictObject({ componentId: id }),
    about: ({ componentId }) => ({ type: "component", id: componentId }),
    run: (ports, { componentId }) => {
      const { address, port, component } = placeFor(ports, componentId);
      forgetHostKey(ports.db, address, port);
      return component.name;
    },
    record: ({ componentId }, name) => `Forgot the host key of ${name ?? `component ${componentId}`}`,
  }),
};
